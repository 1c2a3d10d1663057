import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { clockTime } from "#core/time/windows";
import { KeepLink } from "../KeepLink";
import { Caption, Empty, Section } from "../Page";
import { RunStateWord } from "../RunState";
import { prefilled, type IncidentData } from "./page";

/** Runbooks that may help, and those that were run. */
export function Repair({ page }: { page: IncidentData }) {
  return (
    <Section title="Repair">
      <Stack sx={{ gap: 0.75 }}>
        {page.runbooks.map((runbook) => (
          <div key={runbook.id}>
            <KeepLink to={prefilled(page, runbook)} strong={runbook.fits}>
              {runbook.name}
            </KeepLink>
            <Caption>{runbook.purpose}</Caption>
          </div>
        ))}
        {page.isSilent ? (
          <Empty>{`${page.host?.name ?? "It"} does not respond, so nothing can be run on it. See to its power, its line and its hypervisor first.`}</Empty>
        ) : page.runbooks.length === 0 ? (
          <Empty>No runbook for this kind of component.</Empty>
        ) : null}
        {page.runs.map((run) => (
          <Typography key={run.id} variant="body2" sx={{ borderTop: 1, borderColor: "divider", pt: 0.75 }}>
            <KeepLink to={`/runs/${run.id}`}>{`Run ${run.id}: ${run.runbook}`}</KeepLink>{" "}
            <RunStateWord state={run.state} />, by {run.started_by} {clockTime(run.started_at)}
          </Typography>
        ))}
      </Stack>
    </Section>
  );
}
