import Stack from "@mui/material/Stack";
import { z } from "zod";
import { dayAndTime, spokenDuration } from "#core/time/windows";
import type { Route } from "./+types/alarms";
import { useAnswer } from "../shell/answer";
import { act, formOf, readForm } from "../shell/answers.server";
import { useShell } from "../shell/window";
import { windowOf } from "../shell/window.server";
import { AdviceOf } from "../ui/alarms/AdviceOf";
import { AlarmTable } from "../ui/alarms/AlarmTable";
import { LoadFigures } from "../ui/alarms/LoadFigures";
import { ShelfList } from "../ui/alarms/ShelfList";
import { WorstRules } from "../ui/alarms/WorstRules";
import { Empty, PageHead, Problem, Section } from "../ui/Page";

export const meta: Route.MetaFunction = () => [{ title: "Alarms · Holotaxis" }];

const ruleAsked = z.coerce.number().int().min(1).nullable().catch(null);

export async function loader({ request, context }: Route.LoaderArgs) {
  const { fromMs, toMs, atMs } = windowOf(request, context.now());
  const rule = ruleAsked.parse(new URL(request.url).searchParams.get("advice"));
  const [page, advice] = await Promise.all([
    context.ask("alarms", { fromMs, toMs, atMs }),
    rule === null ? null : context.ask("ruleAdvice", { id: rule, toMs }),
  ]);
  return { ...page, advice };
}

const shelving = z.object({ id: z.coerce.number().int(), reason: z.string(), hours: z.string() });
const commenting = z.object({ id: z.coerce.number().int(), text: z.string() });
const one = z.object({ id: z.coerce.number().int() });

export async function action({ request, context }: Route.ActionArgs) {
  const { intent, ...fields } = Object.fromEntries(await formOf(request));
  const data = new FormData();
  for (const [name, value] of Object.entries(fields)) data.set(name, value);
  if (intent === "shelve") {
    const form = readForm(data, shelving);
    if (!form.ok) return form.refusal;
    const done = await act(context, "alarm.shelve", { ...form.value, hours: Number(form.value.hours) });
    return done.ok ? { ok: true as const } : done.refusal;
  }
  if (intent === "comment") {
    const form = readForm(data, commenting);
    if (!form.ok) return form.refusal;
    const done = await act(context, "alarm.comment", form.value);
    return done.ok ? { ok: true as const } : done.refusal;
  }
  const form = readForm(data, one);
  if (!form.ok) return form.refusal;
  const done = await act(context, intent === "unshelve" ? "alarm.unshelve" : "alarm.acknowledge", form.value);
  return done.ok ? { ok: true as const } : done.refusal;
}

type Data = Route.ComponentProps["loaderData"];

function sentenceOf({ total, quiet, load }: Data, spanMs: number): string {
  const stand = total === 0 ? "No alarm stands" : `${total} ${total === 1 ? "alarm stands" : "alarms stand"}`;
  const kept = quiet ? `, ${quiet} of them kept quiet` : "";
  return `${stand}${kept}. ${load.count} ${load.count === 1 ? "was" : "were"} raised in ${spokenDuration(spanMs)}.`;
}

export default function Alarms({ loaderData: page, actionData: answered }: Route.ComponentProps) {
  const answer = useAnswer(answered);
  const { window: now } = useShell();
  return (
    <>
      <PageHead name="Incidents › Alarms and load" sentence={sentenceOf(page, now.toMs - now.fromMs)} />
      <Problem>{answer && "problem" in answer ? answer.problem : null}</Problem>
      <Stack sx={{ gap: 1.5 }}>
        <Section
          title={page.total > page.alarms.length ? `The worst ${page.alarms.length} of ${page.total}` : "Standing"}
          pad={false}
        >
          {page.alarms.length === 0 ? (
            <div className="hx-pad">
              <Empty>Nothing is in alarm.</Empty>
            </div>
          ) : (
            <AlarmTable alarms={page.alarms} nowMs={now.nowMs} />
          )}
        </Section>
        {page.shelves.length ? <ShelfList shelves={page.shelves} nowMs={now.nowMs} /> : null}
        <Section title="Load on whoever is on shift">
          <LoadFigures load={page.load} acceptable={page.acceptable} shares={page.shares} nowMs={now.nowMs} />
        </Section>
        {page.load.worstRules.length ? <WorstRules rules={page.load.worstRules} /> : null}
        {page.advice ? <AdviceOf advice={page.advice} /> : null}
        <p className="hx-caption">As of {dayAndTime(now.toMs, now.nowMs)}.</p>
      </Stack>
    </>
  );
}
