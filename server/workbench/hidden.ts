import type { Db } from "../store/database";

/** Tables whose contents nobody reads by SQL: what opens doors, and who did what. */
const HIDDEN = [
  "account",
  "password",
  "session",
  "invitation",
  "token",
  "enrolment",
  "credential",
  "vault_key",
  "audit",
  "drill_attempt",
];

/** What SQLite's program for a statement does to open a table or an index: their page is its second operand. */
const OPENS = new Set(["OpenRead", "OpenWrite", "ReopenIdx"]);

/**
 * The hidden table that a statement would read, if any. It looks at the program that SQLite makes of the statement
 * (EXPLAIN), so it does not matter how the table is written, or by which view or index it is reached.
 */
export function hiddenTable(db: Db, sql: string): string | undefined {
  const names = HIDDEN.map(() => "?").join(", ");
  const pages = new Map(
    (
      db
        .prepare(`SELECT rootpage, tbl_name AS name FROM sqlite_schema WHERE tbl_name IN (${names}) AND rootpage > 0`)
        .all(...HIDDEN) as { rootpage: number; name: string }[]
    ).map((row) => [row.rootpage, row.name]),
  );
  for (const row of db.prepare(`EXPLAIN ${sql}`).iterate() as Iterable<{ opcode: string; p2: number; p3: number }>)
    if (OPENS.has(row.opcode) && row.p3 === 0 && pages.has(row.p2)) return pages.get(row.p2);
  return undefined;
}
