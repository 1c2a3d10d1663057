import Box from "@mui/material/Box";
import Stack from "@mui/material/Stack";
import type { Route } from "./+types/runbooks";
import { windowOf } from "../shell/window.server";
import { KeepLink } from "../ui/KeepLink";
import { Empty, PageHead, Section } from "../ui/Page";
import { RunbookTable, RunTable } from "../ui/repair/Tables";

export const meta: Route.MetaFunction = () => [{ title: "Runbooks · Holotaxis" }];

export async function loader({ request, context }: Route.LoaderArgs) {
  return context.ask("runbooks", { atMs: windowOf(request, context.now()).atMs });
}

export default function Runbooks({ loaderData: { runbooks, runs, asking } }: Route.ComponentProps) {
  const running = runs.filter((run) => run.state === "running").length;
  return (
    <>
      <PageHead
        name="Runbooks"
        sentence={`${runbooks.length} runbooks; ${running ? `${running} ${running === 1 ? "run is" : "runs are"} running` : "none is running"}. Every run keeps who started it, each command and what it printed.`}
        actions={
          <>
            <KeepLink to="/runbooks/policies">Policies</KeepLink>{" "}
            <KeepLink to="/runbooks/housekeeping">Housekeeping</KeepLink>{" "}
            <KeepLink to="/runbooks/new">New runbook</KeepLink>
          </>
        }
      />
      <Stack sx={{ gap: 1.5 }}>
        <Asking asking={asking} />
        <Section title="Runbooks" pad={false}>
          <RunbookTable runbooks={runbooks} />
        </Section>
        <Section title="Runs" pad={false}>
          {runs.length === 0 ? (
            <Box sx={{ p: 1.5 }}>
              <Empty>No runs yet. Start one here, or from an incident, which fills in the target.</Empty>
            </Box>
          ) : (
            <RunTable runs={runs} />
          )}
        </Section>
      </Stack>
    </>
  );
}

/** What somebody has to answer before it goes on. */
function Asking({ asking }: Pick<Route.ComponentProps["loaderData"], "asking">) {
  if (asking.runs.length + asking.chores.length === 0) return null;
  return (
    <Section title="Waiting for an answer">
      <ul className="hx-plain-list">
        {asking.runs.map((one) => (
          <li key={one.id}>
            <KeepLink to={`/runs/${one.id}`}>{`Run ${one.id}`}</KeepLink>: {one.runbook} on {one.component}, by {one.by}
          </li>
        ))}
        {asking.chores.map((one) => (
          <li key={one.id}>
            Housekeeping: <KeepLink to={`/runbooks/housekeeping/${one.id}`}>{one.name}</KeepLink>
          </li>
        ))}
      </ul>
    </Section>
  );
}
