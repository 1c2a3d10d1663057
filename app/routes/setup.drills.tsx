import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { Form, useNavigation } from "react-router";
import { z } from "zod";
import { dayAndTime, spokenDuration } from "#core/time/windows";
import type { Route } from "./+types/setup.drills";
import { act, readForm, formOf } from "../shell/answers.server";
import { useShell } from "../shell/window";
import { Empty, PageHead, Problem, Section } from "../ui/Page";
import { RightButton } from "../ui/RightButton";

export const meta: Route.MetaFunction = () => [{ title: "Drills · Holotaxis" }];

export async function loader({ context }: Route.LoaderArgs) {
  const drills = await context.tell("drills").catch(() => undefined);
  return { drills: drills ?? null, reachable: drills !== undefined };
}

const schema = z.object({ id: z.string().min(1).max(60), intent: z.enum(["start", "stop"]) });

export async function action({ request, context }: Route.ActionArgs) {
  const form = readForm(await formOf(request), schema);
  if (!form.ok) return form.refusal;
  const done = await act(context, "drill.act", { id: form.value.id, action: form.value.intent });
  return done.ok ? { ok: true as const } : done.refusal;
}

export default function Drills({ loaderData: { drills, reachable }, actionData }: Route.ComponentProps) {
  const { window: now } = useShell();
  const busy = useNavigation().state === "submitting";
  const active = drills?.filter((drill) => drill.activeSinceMs !== undefined) ?? [];
  const sentence = !reachable
    ? "The stand-in estate does not answer, so no drill can be started. Restart the demo."
    : !drills
      ? "Drills need the stand-in estate; this installation watches a real one."
      : active.length
        ? `Running: ${active.map((drill) => `“${drill.title}”, for ${spokenDuration(now.nowMs - (drill.activeSinceMs ?? now.nowMs))}`).join("; ")}.`
        : "No drill is running. Start one, then find the fault from Watch, as on a shift.";
  return (
    <>
      <PageHead name="Setup › Drills" sentence={sentence} />
      <Problem>{actionData && "problem" in actionData ? actionData.problem : null}</Problem>
      <Box sx={{ display: "grid", gap: 1.5, gridTemplateColumns: "repeat(2, minmax(0, 1fr))" }}>
        {drills?.map((drill) => (
          <Section
            key={drill.id}
            title={drill.title}
            aside={
              <Form method="post">
                <input type="hidden" name="id" value={drill.id} />
                <RightButton
                  right="respond"
                  type="submit"
                  name="intent"
                  value={drill.activeSinceMs === undefined ? "start" : "stop"}
                  disabled={busy}
                  variant={drill.activeSinceMs === undefined ? "contained" : "outlined"}
                  aria-label={`${drill.activeSinceMs === undefined ? "Start" : "End"}: ${drill.title}`}
                >
                  {drill.activeSinceMs === undefined ? "Start" : "End"}
                </RightButton>
              </Form>
            }
          >
            <Typography variant="body2" sx={{ mb: 1 }}>
              {drill.story}
            </Typography>
            {drill.activeSinceMs === undefined ? null : (
              <Empty>Running since {dayAndTime(drill.activeSinceMs, now.nowMs, true)}.</Empty>
            )}
            <details>
              <summary style={{ fontSize: "0.84rem", cursor: "pointer" }}>Answer</summary>
              <Typography variant="body2" sx={{ mt: 0.5 }}>
                Cause: {drill.cause}. Repair: {drill.repair}.
              </Typography>
            </details>
          </Section>
        ))}
      </Box>
    </>
  );
}
