import Box from "@mui/material/Box";
import { z } from "zod";
import { spokenDuration } from "#core/time/windows";
import type { Route } from "./+types/setup.drills";
import { useAnswer } from "../shell/answer";
import { act, readForm, formOf } from "../shell/answers.server";
import type { TrailStep } from "#server/store/drills";
import { useShell } from "../shell/window";
import { Attempts } from "../ui/drills/Attempts";
import { BlindDrill } from "../ui/drills/BlindDrill";
import { ClockPace } from "../ui/drills/ClockPace";
import { DrillList } from "../ui/drills/DrillList";
import { PageHead, Problem } from "../ui/Page";

export const meta: Route.MetaFunction = () => [{ title: "Drills · Holotaxis" }];

export async function loader({ context }: Route.LoaderArgs) {
  const drills = await context.tell("drills").catch(() => undefined);
  const records = await context.ask("attempts", {});
  const me = context.who?.name;
  // What somebody is to find out is told to nobody: not which drill runs, nor that it is one of the list.
  const secret = new Set(
    records.filter((one) => one.isBlind && one.revealedAt === null && one.endedAt === null).map((one) => one.drill),
  );
  const mine = records.find((one) => one.isBlind && one.byWhom === me && one.revealedAt === null);
  return {
    reachable: drills !== undefined,
    hasDrills: Boolean(drills),
    drills: (drills ?? []).map(({ activeSinceMs, ...drill }) => ({
      ...drill,
      ended: undefined,
      activeSinceMs: secret.has(drill.id) ? undefined : activeSinceMs,
    })),
    blind: mine
      ? {
          id: mine.id,
          startedAt: mine.startedAt,
          tries: mine.tries,
          found: mine.roots.length,
          isOver: mine.endedAt !== null,
        }
      : null,
    records: records.map(({ drill: _drill, title, ...one }) => ({
      ...one,
      title: one.isBlind && one.revealedAt === null ? null : title,
    })),
  };
}

const attempt = z.coerce.number().int().min(1);
const schema = z.discriminatedUnion("intent", [
  z.object({ intent: z.enum(["start", "stop"]), id: z.string().min(1).max(60) }),
  z.object({ intent: z.literal("blind"), group: z.string().default("") }),
  z.object({ intent: z.literal("pace"), pace: z.coerce.number("The pace is a number from 1 to 60.") }),
  z.object({ intent: z.literal("name"), attempt, cause: z.string(), trail: z.string() }),
  z.object({ intent: z.enum(["nothing", "give-up"]), attempt, trail: z.string(), cause: z.string().optional() }),
]);

/** The pages that the browser noted; none where they cannot be read. */
function stepsOf(text: string): TrailStep[] {
  const steps = z.array(z.object({ atMs: z.number(), path: z.string().max(300) })).max(400);
  try {
    return steps.parse(JSON.parse(text));
  } catch {
    return [];
  }
}

export async function action({ request, context }: Route.ActionArgs) {
  const form = readForm(await formOf(request), schema);
  if (!form.ok) return form.refusal;
  const { value } = form;
  switch (value.intent) {
    case "start":
    case "stop": {
      const done = await act(context, "drill.act", { id: value.id, action: value.intent });
      return done.ok ? { ok: true as const } : done.refusal;
    }
    case "blind": {
      const done = await act(context, "drill.blind", { group: value.group });
      return done.ok ? { ok: true as const } : done.refusal;
    }
    case "pace": {
      const done = await act(context, "drill.pace", { pace: value.pace });
      return done.ok ? { ok: true as const } : done.refusal;
    }
    case "give-up": {
      const done = await act(context, "drill.reveal", { attempt: value.attempt, trail: stepsOf(value.trail) });
      return done.ok ? { ok: true as const } : done.refusal;
    }
    case "name":
    case "nothing": {
      const trail = stepsOf(value.trail);
      const said =
        value.intent === "name"
          ? await act(context, "drill.name", { attempt: value.attempt, cause: value.cause, trail })
          : await act(context, "drill.nothing", { attempt: value.attempt, trail });
      return said.ok ? { ok: true as const, verdict: said.value } : said.refusal;
    }
  }
}

export default function Drills({ loaderData, actionData: answered }: Route.ComponentProps) {
  const actionData = useAnswer(answered);
  const { drills, reachable, hasDrills, blind, records } = loaderData;
  const { window: now } = useShell();
  const active = drills.filter((drill) => drill.activeSinceMs !== undefined);
  const sentence = !reachable
    ? "The stand-in estate does not answer, so no drill can be started. Restart the demo."
    : !hasDrills
      ? "Drills need the stand-in estate; this installation watches a real one."
      : blind
        ? `A blind drill has been running for ${spokenDuration(now.nowMs - blind.startedAt)}. Find what is wrong from Watch, then name it here.`
        : active.length
          ? `Running: ${active.map((drill) => `“${drill.title}”, for ${spokenDuration(now.nowMs - (drill.activeSinceMs ?? now.nowMs))}`).join("; ")}.`
          : "No drill is running. Start one, then find the fault from Watch, as on a shift.";
  return (
    <>
      <PageHead name="Setup › Drills" sentence={sentence} />
      <Problem>{actionData && "problem" in actionData ? actionData.problem : null}</Problem>
      {hasDrills ? (
        <Box sx={{ display: "grid", gap: 1.5 }}>
          <BlindDrill
            blind={blind}
            verdict={actionData && "verdict" in actionData ? actionData.verdict : undefined}
            anyRunning={active.length > 0}
            groups={[...new Set(drills.map((drill) => drill.group))].filter(Boolean)}
          />
          <ClockPace />
          <Attempts records={records} />
          <DrillList drills={drills} />
        </Box>
      ) : null}
    </>
  );
}
