import type { Route } from "./+types/on-call-calendar";
import { idFrom, missing } from "../shell/answers.server";

/** The shifts of a rotation as iCalendar. */
export async function loader({ params, context }: Route.LoaderArgs) {
  const calendar = await context.ask("rotationCalendar", { id: idFrom(params.id, "rotation"), nowMs: context.now() });
  if (!calendar) throw missing("rotation", params.id);
  return new Response(calendar.text, {
    headers: {
      "Content-Type": "text/calendar; charset=utf-8",
      "Content-Disposition": `attachment; filename="on-call-${params.id}.ics"`,
    },
  });
}
