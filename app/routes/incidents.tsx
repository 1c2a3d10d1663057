import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import { Link as RouterLink } from "react-router";
import { DAY_MS, dayAndTime, spokenDuration } from "#core/time/windows";
import type { Route } from "./+types/incidents";
import { useKeep, useShell } from "../shell/window";
import { windowOf } from "../shell/window.server";
import { KeepLink } from "../ui/KeepLink";
import { Empty, PageHead, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";
import { SeverityLabel } from "../ui/SeverityMark";

export const meta: Route.MetaFunction = () => [{ title: "Incidents · Holotaxis" }];

const STATES = ["all", "open", "resolved"] as const;
/** A list of incidents reaches back two weeks from the end of the window, whatever its width. */
const REACH_MS = 14 * DAY_MS;

export async function loader({ request, context }: Route.LoaderArgs) {
  const window = windowOf(request, context.now());
  const state = STATES.find((one) => one === new URL(request.url).searchParams.get("state")) ?? "all";
  const fromMs = Math.min(window.fromMs, window.atMs - REACH_MS);
  return { state, fromMs, rows: await context.ask("incidents", { fromMs, toMs: window.atMs, state }) };
}

export default function Incidents({ loaderData: { rows, state, fromMs } }: Route.ComponentProps) {
  const { window: now } = useShell();
  const keep = useKeep();
  const open = rows.filter((row) => row.isOpen);
  return (
    <>
      <PageHead
        name="Incidents"
        sentence={
          open.length
            ? `${open.length} open ${open.length === 1 ? "incident" : "incidents"}; ${rows.length - open.length} resolved since ${dayAndTime(fromMs, now.nowMs)}.`
            : `No incident is open${state === "open" ? "." : `; ${rows.length} resolved since ${dayAndTime(fromMs, now.nowMs)}.`}`
        }
        actions={
          <Stack direction="row" role="group" aria-label="Show" sx={{ gap: 0.5 }}>
            <Button component={RouterLink} to={keep("/incidents/alarms")} color="inherit">
              Alarms and load
            </Button>
            {STATES.map((one) => (
              <Button
                key={one}
                component={RouterLink}
                to={keep(`/incidents?state=${one}`)}
                variant={state === one ? "outlined" : "text"}
                color="inherit"
              >
                {one}
              </Button>
            ))}
          </Stack>
        }
      />
      <Section title="Newest first" pad={false}>
        {rows.length === 0 ? (
          <Box sx={{ p: 1.5 }}>
            <Empty>No incidents. Alarms of minor severity and above open one automatically.</Empty>
          </Box>
        ) : (
          <PlainTable>
            <thead>
              <tr>
                <th scope="col">Severity</th>
                <th scope="col">Incident</th>
                <th scope="col">Since</th>
                <th scope="col">Duration</th>
                <th scope="col" className="num">
                  Alarms
                </th>
                <th scope="col">Taken by</th>
                <th scope="col">State</th>
              </tr>
            </thead>
            <tbody>
              {rows.map((row) => (
                <tr key={row.id}>
                  <td>
                    <SeverityLabel severity={row.isOpen && row.severity !== "cleared" ? row.severity : row.worst} />
                  </td>
                  <td>
                    <KeepLink to={`/incidents/${row.id}`} strong={row.isOpen}>
                      {row.title}
                    </KeepLink>
                  </td>
                  <td>{dayAndTime(row.opened_at, now.nowMs)}</td>
                  <td>{spokenDuration((row.isOpen ? now.atMs : (row.resolved_at as number)) - row.opened_at)}</td>
                  <td className="num">{row.alarmCount}</td>
                  <td>{row.taken_by ?? "–"}</td>
                  <td>{row.isOpen ? "open" : "resolved"}</td>
                </tr>
              ))}
            </tbody>
          </PlainTable>
        )}
      </Section>
    </>
  );
}
