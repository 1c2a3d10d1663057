import Papa from "papaparse";
import type { Route } from "./+types/changes-csv";
import { changesAsked } from "../shell/changes.server";

const MOST_ROWS = 20_000;

/** The changes that an address asks for, with their tickets, as CSV. */
export async function loader({ request, context }: Route.LoaderArgs) {
  const { lines } = await context.ask("changes", changesAsked(request, context.now(), MOST_ROWS).question);
  const rows = lines.map((line) => ({
    at: new Date(line.at).toISOString(),
    kind: line.kind,
    component: line.component ?? "",
    what: line.summary,
    by: line.by_whom,
    ticket: line.ref ?? "",
    standing: line.standing ?? "",
    why: line.reason,
  }));
  return new Response(`${Papa.unparse(rows, { escapeFormulae: true })}\n`, {
    headers: {
      "Content-Type": "text/csv; charset=utf-8",
      "Content-Disposition": 'attachment; filename="changes.csv"',
    },
  });
}
