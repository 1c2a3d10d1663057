import Box from "@mui/material/Box";
import Stack from "@mui/material/Stack";
import { dayAndTime, spokenDuration } from "#core/time/windows";
import type { Route } from "./+types/runbooks";
import { useShell } from "../shell/window";
import { windowOf } from "../shell/window.server";
import { KeepLink } from "../ui/KeepLink";
import { Empty, PageHead, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";
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
      <PageHead
        name="Runbooks"
        sentence={`${runbooks.length} runbooks; ${running ? `${running} ${running === 1 ? "run is" : "runs are"} running` : "none is running"}. Every run keeps who started it, each command and what it printed.`}
      />
      <Stack sx={{ gap: 1.5 }}>
        <Section title="Runbooks" pad={false}>
          <PlainTable>
            <thead>
              <tr>
                <th scope="col">Name</th>
                <th scope="col">Purpose</th>
                <th scope="col">For</th>
                <th scope="col" className="num">
                  Steps
                </th>
                <th scope="col" className="num">
                  Runs
                </th>
              </tr>
            </thead>
            <tbody>
              {runbooks.map((runbook) => (
                <tr key={runbook.id}>
                  <td className="line">
                    <KeepLink to={`/runbooks/${runbook.id}`}>{runbook.name}</KeepLink>
                  </td>
                  <td>{runbook.definition.purpose}</td>
                  <td>{runbook.definition.kinds.join(", ")}</td>
                  <td className="num">{runbook.definition.steps.length}</td>
                  <td className="num">{runbook.runs || "–"}</td>
                </tr>
              ))}
            </tbody>
          </PlainTable>
        </Section>
        <Section title="Runs" pad={false}>
          {runs.length === 0 ? (
            <Box sx={{ p: 1.5 }}>
              <Empty>No runs yet. Start one here, or from an incident, which fills in the target.</Empty>
            </Box>
          ) : (
            <PlainTable>
              <thead>
                <tr>
                  <th scope="col">Run</th>
                  <th scope="col">Runbook</th>
                  <th scope="col">Target</th>
                  <th scope="col">State</th>
                  <th scope="col">Started</th>
                  <th scope="col">Duration</th>
                  <th scope="col">By</th>
                  <th scope="col">Incident</th>
                </tr>
              </thead>
              <tbody>
                {runs.map((run) => (
                  <tr key={run.id}>
                    <td>
                      <KeepLink to={`/runs/${run.id}`}>{run.id}</KeepLink>
                    </td>
                    <td>{run.runbook}</td>
                    <td>
                      <KeepLink to={`/estate/${run.component_id}`}>{run.component}</KeepLink>
                    </td>
                    <td>
                      <RunStateWord state={run.state} />
                    </td>
                    <td>{dayAndTime(run.started_at, now.nowMs, true)}</td>
                    <td>{spokenDuration((run.ended_at ?? now.nowMs) - run.started_at)}</td>
                    <td>{run.started_by}</td>
                    <td>
                      {run.incident_id ? (
                        <KeepLink to={`/incidents/${run.incident_id}`}>{run.incident_id}</KeepLink>
                      ) : (
                        "–"
                      )}
                    </td>
                  </tr>
                ))}
              </tbody>
            </PlainTable>
          )}
        </Section>
      </Stack>
    </>
  );
}
