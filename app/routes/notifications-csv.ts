import Papa from "papaparse";
import type { Route } from "./+types/notifications-csv";
import { messagesAsked } from "../shell/notifications.server";

const MOST = 20_000;

/** What was told to whom, as CSV. */
export async function loader({ request, context }: Route.LoaderArgs) {
  const { messages } = await context.ask("messages", messagesAsked(request, context.now(), MOST));
  const iso = (ms: number | null) => (ms === null ? "" : new Date(ms).toISOString());
  const lines = messages.map((one) => ({
    message: one.id,
    made: iso(one.madeAt),
    to: one.name,
    address: one.address,
    channel: one.channel,
    occasion: one.moment,
    taken_by: one.takenBy ?? "",
    incident: one.incidentId ?? "",
    title: one.title ?? "",
    subject: one.subject,
    why: one.why,
    state: one.state,
    tries: one.tries,
    ended: iso(one.endedAt),
    answer: one.answer,
  }));
  return new Response(`${Papa.unparse(lines, { escapeFormulae: true })}\n`, {
    headers: {
      "Content-Type": "text/csv; charset=utf-8",
      "Content-Disposition": 'attachment; filename="notifications.csv"',
    },
  });
}
