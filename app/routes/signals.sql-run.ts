import type { Route } from "./+types/signals.sql-run";
import { MOST_STATEMENT } from "../shell/sql";

const MOST_ROWS = 1000;

/** What a statement answered is not asked for again by itself. */
export const shouldRevalidate = () => false;

/** Runs one reading statement and answers with its rows, or a sentence. */
export async function loader({ request, context }: Route.LoaderArgs) {
  const sql = (new URL(request.url).searchParams.get("q") ?? "").slice(0, MOST_STATEMENT);
  try {
    return { ok: true as const, sql, result: await context.runSql(sql, MOST_ROWS) };
  } catch (error) {
    if (error instanceof Error && error.name === "PersonError")
      return { ok: false as const, sql, problem: error.message };
    throw error;
  }
}
