import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import { Form, Link as RouterLink } from "react-router";
import { dayAndTime, spokenDuration } from "#core/time/windows";
import type { Route } from "./+types/planned-work";
import { useAnswer } from "../shell/answer";
import { act, formOf, idFrom } from "../shell/answers.server";
import { useKeep, useShell } from "../shell/window";
import { windowOf } from "../shell/window.server";
import { KeepLink } from "../ui/KeepLink";
import { Empty, PageHead, Problem, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";
import { RightButton } from "../ui/RightButton";

export const meta: Route.MetaFunction = () => [{ title: "Planned work · Holotaxis" }];

export async function loader({ request, context }: Route.LoaderArgs) {
  return context.ask("plannedWork", { atMs: windowOf(request, context.now()).atMs });
}

export async function action({ request, context }: Route.ActionArgs) {
  const id = idFrom(String((await formOf(request)).get("id")), "planned work");
  const ended = await act(context, "work.end", { id });
  return ended.ok ? null : ended.refusal;
}

type Data = Route.ComponentProps["loaderData"];

function sentenceOf({ rows, tickets }: Data, nowMs: number): string {
  const underWay = rows.filter((one) => one.isUnderWay);
  const quiet = underWay.reduce((sum, one) => sum + one.quiet, 0);
  const kept = quiet === 0 ? "keeps no alarm quiet so far" : `keeps ${quiet} ${quiet === 1 ? "alarm" : "alarms"} quiet`;
  if (underWay.length === 1) return `“${underWay[0]?.title}” is under way and ${kept}.`;
  if (underWay.length > 1)
    return `${underWay.length} works are under way, which together ${kept.replace("keeps", "keep")}.`;
  const next = [...rows.flatMap((one) => one.window?.fromMs ?? []), ...tickets.map((one) => one.fromMs)]
    .filter((atMs) => atMs > nowMs)
    .sort((a, b) => a - b)[0];
  return next === undefined
    ? "No work is planned. Alarms raised during planned work are counted and open no incident."
    : `No work planned by hand is under way; the next work begins ${dayAndTime(next, nowMs)}.`;
}

export default function PlannedWork({ loaderData: page, actionData: answered }: Route.ComponentProps) {
  const answer = useAnswer(answered);
  const { window: now } = useShell();
  const keep = useKeep();
  return (
    <>
      <PageHead
        name="Incidents › Planned work"
        sentence={sentenceOf(page, now.atMs)}
        actions={
          <Button component={RouterLink} to={keep("/incidents/planned-work/new")} variant="contained">
            Plan work
          </Button>
        }
      />
      <Problem>{answer?.problem ?? null}</Problem>
      <Stack sx={{ gap: 1.5 }}>
        <Section title="Planned by hand" pad={false}>
          {page.rows.length === 0 ? (
            <div className="hx-pad">
              <Empty>Nobody planned work here. What the change desk plans stands below.</Empty>
            </div>
          ) : (
            <ByHand rows={page.rows} nowMs={now.atMs} />
          )}
        </Section>
        <Section title="From tickets, the next 7 days" pad={false}>
          {page.tickets.length === 0 ? (
            <div className="hx-pad">
              <Empty>No ticket has a window in the next 7 days.</Empty>
            </div>
          ) : (
            <FromTickets tickets={page.tickets} nowMs={now.atMs} />
          )}
        </Section>
      </Stack>
    </>
  );
}

function ByHand({ rows, nowMs }: { rows: Data["rows"]; nowMs: number }) {
  return (
    <PlainTable aria-label="Planned by hand">
      <thead>
        <tr>
          <th scope="col">Work</th>
          <th scope="col">On</th>
          <th scope="col" className="num">
            Components
          </th>
          <th scope="col">Repeats</th>
          <th scope="col">Now or next</th>
          <th scope="col" className="num">
            Kept quiet
          </th>
          <th scope="col">By</th>
          <th scope="col">Actions</th>
        </tr>
      </thead>
      <tbody>
        {rows.map((one) => (
          <tr key={one.id}>
            <td>
              <KeepLink to={`/incidents/planned-work/${one.id}`}>{one.title}</KeepLink>
            </td>
            <td>{one.scope}</td>
            <td className="num">{one.covers}</td>
            <td>
              {one.repeats} ({one.zone})
            </td>
            <td>
              {one.window === null
                ? "over"
                : one.isUnderWay
                  ? `under way until ${dayAndTime(one.window.toMs, nowMs)}`
                  : dayAndTime(one.window.fromMs, nowMs)}
            </td>
            <td className="num">{one.isUnderWay ? one.quiet : ""}</td>
            <td>{one.by}</td>
            <td>
              {one.isUnderWay ? (
                <Form method="post">
                  <input type="hidden" name="id" value={one.id} />
                  <RightButton right="respond" type="submit" size="small" aria-label={`End now: ${one.title}`}>
                    End now
                  </RightButton>
                </Form>
              ) : null}
            </td>
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}

function FromTickets({ tickets, nowMs }: { tickets: Data["tickets"]; nowMs: number }) {
  return (
    <PlainTable aria-label="From tickets">
      <thead>
        <tr>
          <th scope="col">Ticket</th>
          <th scope="col">Begins</th>
          <th scope="col">Takes</th>
          <th scope="col" className="num">
            Things named
          </th>
          <th scope="col">Alarms meanwhile</th>
          <th scope="col">By</th>
        </tr>
      </thead>
      <tbody>
        {tickets.map((one) => (
          <tr key={`${one.ref} ${one.fromMs}`}>
            <td>{one.title.startsWith(one.ref) ? one.title : `${one.ref}: ${one.title}`}</td>
            <td className="line">{dayAndTime(one.fromMs, nowMs)}</td>
            <td className="line">{spokenDuration(one.toMs - one.fromMs)}</td>
            <td className="num">{one.things}</td>
            <td>{one.isQuiet ? "kept quiet" : "heard: more than 12 h is when it may be done"}</td>
            <td>{one.person}</td>
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}
