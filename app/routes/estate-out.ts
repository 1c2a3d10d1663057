import Papa from "papaparse";
import type { Route } from "./+types/estate-out";
import { askedOf, questionOf } from "../shell/estate-filter";
import { windowOf } from "../shell/window.server";

/** No list that people open has more rows. */
const MOST_ROWS = 100_000;

/** The components that fit a filter, as CSV or JSON. */
export async function loader({ request, context }: Route.LoaderArgs) {
  const { atMs } = windowOf(request, context.now());
  const asked = askedOf(request);
  const { rows } = await context.ask("estate", { ...questionOf(asked, atMs), page: 0, pageSize: MOST_ROWS });
  const out = rows.map((row) => ({
    id: row.id,
    name: row.name,
    kind: row.kind,
    site: row.site,
    address: row.address ?? "",
    services: row.services ?? "",
    labels: row.labels ?? "",
    health: row.severity,
    lastSeen: new Date(row.lastSeenAt).toISOString(),
  }));
  const isJson = new URL(request.url).pathname.endsWith(".json");
  return new Response(isJson ? JSON.stringify(out, null, 1) : `${Papa.unparse(out, { escapeFormulae: true })}\n`, {
    headers: {
      "Content-Type": isJson ? "application/json" : "text/csv; charset=utf-8",
      "Content-Disposition": `attachment; filename="estate.${isJson ? "json" : "csv"}"`,
    },
  });
}
