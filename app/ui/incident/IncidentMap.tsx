import PushPinOutlined from "@mui/icons-material/PushPinOutlined";
import IconButton from "@mui/material/IconButton";
import Tooltip from "@mui/material/Tooltip";
import { useMemo } from "react";
import { usePin } from "../../shell/tray";
import { StrataMap } from "../map/StrataMap";
import { KeepLink } from "../KeepLink";
import { Section } from "../Page";
import { spanOf, type IncidentData } from "./page";

/** What takes part and nothing else, the cause marked: as it is now, or as it was just before the incident resolved. */
export function IncidentMap({ page }: { page: IncidentData }) {
  const pin = usePin();
  const { incident, suspect, map } = page;
  const marks = useMemo(
    () =>
      new Map(
        page.axis.lanes.flatMap((lane) => (lane.isCause && lane.componentId ? [[lane.componentId, "cause"]] : [])),
      ),
    [page.axis.lanes],
  );
  if (!map.cards.length) return null;
  const address = `/map?incident=${incident.id}&${spanOf(page)}`;
  const title = `Map of what takes part: ${map.total} ${map.total === 1 ? "component" : "components"}`;
  return (
    <Section
      title={title}
      pad={false}
      aside={
        <>
          <KeepLink to={address}>Larger</KeepLink>
          {suspect ? (
            <KeepLink to={`/map?around=${suspect.componentId}&${spanOf(page)}`}>Around {suspect.name}</KeepLink>
          ) : null}
          <Tooltip title="Pin to this incident">
            <IconButton
              aria-label="Pin this map"
              onClick={() =>
                pin({
                  kind: "map",
                  title: `Map of incident ${incident.id}`,
                  detail: `incident:${incident.id}`,
                  fromMs: page.fromMs,
                  toMs: page.toMs,
                  incidentId: incident.id,
                  address,
                })
              }
            >
              <PushPinOutlined sx={{ fontSize: 16 }} />
            </IconButton>
          </Tooltip>
        </>
      }
    >
      <StrataMap map={map} height={340} marks={marks} />
    </Section>
  );
}
