import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { Link, useSearchParams } from "react-router";
import { dayAndTime, spokenDuration } from "#core/time/windows";
import type { Route } from "./+types/changes";
import { changesAsked } from "../shell/changes.server";
import { applyChanges, useChangeParams } from "../shell/params";
import { useTyped } from "../shell/typed";
import { useShell } from "../shell/window";
import { KeepLink } from "../ui/KeepLink";
import { Empty, PageHead, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";
import { Rows } from "../ui/Rows";

export const meta: Route.MetaFunction = () => [{ title: "Changes · Holotaxis" }];

const MOST_LINES = 500;

export async function loader({ request, context }: Route.LoaderArgs) {
  const { asked, question } = changesAsked(request, context.now(), MOST_LINES);
  return { ...(await context.ask("changes", question)), asked };
}

type Data = Route.ComponentProps["loaderData"];

/** How a change stands to its ticket, in words. */
const WORDS = {
  planned: "with a ticket",
  outside: "outside its window",
  more: "more than the ticket says",
  none: "without a ticket",
} as const;

const whole = (count: number) => count.toLocaleString("en-GB");

function sentenceOf({ all, counts, hasTickets }: Data, spanMs: number): string {
  const what = `${whole(all)} ${all === 1 ? "change" : "changes"} in ${spokenDuration(spanMs)}`;
  if (!hasTickets) return `${what}. No source tells of tickets, so none can be said to lack one.`;
  const wrong = (["none", "outside", "more"] as const).flatMap((one) =>
    counts[one] ? [`${whole(counts[one])} ${WORDS[one]}`] : [],
  );
  return `${what}: ${wrong.length ? wrong.join(", ") : "all that need a ticket have one"}.`;
}

/** The form of a rule with what the list is narrowed to: without a choice, what ought to have a ticket and has none. */
const ruleOf = ({ q, kind, standing }: Data["asked"]) =>
  new URLSearchParams({
    detector: "changes",
    scope: "kind:*",
    words: q,
    kind,
    standing: standing === "" || standing === "planned" ? "wrong" : standing,
  }).toString();

export default function Changes({ loaderData: page }: Route.ComponentProps) {
  const { window: now } = useShell();
  const [params] = useSearchParams();
  const changeParams = useChangeParams();
  const change = (changes: Record<string, string>, replace = false) =>
    changeParams((next) => applyChanges(next, changes), replace);
  const [typed, setTyped] = useTyped(page.asked.q, (q) => change({ q }, true), 250);
  const choose = { inputLabel: { shrink: true }, select: { displayEmpty: true } };
  return (
    <>
      <PageHead name="Estate › Changes" sentence={sentenceOf(page, now.toMs - now.fromMs)} />
      <Stack direction="row" sx={{ gap: 1, mb: 1, alignItems: "center", flexWrap: "wrap" }}>
        <TextField
          label="Component, words or who"
          type="search"
          value={typed}
          onChange={(event) => setTyped(event.target.value)}
          sx={{ width: 260 }}
          slotProps={{ htmlInput: { maxLength: 100 } }}
        />
        <TextField
          select
          label="Kind"
          value={page.asked.kind}
          onChange={(event) => change({ kind: event.target.value })}
          sx={{ width: 160 }}
          slotProps={choose}
        >
          <MenuItem value="">All kinds</MenuItem>
          {page.kinds.map((kind) => (
            <MenuItem key={kind} value={kind}>
              {kind}
            </MenuItem>
          ))}
        </TextField>
        <TextField
          select
          label="Ticket"
          value={page.asked.standing}
          onChange={(event) => change({ standing: event.target.value })}
          sx={{ width: 230 }}
          slotProps={choose}
        >
          <MenuItem value="">With and without</MenuItem>
          {(["none", "outside", "more", "planned"] as const).map((one) => (
            <MenuItem key={one} value={one}>
              {WORDS[one][0]?.toUpperCase()}
              {WORDS[one].slice(1)} ({whole(page.counts[one])})
            </MenuItem>
          ))}
        </TextField>
        <a className="hx-link" href={`/estate/changes.csv?${params.toString()}`} download="changes.csv">
          CSV
        </a>
        <KeepLink to="/estate/differences">What is different now</KeepLink>
        <Link className="hx-link" to={`/setup/rules/new?${ruleOf(page.asked)}`}>
          Make a rule of this
        </Link>
      </Stack>
      <Section
        title={
          page.total > page.lines.length
            ? `The latest ${whole(page.lines.length)} of ${whole(page.total)}`
            : `Changes: ${whole(page.total)}`
        }
        pad={false}
      >
        {page.lines.length === 0 ? (
          <div className="hx-pad">
            <Empty>None. Widen the window on the ribbon, or take a filter off.</Empty>
          </div>
        ) : (
          <ChangeTable lines={page.lines} nowMs={now.nowMs} />
        )}
      </Section>
    </>
  );
}

function ChangeTable({ lines, nowMs }: { lines: Data["lines"]; nowMs: number }) {
  return (
    <PlainTable>
      <thead>
        <tr>
          <th scope="col">When</th>
          <th scope="col">What</th>
          <th scope="col">Kind</th>
          <th scope="col">By</th>
          <th scope="col">Ticket</th>
        </tr>
      </thead>
      <tbody>
        <Rows rows={lines} columns={5}>
          {(line) => (
            <tr key={line.id}>
              <td style={{ whiteSpace: "nowrap" }}>{dayAndTime(line.at, nowMs)}</td>
              <td style={{ maxWidth: 560 }}>
                {line.component_id === null ? null : (
                  <KeepLink to={`/estate/${line.component_id}`}>{line.component ?? "a component"}</KeepLink>
                )}{" "}
                {told(line)}
                {line.detail ? <div className="hx-quiet">{line.detail}</div> : null}
              </td>
              <td>{line.kind}</td>
              <td>{line.by_whom}</td>
              <td>
                {line.ref ? `${line.ref} ` : ""}
                {line.standing && line.standing !== "planned" ? <b>{WORDS[line.standing]}</b> : null}
                {line.reason ? <div className="hx-quiet">{line.reason}</div> : null}
              </td>
            </tr>
          )}
        </Rows>
      </tbody>
    </PlainTable>
  );
}

/** The summary without the name that stands before it already. */
const told = ({ component, summary }: Data["lines"][number]): string =>
  component && summary.startsWith(`${component}: `) ? summary.slice(component.length + 2) : summary;
