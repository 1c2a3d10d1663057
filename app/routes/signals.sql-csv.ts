import type { Route } from "./+types/signals.sql-csv";
import { csvAnswer } from "../shell/csv";
import { MOST_STATEMENT } from "../shell/sql";

const MOST_ROWS = 100_000;

/** The rows of a statement as CSV. */
export async function loader({ request, context }: Route.LoaderArgs) {
  const sql = (new URL(request.url).searchParams.get("q") ?? "").slice(0, MOST_STATEMENT);
  try {
    const { columns, rows } = await context.runSql(sql, MOST_ROWS);
    return csvAnswer([columns, ...rows], "statement");
  } catch (error) {
    if (error instanceof Error && error.name === "PersonError") throw new Response(error.message, { status: 400 });
    throw error;
  }
}
