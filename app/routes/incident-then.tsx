import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import { Link as RouterLink } from "react-router";
import { dayAndTime, spokenDuration } from "#core/time/windows";
import type { Route } from "./+types/incident-then";
import { idFrom, missing } from "../shell/answers.server";
import { useKeep } from "../shell/window";
import { Alarms } from "../ui/incident/Alarms";
import { Causes } from "../ui/incident/Causes";
import { BadTraces, ChangesBefore, LoudLogs } from "../ui/incident/Clues";
import { Harm } from "../ui/incident/Harm";
import { IncidentMap } from "../ui/incident/IncidentMap";
import { OneAxis } from "../ui/incident/OneAxis";
import { asItWas } from "../ui/incident/page";
import { Timeline } from "../ui/incident/Timeline";
import { TopProcesses } from "../ui/incident/TopProcesses";
import { KeepLink } from "../ui/KeepLink";
import { PageHead } from "../ui/Page";

export const meta: Route.MetaFunction = ({ loaderData }) => [
  { title: `${loaderData?.incident.title ?? "Incident"}, as it was · Holotaxis` },
];

export async function loader({ request, params, context }: Route.LoaderArgs) {
  const nowMs = context.now();
  const asked = Date.parse(new URL(request.url).searchParams.get("at") ?? "");
  // What is no instant is the first one of the incident.
  const thenMs = Number.isNaN(asked) ? 0 : asked;
  const page = await context.ask("incident", { id: idFrom(params.id, "incident"), nowMs, root: context.root, thenMs });
  if (!page) throw missing("incident", params.id);
  return { ...page, thenMs: page.thenMs ?? nowMs };
}

/** An incident as it was at an instant while it lasted: what was known, what it was put down to, and who was hurt by then. */
export default function IncidentThen({ loaderData: page }: Route.ComponentProps) {
  const keep = useKeep();
  const { incident, thenMs, instants } = page;
  const earlier = instants.findLast((at) => at < thenMs);
  const later = instants.find((at) => at > thenMs);
  const step = (label: string, atMs: number | undefined) => (
    <Button
      variant="outlined"
      disabled={atMs === undefined}
      {...(atMs === undefined ? {} : { component: RouterLink, to: keep(asItWas(incident.id, atMs)) })}
    >
      {label}
    </Button>
  );
  return (
    <>
      <PageHead
        name={`Incident ${incident.id} as it was at ${dayAndTime(thenMs, undefined, true)}, ${spokenDuration(thenMs - incident.opened_at)} after it was opened · priority ${page.harm.priority}${incident.taken_by ? ` · with ${incident.taken_by}` : ""}`}
        severity={page.isOpen ? incident.severity : "cleared"}
        sentence={page.sentence}
        actions={
          <>
            {step("Earlier", earlier)}
            {step("Later", later)}
            <Button component={RouterLink} to={keep(`/incidents/${incident.id}`)} variant="contained">
              As it is now
            </Button>
          </>
        }
      />
      <Box sx={{ display: "grid", gap: 1.5, gridTemplateColumns: "minmax(0, 1fr) 380px", alignItems: "start" }}>
        <Stack sx={{ gap: 1.5, minWidth: 0 }}>
          <OneAxis page={page} />
          <IncidentMap page={page} />
          <Timeline page={page} />
          <Alarms page={page} />
          <TopProcesses page={page} />
        </Stack>
        <Stack sx={{ gap: 1.5, minWidth: 0 }}>
          <Causes page={page} />
          <Harm page={page} />
          <ChangesBefore page={page} />
          <LoudLogs page={page} />
          <BadTraces page={page} />
          {page.evidence.length ? (
            <p className="hx-caption hx-flush">
              {page.evidence.length} pinned by then:{" "}
              <KeepLink to={`/incidents/${incident.id}`}>Evidence of the incident</KeepLink>
            </p>
          ) : null}
        </Stack>
      </Box>
    </>
  );
}
