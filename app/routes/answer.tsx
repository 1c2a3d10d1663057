import { Form, redirect, useNavigation } from "react-router";
import { z } from "zod";
import type { Route } from "./+types/answer";
import { act, formOf, readForm } from "../shell/answers.server";
import { KeepLink } from "../ui/KeepLink";
import { PageHead, Problem, Section } from "../ui/Page";
import { RightButton } from "../ui/RightButton";

export const meta: Route.MetaFunction = () => [{ title: "Answer a message · Holotaxis" }];

const codeSchema = z.object({
  incident: z.number().int().min(1),
  act: z.enum(["take", "pass-on", "shelve"]),
  to: z.string(),
});

/** What a link says it is for; whether it is ours is checked when it is used. */
function read(code: string) {
  try {
    const text = atob((code.split(".")[0] ?? "").replaceAll("-", "+").replaceAll("_", "/"));
    return codeSchema.parse(JSON.parse(new TextDecoder().decode(Uint8Array.from(text, (one) => one.charCodeAt(0)))));
  } catch {
    throw new Response("This link is not whole. Copy it from the message again, or open the incident.", {
      status: 404,
    });
  }
}

export async function loader({ params, context }: Route.LoaderArgs) {
  const asked = read(params.code);
  const page = await context.ask("incident", { id: asked.incident, nowMs: context.now(), root: context.root });
  if (!page) throw new Response(`There is no incident ${asked.incident} any more.`, { status: 404 });
  return {
    asked,
    sentence: page.sentence,
    title: page.incident.title,
    takenBy: page.incident.taken_by,
    people: page.people,
  };
}

const schema = z.object({
  to: z.string().default(""),
  reason: z.string().default(""),
  hours: z.coerce.number("Say for how many hours.").default(4),
});

export async function action({ request, params, context }: Route.ActionArgs) {
  const form = readForm(await formOf(request), schema);
  if (!form.ok) return form.refusal;
  const done = await act(context, "message.answer", { code: params.code, ...form.value });
  return done.ok ? redirect(`/incidents/${done.value.incident}`) : done.refusal;
}

const WORDS = { take: "Take it", "pass-on": "Pass it on", shelve: "Shelve its alarms" } as const;

/** What a link in a message asks for: one press after signing in. */
export default function AnswerPage({ loaderData: page, actionData }: Route.ComponentProps) {
  const { asked } = page;
  const busy = useNavigation().state !== "idle";
  return (
    <>
      <PageHead name={`Incident ${asked.incident}`} sentence={page.sentence} />
      <Problem>{actionData?.problem ?? null}</Problem>
      <Section title={WORDS[asked.act]}>
        <p>
          {page.takenBy ? `With ${page.takenBy} at present.` : "Nobody has taken it yet."} The link was sent to{" "}
          {asked.to}.
        </p>
        <Form method="post" className="hx-ask">
          {asked.act === "pass-on" ? (
            <label className="hx-caption">
              To
              <select className="hx-select" name="to" required defaultValue="">
                <option value="" disabled>
                  choose
                </option>
                {page.people.map((one) => (
                  <option key={one}>{one}</option>
                ))}
              </select>
            </label>
          ) : null}
          {asked.act === "take" ? null : (
            <label className="hx-caption hx-grow">
              {asked.act === "shelve" ? "Reason" : "What they should know"}
              <input className="hx-input" name="reason" maxLength={200} required={asked.act === "shelve"} />
            </label>
          )}
          {asked.act === "shelve" ? (
            <label className="hx-caption">
              Hours
              <input
                className="hx-input"
                name="hours"
                type="number"
                min={0.25}
                max={720}
                step={0.25}
                defaultValue={4}
              />
            </label>
          ) : null}
          <RightButton right="respond" type="submit" variant="contained" disabled={busy}>
            {WORDS[asked.act]}
          </RightButton>
        </Form>
      </Section>
      <KeepLink to={`/incidents/${asked.incident}`}>Open the incident</KeepLink>
    </>
  );
}
