import { useSearchParams } from "react-router";
import { z } from "zod";
import { HOUR_MS, clockTime, dayAndTime } from "#core/time/windows";
import type { Route } from "./+types/shift";
import { useAnswer } from "../shell/answer";
import { act, formOf, readForm } from "../shell/answers.server";
import { useShell } from "../shell/window";
import { windowOf } from "../shell/window.server";
import { applyChanges, useChangeParams } from "../shell/params";
import { PlainButton } from "../ui/PlainButton";
import { PageHead, Problem } from "../ui/Page";
import { HandOver } from "../ui/shift/HandOver";
import { CameIn, DoneByPeople, PlannedWork } from "../ui/shift/Happened";
import { OpenIncidents } from "../ui/shift/OpenIncidents";

export const meta: Route.MetaFunction = () => [{ title: "Shift · Holotaxis" }];

const HOURS = [8, 12, 24] as const;
const schema = z.object({ hours: z.coerce.number().min(1).max(168).catch(8).default(8) });

export async function loader({ request, context }: Route.LoaderArgs) {
  const { atMs } = windowOf(request, context.now());
  const { hours } = schema.parse(Object.fromEntries(new URL(request.url).searchParams));
  const fromMs = atMs - hours * HOUR_MS;
  return { ...(await context.ask("shift", { fromMs, toMs: atMs })), fromMs, atMs, hours };
}

const posted = z.discriminatedUnion("intent", [
  z.object({ intent: z.literal("hand-over"), hours: z.coerce.number(), remark: z.string() }),
  z.object({ intent: z.literal("take"), id: z.coerce.number().int().min(1) }),
]);

export async function action({ request, context }: Route.ActionArgs) {
  const form = readForm(await formOf(request), posted);
  if (!form.ok) return form.refusal;
  const { value } = form;
  const done =
    value.intent === "take"
      ? await act(context, "shift.take", { id: value.id })
      : await act(context, "shift.handover", { hours: value.hours, remark: value.remark });
  return done.ok ? { ok: true as const } : done.refusal;
}

const count = (many: number, one: string, more = `${one}s`) => `${many} ${many === 1 ? one : more}`;

/** The shift that ends now: what is handed to the next. */
export default function Shift({ loaderData: page, actionData: answered }: Route.ComponentProps) {
  const answer = useAnswer(answered);
  const { window: now } = useShell();
  const [params] = useSearchParams();
  const changeParams = useChangeParams();
  return (
    <>
      <PageHead
        name={`Incidents › Shift from ${dayAndTime(page.fromMs, now.nowMs)} to ${clockTime(page.atMs)}`}
        sentence={`${count(page.open.length, "incident")} open, ${page.cameIn.length} came in, ${page.resolved} resolved; ${count(page.load.raised, "alarm")} in ${page.hours} h, ${page.load.standing} standing.`}
        actions={
          <>
            {HOURS.map((one) => (
              <PlainButton
                key={one}
                pressed={page.hours === one}
                onClick={() => changeParams((next) => applyChanges(next, { hours: one === 8 ? "" : String(one) }))}
              >
                {one} h
              </PlainButton>
            ))}
            <PlainButton onClick={() => window.print()}>Print</PlainButton>
          </>
        }
      />
      <Problem>{answer && "problem" in answer ? answer.problem : null}</Problem>
      <div style={{ display: "grid", gap: 12 }} key={params.toString()}>
        <HandOver page={page} hours={page.hours} />
        <OpenIncidents open={page.open} />
        <CameIn cameIn={page.cameIn} />
        <DoneByPeople acts={page.acts} runs={page.runs} />
        <PlannedWork planned={page.planned} />
      </div>
    </>
  );
}
