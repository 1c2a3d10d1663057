import { prepared, type Db } from "./database";

export interface AuditRow {
  id: number;
  at: number;
  who: string;
  via: string;
  command: string;
  summary: string;
  outcome: "done" | "refused";
  reason: string | null;
}

export function insertAudit(db: Db, entry: Omit<AuditRow, "id" | "at"> & { atMs: number }): void {
  prepared(db, "INSERT INTO audit (at, who, via, command, summary, outcome, reason) VALUES (?, ?, ?, ?, ?, ?, ?)").run(
    entry.atMs,
    entry.who,
    entry.via,
    entry.command,
    entry.summary.slice(0, 400),
    entry.outcome,
    entry.reason?.slice(0, 400) ?? null,
  );
}

/** The audit record in a window, newest first. */
export function auditIn(db: Db, fromMs: number, toMs: number, limit: number, offset: number): AuditRow[] {
  return prepared<AuditRow>(
    db,
    `SELECT id, at, who, via, command, summary, outcome, reason FROM audit WHERE at >= ? AND at <= ? ORDER BY id DESC
     LIMIT ? OFFSET ?`,
  ).all(fromMs, toMs, limit, offset);
}

export function countAudit(db: Db, fromMs: number, toMs: number): number {
  return (
    prepared<{ count: number }>(db, "SELECT count(*) AS count FROM audit WHERE at >= ? AND at <= ?").get(fromMs, toMs)
      ?.count ?? 0
  );
}
