import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { Form } from "react-router";
import { dayAndTime, spokenDuration } from "#core/time/windows";
import type { Route } from "./+types/prevention";
import { useAnswer } from "../shell/answer";
import { act, formOf, idFrom, missing } from "../shell/answers.server";
import { useShell } from "../shell/window";
import { KeepLink } from "../ui/KeepLink";
import { Caption, Empty, PageHead, Problem, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";
import { RightButton } from "../ui/RightButton";

type Page = Route.ComponentProps["loaderData"];

export const meta: Route.MetaFunction = ({ loaderData }) => [
  { title: `Prevention of ${loaderData?.incident.title ?? "an incident"} · Holotaxis` },
];

export async function loader({ params, context }: Route.LoaderArgs) {
  const id = idFrom(params.id, "incident");
  const page = await context.ask("prevention", { id, nowMs: context.now() });
  if (!page) throw missing("incident", params.id);
  return page;
}

export async function action({ request, params, context }: Route.ActionArgs) {
  const form = await formOf(request);
  const text = (name: string) => String(form.get(name) ?? "");
  const done =
    form.get("intent") === "remove"
      ? await act(context, "note.remove", { id: Number(form.get("note")) })
      : await act(context, "note.add", {
          incidentId: idFrom(params.id, "incident"),
          metric: text("metric"),
          title: text("title"),
          text: text("text"),
        });
  return done.ok ? { ok: true as const } : done.refusal;
}

export default function Prevention({ loaderData: page, actionData: answered }: Route.ComponentProps) {
  const answer = useAnswer(answered);
  const refusal = answer && "problem" in answer ? answer : undefined;
  const best = page.rules[0];
  return (
    <>
      <PageHead
        name={`Incidents › ${page.incident.id} › Prevention`}
        sentence={
          best
            ? `A rule could have told of it ${spokenDuration(best.soonerMs)} sooner.`
            : "No rule that was tried would have told of it sooner."
        }
        actions={<KeepLink to={`/incidents/${page.incident.id}`}>{page.incident.title}</KeepLink>}
      />
      <Problem>{refusal?.problem ?? null}</Problem>
      <Stack sx={{ gap: 1.5 }}>
        <Sooner page={page} />
        <Section title="A policy that would have repaired it">
          <PolicyOf page={page} />
        </Section>
        {page.note ? <NoteForm note={page.note} fields={refusal?.fields ?? {}} /> : null}
      </Stack>
    </>
  );
}

/** Rules that would have told sooner, tried on this incident and on the fortnight before. */
function Sooner({ page }: { page: Page }) {
  return (
    <Section title="Rules that would have told sooner" pad={page.rules.length === 0}>
      {page.rules.length === 0 ? (
        <Empty>
          {page.cause
            ? `The figures of ${page.cause.name} and of what is next to it, judged by closer limits and by what is usual for them, told nothing before the first alarm.`
            : "It is not known which component was the cause. Confirm it on the incident first."}
        </Empty>
      ) : (
        <PlainTable>
          <thead>
            <tr>
              <th scope="col">Figure</th>
              <th scope="col">Rule</th>
              <th scope="col" className="num">
                Sooner by
              </th>
              <th scope="col" className="num">
                Other alarms in 14 d
              </th>
              <th scope="col">Actions</th>
            </tr>
          </thead>
          <tbody>
            {page.rules.map((one) => (
              <tr key={`${one.figure}${one.what}`}>
                <td className="top">{one.figure}</td>
                <td className="top">
                  {one.what}
                  <Caption>{one.words}</Caption>
                </td>
                <td className="num top">{spokenDuration(one.soonerMs)}</td>
                <td className="num top">{one.others}</td>
                <td className="line top">
                  <KeepLink to={ruleLink(one)}>Open a rule with it</KeepLink>
                </td>
              </tr>
            ))}
          </tbody>
        </PlainTable>
      )}
    </Section>
  );
}

function ruleLink({ type, fields }: Page["rules"][number]): string {
  const { type: _type, enabled: _enabled, ...rest } = fields;
  return `/setup/rules/new?${new URLSearchParams({ ...rest, detector: type })}`;
}

function PolicyOf({ page }: { page: Page }) {
  if (!page.run)
    return (
      <Empty>
        No run for this incident is proved. When one is, a policy that would have started it is filled in here.
      </Empty>
    );
  if (page.run.policy) return <p className="hx-flush">The policy “{page.run.policy}” repaired it.</p>;
  return (
    <p className="hx-flush">
      Run {page.run.id}, “{page.run.runbook}”, is proved:{" "}
      <KeepLink to={`/runbooks/policies/new?run=${page.run.id}`}>make a policy of it</KeepLink>. It begins by watching.
    </p>
  );
}

/** What whoever meets the next of its kind should know. */
function NoteForm({ note, fields }: { note: NonNullable<Page["note"]>; fields: Readonly<Record<string, string>> }) {
  const { window: now } = useShell();
  return (
    <Section title={`A note for the next alarm of ${note.title}`}>
      <Stack sx={{ gap: 1.5 }}>
        {note.written.map((one) => (
          <Form method="post" key={one.id}>
            <input type="hidden" name="note" value={one.id} />
            <strong>{one.title}</strong>
            <p className="hx-flush" style={{ whiteSpace: "pre-line" }}>
              {one.text}
            </p>
            <Caption>
              {one.by_whom}, {dayAndTime(one.at, now.nowMs, true)}
            </Caption>
            <RightButton right="respond" type="submit" name="intent" value="remove" size="small" color="error">
              Remove
            </RightButton>
          </Form>
        ))}
        <Form method="post" key={note.written[0]?.id ?? 0}>
          <input type="hidden" name="metric" value={note.metric} />
          <Stack sx={{ gap: 1.5, alignItems: "flex-start" }}>
            <TextField
              label="Title"
              name="title"
              error={fields.title !== undefined}
              helperText={fields.title}
              fullWidth
              required
            />
            <TextField
              label="What to look at, what helped, what did not"
              name="text"
              multiline
              minRows={3}
              error={fields.text !== undefined}
              helperText={
                fields.text ?? "One thought a line. It stands on every incident that begins with such an alarm."
              }
              fullWidth
              required
            />
            <Stack direction="row" sx={{ gap: 1 }}>
              <RightButton right="respond" type="submit" variant="contained">
                Keep the note
              </RightButton>
              <Button href="/runbooks/notes.json">All notes as a kit</Button>
            </Stack>
          </Stack>
        </Form>
      </Stack>
    </Section>
  );
}
