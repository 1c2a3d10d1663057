import Button from "@mui/material/Button";
import { Form, Link as RouterLink, useSearchParams } from "react-router";
import { z } from "zod";
import { hoursInWords } from "#core/telling/week-hours";
import { DAY_MS, dayAndTime } from "#core/time/windows";
import type { Route } from "./+types/on-call";
import { useAnswer } from "../shell/answer";
import { act, formOf, readForm } from "../shell/answers.server";
import { applyChanges, useChangeParams } from "../shell/params";
import { useKeep, useShell } from "../shell/window";
import { KeepLink } from "../ui/KeepLink";
import { OverrideForm } from "../ui/oncall/OverrideForm";
import { ShiftBars } from "../ui/oncall/ShiftBars";
import { Caption, Empty, PageHead, Problem, Section } from "../ui/Page";
import { PlainButton } from "../ui/PlainButton";
import { RightButton } from "../ui/RightButton";

export const meta: Route.MetaFunction = () => [{ title: "On call · Holotaxis" }];

const SPANS = [7, 14, 28] as const;
const asked = z.object({ days: z.coerce.number().min(1).max(62).catch(7).default(7) });

export async function loader({ request, context }: Route.LoaderArgs) {
  const nowMs = context.now();
  const { days } = asked.parse(Object.fromEntries(new URL(request.url).searchParams));
  const fromMs = Math.floor(nowMs / DAY_MS) * DAY_MS;
  const toMs = fromMs + days * DAY_MS;
  return { ...(await context.ask("onCall", { fromMs, toMs, nowMs })), fromMs, toMs, nowMs, days };
}

const id = z.coerce.number().int().min(1);
const instant = (what: string) =>
  z.string().transform((text, context) => {
    const ms = /^\d{4}-\d{2}-\d{2} \d{1,2}:\d{2}$/.test(text.trim())
      ? Date.parse(`${text.trim().replace(" ", "T")}Z`)
      : Number.NaN;
    if (Number.isFinite(ms)) return ms;
    context.addIssue({ code: "custom", message: `Say ${what}, as 2026-03-17 08:00 (UTC).` });
    return z.NEVER;
  });
const schema = z.discriminatedUnion("intent", [
  z.object({
    intent: z.literal("add"),
    rotation: id,
    person: z.coerce.number("Choose who takes over.").int().min(1, "Choose who takes over."),
    from: instant("from when"),
    to: instant("until when"),
    remark: z.string().default(""),
  }),
  z.object({ intent: z.literal("remove"), id }),
]);

export async function action({ request, context }: Route.ActionArgs) {
  const form = readForm(await formOf(request), schema);
  if (!form.ok) return form.refusal;
  const { value } = form;
  const done =
    value.intent === "remove"
      ? await act(context, "override.remove", { id: value.id })
      : await act(context, "override.add", {
          rotationId: value.rotation,
          person: value.person,
          fromMs: value.from,
          toMs: value.to,
          remark: value.remark,
        });
  return done.ok ? { ok: true as const } : done.refusal;
}

type Data = Route.ComponentProps["loaderData"];

export default function OnCall({ loaderData: page, actionData: answered }: Route.ComponentProps) {
  const answer = useAnswer(answered);
  const keep = useKeep();
  const [params] = useSearchParams();
  const changeParams = useChangeParams();
  const { rotations } = page;
  const gaps = rotations.reduce((sum, one) => sum + one.gaps.length, 0);
  return (
    <>
      <PageHead
        name="On call"
        sentence={
          rotations.length
            ? `${rotations.map((one) => `${one.name}: ${one.now?.name ?? "nobody"}`).join("; ")}.${gaps ? ` ${gaps} ${gaps === 1 ? "gap" : "gaps"} in the cover within 60 days.` : ""}`
            : "There is no rotation yet: nobody is on call."
        }
        actions={
          <>
            {SPANS.map((one) => (
              <PlainButton
                key={one}
                pressed={page.days === one}
                onClick={() => changeParams((next) => applyChanges(next, { days: one === 7 ? "" : String(one) }))}
              >
                {one} d
              </PlainButton>
            ))}
            <Button component={RouterLink} to={keep("/on-call/new")} variant="contained">
              Add a rotation
            </Button>
          </>
        }
      />
      <Problem>{answer && "problem" in answer ? answer.problem : null}</Problem>
      <div style={{ display: "grid", gap: 12 }} key={params.toString()}>
        {rotations.length ? (
          rotations.map((one) => <Rotation key={one.id} rotation={one} page={page} />)
        ) : (
          <Empty>A rotation says who takes turns and when. Notification rules can then tell whoever is on call.</Empty>
        )}
      </div>
    </>
  );
}

function Rotation({ rotation, page }: { rotation: Data["rotations"][number]; page: Data }) {
  const { window: now } = useShell();
  const at = (ms: number) => `${dayAndTime(ms, now.nowMs)} UTC`;
  return (
    <Section
      title={rotation.name}
      aside={
        <span className="hx-row">
          <a className="hx-link" href={`/on-call/${rotation.id}/calendar.ics`} download>
            iCalendar
          </a>
          <KeepLink to={`/on-call/${rotation.id}`}>Edit</KeepLink>
        </span>
      }
    >
      <p className="hx-flush">
        <strong>{rotation.now?.name ?? "Nobody"}</strong> until{" "}
        {rotation.now ? at(rotation.now.toMs) : "further notice"}
        {rotation.next ? `, then ${rotation.next.name ?? "nobody"}` : ""}.{" "}
        <span className="hx-caption">
          {rotation.cover ? `Cover ${hoursInWords(rotation.cover)}` : "Cover at all hours"}, {rotation.zone}.
        </span>
      </p>
      <ShiftBars rotation={rotation} fromMs={page.fromMs} toMs={page.toMs} nowMs={page.nowMs} />
      {rotation.gaps.length ? (
        <p className="hx-bad">
          {rotation.gaps.length} {rotation.gaps.length === 1 ? "gap" : "gaps"} in the cover within 60 days, the first
          from {at((rotation.gaps[0] as { fromMs: number }).fromMs)} to{" "}
          {at((rotation.gaps[0] as { toMs: number }).toMs)}.
        </p>
      ) : (
        <Caption>No gap in the cover within 60 days.</Caption>
      )}
      {rotation.overrides.length ? (
        <ul className="hx-plain-list">
          {rotation.overrides.map((one) => (
            <li key={one.id} className="hx-row">
              {one.name} from {at(one.fromMs)} to {at(one.toMs)}
              {one.remark ? `: ${one.remark}` : ""} <span className="hx-caption">by {one.madeBy}</span>
              <Form method="post">
                <input type="hidden" name="id" value={one.id} />
                <RightButton
                  right="respond"
                  type="submit"
                  name="intent"
                  value="remove"
                  size="small"
                  aria-label={`Take back: ${one.name} from ${at(one.fromMs)}`}
                >
                  Take back
                </RightButton>
              </Form>
            </li>
          ))}
        </ul>
      ) : null}
      <OverrideForm rotation={rotation} people={page.people} nowMs={page.nowMs} />
    </Section>
  );
}
