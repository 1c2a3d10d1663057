import Papa from "papaparse";
import type { Route } from "./+types/incidents-csv";
import { incidentsAsked } from "../shell/incidents.server";

/** The incidents that an address asks for, as CSV. */
export async function loader({ request, context }: Route.LoaderArgs) {
  const rows = await context.ask("incidents", incidentsAsked(request, context.now()).question);
  const lines = rows.map((row) => ({
    incident: row.id,
    title: row.title,
    state: row.isOpen ? "open" : "resolved",
    priority: row.shownPriority,
    "priority reason": row.priority_reason,
    severity: row.worst,
    opened: new Date(row.opened_at).toISOString(),
    resolved: row.resolved_at === null ? "" : new Date(row.resolved_at).toISOString(),
    services: row.services.map((one) => one.name).join(", "),
    alarms: row.alarmCount,
    with: row.taken_by ?? "",
    "waiting for": row.waiting_for,
    cause: row.confirmed?.name ?? row.causes[0]?.name ?? "",
    "cause probability": row.confirmed ? "" : (row.causes[0]?.probability ?? ""),
    confirmed: row.confirmed ? "yes" : "",
  }));
  return new Response(`${Papa.unparse(lines, { escapeFormulae: true })}\n`, {
    headers: {
      "Content-Type": "text/csv; charset=utf-8",
      "Content-Disposition": 'attachment; filename="incidents.csv"',
    },
  });
}
