import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { Link as RouterLink } from "react-router";
import { kindInfo } from "#core/catalogue/kinds";
import { dayAndTime } from "#core/time/windows";
import type { Route } from "./+types/component";
import { idFrom, missing } from "../shell/answers.server";
import { useKeep, useShell } from "../shell/window";
import { overlayAsked, windowOf } from "../shell/window.server";
import { ChangeList } from "../ui/ChangeList";
import { ChartCard } from "../ui/charts/ChartCard";
import { AlarmsHere } from "../ui/component/AlarmsHere";
import { Carriers } from "../ui/component/Carriers";
import { Facts } from "../ui/component/Facts";
import { Inventory } from "../ui/component/Inventory";
import { JumpMarks } from "../ui/component/JumpMarks";
import { SeenBy } from "../ui/component/SeenBy";
import { Neighbours } from "../ui/component/Neighbours";
import { Guests } from "../ui/Guests";
import { KeepLink } from "../ui/KeepLink";
import { LogLines } from "../ui/logs/LogLines";
import { OnPlatform } from "../ui/platform/OnPlatform";
import { WorkloadContainers } from "../ui/platform/WorkloadContainers";
import { Empty, PageHead, Section } from "../ui/Page";
import { OverlayPicker } from "../ui/OverlayPicker";

export const meta: Route.MetaFunction = ({ loaderData }) => [
  { title: `${loaderData?.component.name ?? "Component"} · Holotaxis` },
];

export async function loader({ request, params, context }: Route.LoaderArgs) {
  const { fromMs, toMs, atMs } = windowOf(request, context.now());
  const page = await context.ask("component", {
    id: idFrom(params.id, "component"),
    atMs,
    fromMs,
    toMs,
    overlay: overlayAsked(request),
  });
  if (!page) throw missing("component", params.id);
  return { ...page, overlay: overlayAsked(request) };
}

function sentenceOf(page: Route.ComponentProps["loaderData"], now: { atMs: number; nowMs: number }): string {
  const { component, host } = page;
  const info = kindInfo(component.kind);
  const gone = component.valid_to !== null && component.valid_to <= now.atMs;
  const notYet = component.valid_from > now.atMs;
  const state = notYet
    ? `was not known yet; it was found ${dayAndTime(component.valid_from, now.nowMs)}`
    : gone
      ? `left the estate ${dayAndTime(component.valid_to as number, now.nowMs)}`
      : page.severity === "cleared"
        ? "is healthy"
        : `is ${page.severity}: ${page.reason}`;
  return `${component.name} ${state}. ${info.label}${host ? ` on ${host.name}` : ` at ${component.site}`}${page.services.length ? `, part of ${page.services.length > 3 ? `${page.services.length} services` : page.services.map((service) => service.name).join(", ")}` : ""}.`;
}

export default function Component({ loaderData: page }: Route.ComponentProps) {
  const { window: now } = useShell();
  const { component } = page;
  const info = kindInfo(component.kind);
  return (
    <>
      <PageHead
        name={`Estate › ${info.label}`}
        severity={page.severity}
        sentence={sentenceOf(page, now)}
        actions={<Actions page={page} />}
      />
      <JumpMarks page={page} />
      <Stack sx={{ gap: 1.5 }}>
        {page.charts.length ? (
          <Box
            id="signals"
            sx={{ display: "grid", gap: 1, gridTemplateColumns: "repeat(auto-fill, minmax(300px, 1fr))" }}
          >
            {page.charts.map((chart) => (
              <ChartCard key={chart.seriesId} chart={chart} />
            ))}
          </Box>
        ) : (
          <Empty>No metrics yet. A host is polled once it answers SNMP, a process once its host is.</Empty>
        )}
        {page.unwatchedBy ? (
          <Typography variant="body2" role="note">
            It is not watched: the <KeepLink to="/estate">{page.unwatchedBy}</KeepLink> says so.
          </Typography>
        ) : null}
        {page.silent ? (
          <Typography variant="body2" sx={{ color: "text.secondary" }}>
            {page.silent} more {page.silent === 1 ? "series of what it sends has" : "series of what it sends have"} no
            sample in this window.
          </Typography>
        ) : null}
        <Carriers page={page} />
        {page.guests.length ? <Guests title={`Virtual machines: ${page.guests.length}`} rows={page.guests} /> : null}
        <WorkloadContainers page={page} />
        <Box sx={{ display: "grid", gap: 1.5, gridTemplateColumns: "repeat(2, minmax(0, 1fr))", alignItems: "start" }}>
          <OnPlatform page={page} />
          <Facts page={page} />
          <Neighbours page={page} />
          <Inventory page={page} />
          <SeenBy page={page} nowMs={now.nowMs} />
          {page.sends ? (
            <Section
              id="logs"
              title="Latest logs"
              aside={<KeepLink to={`/signals/logs?component=${component.id}`}>All</KeepLink>}
            >
              {page.logs.length === 0 ? (
                <Empty>No records in this window.</Empty>
              ) : (
                <LogLines logs={page.logs} nowMs={now.nowMs} />
              )}
            </Section>
          ) : null}
          <AlarmsHere page={page} />
          <Section id="changes" title="Changes in this window">
            <ChangeList
              changes={page.changes}
              nowMs={now.nowMs}
              empty="None. Widen the window on the ribbon to see earlier ones."
            />
          </Section>
        </Box>
      </Stack>
    </>
  );
}

/** What leads on from a component. */
function Actions({ page }: { page: Route.ComponentProps["loaderData"] }) {
  const keep = useKeep();
  const info = kindInfo(page.component.kind);
  return (
    <>
      {page.charts.length ? <OverlayPicker value={page.overlay} width={200} /> : null}
      <Button component={RouterLink} to={keep(`/map?around=${page.component.id}`)} variant="outlined">
        Local map
      </Button>
      {page.sends ? (
        <Button component={RouterLink} to={keep(`/signals/logs?component=${page.component.id}`)} variant="outlined">
          Logs
        </Button>
      ) : null}
      {page.runbooks[0] ? (
        <Button
          component={RouterLink}
          to={keep(`/runbooks/${page.runbooks[0].id}?target=${page.component.id}`)}
          variant="outlined"
        >
          Run a runbook
        </Button>
      ) : null}
      {info.hasGuests ? (
        <Button component={RouterLink} to={keep(`/estate/${page.component.id}/capacity`)} variant="outlined">
          Capacity
        </Button>
      ) : null}
      <Button
        component={RouterLink}
        to={keep(`/incidents/planned-work/new?q=${encodeURIComponent(page.host?.name ?? page.component.name)}`)}
        variant="outlined"
      >
        Plan work
      </Button>
      <Button component={RouterLink} to={keep(`/estate/${page.component.id}/siblings`)} variant="outlined">
        Siblings
      </Button>
      <Button component={RouterLink} to={keep(`/estate/${page.component.id}/identity`)} variant="outlined">
        Identity
      </Button>
      {page.runbooks[0] ? (
        <Button component={RouterLink} to={keep(`/estate/${page.component.id}/access`)} variant="outlined">
          Access
        </Button>
      ) : null}
    </>
  );
}
