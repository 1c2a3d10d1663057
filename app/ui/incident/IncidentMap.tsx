import PushPinOutlined from "@mui/icons-material/PushPinOutlined";
import IconButton from "@mui/material/IconButton";
import Tooltip from "@mui/material/Tooltip";
import { usePin } from "../../shell/tray";
import { Section } from "../Page";
import { StrataMap } from "../map/StrataMap";
import { spanOf, type IncidentData } from "./page";

/** What stands round the suspect, as it is now, or as it was when the incident resolved. */
export function IncidentMap({ page }: { page: IncidentData }) {
  const pin = usePin();
  const { incident, suspect, map } = page;
  if (!map || !suspect) return null;
  return (
    <Section
      title={`Map around ${suspect.name}`}
      pad={false}
      aside={
        <Tooltip title="Pin to this incident">
          <IconButton
            aria-label={`Pin the map around ${suspect.name}`}
            onClick={() =>
              pin({
                kind: "map",
                title: `Map around ${suspect.name}`,
                detail: `around:${suspect.componentId}`,
                fromMs: page.fromMs,
                toMs: page.toMs,
                incidentId: incident.id,
                address: `/map?around=${suspect.componentId}&${spanOf(page)}`,
              })
            }
          >
            <PushPinOutlined sx={{ fontSize: 16 }} />
          </IconButton>
        </Tooltip>
      }
    >
      <StrataMap map={map} height={330} highlight={suspect.componentId} />
    </Section>
  );
}
