import Box from "@mui/material/Box";
import Stack from "@mui/material/Stack";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import { dayAndTime, spokenDuration } from "#core/time/windows";
import type { Route } from "./+types/runbooks";
import { useShell } from "../shell/window";
import { windowOf } from "../shell/window.server";
import { KeepLink } from "../ui/KeepLink";
import { Empty, PageHead, Section } from "../ui/Page";
import { RunStateWord } from "../ui/RunState";

export const meta: Route.MetaFunction = () => [{ title: "Runbooks · Holotaxis" }];

export async function loader({ request, context }: Route.LoaderArgs) {
  return context.ask("runbooks", { atMs: windowOf(request, context.now()).atMs });
}

export default function Runbooks({ loaderData: { runbooks, runs } }: Route.ComponentProps) {
  const { window: now } = useShell();
  const running = runs.filter((run) => run.state === "running").length;
  return (
    <>
      <PageHead name="Runbooks" sentence={`${runbooks.length} runbooks; ${running ? `${running} ${running === 1 ? "run is" : "runs are"} under way` : "no run is under way"}. Every run keeps who started it, each command and what it printed.`} />
      <Stack sx={{ gap: 1.5 }}>
        <Section title="Runbooks" pad={false}>
          <Table>
            <TableHead>
              <TableRow>
                <TableCell>Name</TableCell>
                <TableCell>What it does</TableCell>
                <TableCell>For</TableCell>
                <TableCell align="right">Steps</TableCell>
                <TableCell align="right">Runs</TableCell>
              </TableRow>
            </TableHead>
            <TableBody>
              {runbooks.map((runbook) => (
                <TableRow key={runbook.id}>
                  <TableCell sx={{ whiteSpace: "nowrap" }}>
                    <KeepLink to={`/runbooks/${runbook.id}`}>{runbook.name}</KeepLink>
                  </TableCell>
                  <TableCell>{runbook.definition.purpose}</TableCell>
                  <TableCell>{runbook.definition.kinds.join(", ")}</TableCell>
                  <TableCell align="right">{runbook.definition.steps.length}</TableCell>
                  <TableCell align="right">{runbook.runs || "–"}</TableCell>
                </TableRow>
              ))}
            </TableBody>
          </Table>
        </Section>
        <Section title="Runs" pad={false}>
          {runs.length === 0 ? (
            <Box sx={{ p: 1.5 }}>
              <Empty>None yet. Start one here, or from an incident, which fills the target in.</Empty>
            </Box>
          ) : (
            <Table>
              <TableHead>
                <TableRow>
                  <TableCell>Run</TableCell>
                  <TableCell>Runbook</TableCell>
                  <TableCell>Target</TableCell>
                  <TableCell>State</TableCell>
                  <TableCell>Started</TableCell>
                  <TableCell>Took</TableCell>
                  <TableCell>By</TableCell>
                  <TableCell>Incident</TableCell>
                </TableRow>
              </TableHead>
              <TableBody>
                {runs.map((run) => (
                  <TableRow key={run.id}>
                    <TableCell>
                      <KeepLink to={`/runs/${run.id}`}>{run.id}</KeepLink>
                    </TableCell>
                    <TableCell>{run.runbook}</TableCell>
                    <TableCell>
                      <KeepLink to={`/estate/${run.component_id}`}>{run.component}</KeepLink>
                    </TableCell>
                    <TableCell>
                      <RunStateWord state={run.state} />
                    </TableCell>
                    <TableCell>{dayAndTime(run.started_at, now.nowMs, true)}</TableCell>
                    <TableCell>{spokenDuration((run.ended_at ?? now.nowMs) - run.started_at)}</TableCell>
                    <TableCell>{run.started_by}</TableCell>
                    <TableCell>{run.incident_id ? <KeepLink to={`/incidents/${run.incident_id}`}>{run.incident_id}</KeepLink> : "–"}</TableCell>
                  </TableRow>
                ))}
              </TableBody>
            </Table>
          )}
        </Section>
      </Stack>
    </>
  );
}
