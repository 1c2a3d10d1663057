import type { Route } from "./+types/setup.audit-csv";
import { auditAsked } from "../shell/audit.server";
import { csvAnswer } from "../shell/csv";

const MOST_ROWS = 50_000;

/** The audit record of a window as CSV, newest first. */
export async function loader({ request, context }: Route.LoaderArgs) {
  const asked = auditAsked(request, context.now());
  const { rows } = await context.ask("audit", { ...asked, page: 0, pageSize: MOST_ROWS });
  return csvAnswer(
    [
      [
        "entry",
        "time",
        "person",
        "through",
        "address",
        "command",
        "about",
        "action",
        "outcome",
        "reason",
        "before",
        "after",
      ],
      ...rows.map((row) => [
        row.id,
        new Date(row.at).toISOString(),
        row.who,
        row.via,
        row.address,
        row.command,
        row.subject,
        row.summary,
        row.outcome,
        row.reason,
        row.before,
        row.after,
      ]),
    ],
    "audit",
  );
}
