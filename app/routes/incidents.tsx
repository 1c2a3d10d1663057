import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { Link as RouterLink, useSearchParams } from "react-router";
import { dayAndTime, spokenDuration } from "#core/time/windows";
import type { Route } from "./+types/incidents";
import { INCIDENT_ORDERS, INCIDENT_STATES } from "../shell/incident-lists";
import { incidentsAsked } from "../shell/incidents.server";
import { applyChanges, useChangeParams } from "../shell/params";
import { useTyped } from "../shell/typed";
import { useKeep, useShell } from "../shell/window";
import { KeepLink } from "../ui/KeepLink";
import { Caption, Empty, PageHead, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";
import { SeverityLabel } from "../ui/SeverityMark";

export const meta: Route.MetaFunction = () => [{ title: "Incidents · Holotaxis" }];

export async function loader({ request, context }: Route.LoaderArgs) {
  const { asked, fromMs, question } = incidentsAsked(request, context.now());
  const [rows, services, people] = await Promise.all([
    context.ask("incidents", question),
    context.ask("serviceNames", {}),
    context.ask("peopleNames", {}),
  ]);
  return { asked, fromMs, rows, services, people };
}

const ORDER_WORDS = {
  newest: "Newest first",
  oldest: "Oldest first",
  priority: "Most urgent first",
  longest: "Longest first",
  alarms: "Most alarms first",
} as const;

type Line = Route.ComponentProps["loaderData"]["rows"][number];

/** What it was, or what it most likely is. */
function causeWords({ confirmed, causes: [first] }: Line): string {
  if (confirmed) return `it was ${confirmed.name}`;
  return first ? `likeliest cause ${first.name}, ${Math.round(first.probability * 100)} %` : "";
}

export default function Incidents({ loaderData: { rows, asked, fromMs, services, people } }: Route.ComponentProps) {
  const { window: now } = useShell();
  const keep = useKeep();
  const changeParams = useChangeParams();
  const change = (changes: Record<string, string>, replace = false) =>
    changeParams((next) => applyChanges(next, changes), replace);
  const [typed, setTyped] = useTyped(asked.q, (q) => change({ q }, true), 250);
  const [params] = useSearchParams();
  const choose = { inputLabel: { shrink: true }, select: { displayEmpty: true } };
  const { state } = asked;
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
          <Stack direction="row" sx={{ gap: 0.5 }}>
            <Button component={RouterLink} to={keep("/incidents/triage")} color="inherit">
              Triage a complaint
            </Button>
            <Button component={RouterLink} to={keep("/incidents/notifications")} color="inherit">
              Notifications
            </Button>
            <Button component={RouterLink} to={keep("/incidents/shift")} color="inherit">
              Shift
            </Button>
            <Button component={RouterLink} to={keep("/incidents/planned-work")} color="inherit">
              Planned work
            </Button>
            <Button component={RouterLink} to={keep("/incidents/alarms")} color="inherit">
              Alarms and load
            </Button>
          </Stack>
        }
      />
      <Stack direction="row" sx={{ gap: 1, mb: 1, alignItems: "center", flexWrap: "wrap" }}>
        <TextField
          label="Title, cause or number"
          type="search"
          value={typed}
          onChange={(event) => setTyped(event.target.value)}
          sx={{ width: 240 }}
          slotProps={{ htmlInput: { maxLength: 100 } }}
        />
        <Stack direction="row" role="group" aria-label="Show" sx={{ gap: 0.5 }}>
          {INCIDENT_STATES.map((one) => (
            <Button
              key={one}
              onClick={() => change({ state: one === "all" ? "" : one })}
              variant={state === one ? "outlined" : "text"}
              color="inherit"
            >
              {one}
            </Button>
          ))}
        </Stack>
        <TextField
          select
          label="Service"
          value={asked.service ?? ""}
          onChange={(event) => change({ service: event.target.value })}
          sx={{ width: 180 }}
          slotProps={choose}
        >
          <MenuItem value="">any</MenuItem>
          {services.map((one) => (
            <MenuItem key={one.id} value={one.id}>
              {one.name}
            </MenuItem>
          ))}
        </TextField>
        <TextField
          select
          label="With"
          value={asked.with}
          onChange={(event) => change({ with: event.target.value })}
          sx={{ width: 190 }}
          slotProps={choose}
        >
          <MenuItem value="">anybody or nobody</MenuItem>
          <MenuItem value="nobody">nobody</MenuItem>
          {people.map((one) => (
            <MenuItem key={one} value={one}>
              {one}
            </MenuItem>
          ))}
        </TextField>
        <TextField
          select
          label="Order"
          value={asked.order}
          onChange={(event) => change({ order: event.target.value === "newest" ? "" : event.target.value })}
          sx={{ width: 170 }}
        >
          {INCIDENT_ORDERS.map((one) => (
            <MenuItem key={one} value={one}>
              {ORDER_WORDS[one]}
            </MenuItem>
          ))}
        </TextField>
        <Button component="a" href={`/incidents.csv?${params.toString()}`} color="inherit">
          CSV
        </Button>
      </Stack>
      <Section title={`${ORDER_WORDS[asked.order]}: ${rows.length}`} pad={false}>
        {rows.length === 0 ? (
          <Box sx={{ p: 1.5 }}>
            <Empty>No incidents. Alarms of minor severity and above open one automatically.</Empty>
          </Box>
        ) : (
          <PlainTable>
            <thead>
              <tr>
                <th scope="col">Severity</th>
                <th scope="col" className="num">
                  Priority
                </th>
                <th scope="col">Incident</th>
                <th scope="col">Since</th>
                <th scope="col">Duration</th>
                <th scope="col" className="num">
                  Alarms
                </th>
                <th scope="col">With</th>
                <th scope="col">State</th>
              </tr>
            </thead>
            <tbody>
              {rows.map((row) => (
                <tr key={row.id}>
                  <td>
                    <SeverityLabel severity={row.isOpen && row.severity !== "cleared" ? row.severity : row.worst} />
                  </td>
                  <td className="num">{row.shownPriority}</td>
                  <td>
                    <KeepLink to={`/incidents/${row.id}`} strong={row.isOpen}>
                      {row.title}
                    </KeepLink>
                    <Caption>{causeWords(row)}</Caption>
                  </td>
                  <td>{dayAndTime(row.opened_at, now.nowMs)}</td>
                  <td>{spokenDuration((row.isOpen ? now.atMs : (row.resolved_at as number)) - row.opened_at)}</td>
                  <td className="num">{row.alarmCount}</td>
                  <td>{row.taken_by ?? "nobody"}</td>
                  <td>{row.isOpen ? (row.waiting_for ? `waits for ${row.waiting_for}` : "open") : "resolved"}</td>
                </tr>
              ))}
            </tbody>
          </PlainTable>
        )}
      </Section>
    </>
  );
}
