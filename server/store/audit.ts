import { createHash } from "node:crypto";
import { prepared, type Db } from "./database";

export interface AuditRow {
  id: number;
  at: number;
  who: string;
  /** Way by which they came in. */
  via: string;
  /** Where from; empty for what this machine does itself. */
  address: string;
  command: string;
  /** What it was about, as "rule:4"; empty for the whole installation. */
  subject: string;
  summary: string;
  outcome: "done" | "refused";
  reason: string | null;
  /** The thing before and after, as JSON; NULL where there was none. */
  before: string | null;
  after: string | null;
}

export type AuditEntry = Omit<AuditRow, "id" | "at" | "address" | "subject" | "before" | "after"> & {
  atMs: number;
  address?: string;
  subject?: string;
  before?: unknown;
  after?: unknown;
};

const MOST_STATE = 4_000;
const COLUMNS = "id, at, who, via, address, command, subject, summary, outcome, reason, before, after";

/** A state as JSON, cut off where it is very long; NULL for none. */
function stateText(state: unknown): string | null {
  if (state === undefined || state === null) return null;
  const text = JSON.stringify(state);
  return text.length <= MOST_STATE ? text : JSON.stringify(`${text.slice(0, MOST_STATE)} …`);
}

/** Hash of an entry that follows one with the hash `before`: SHA-256 over that and the entry's fields as a JSON list. */
export function chainHash(before: Uint8Array | null, row: AuditRow): Buffer {
  const fields = COLUMNS.split(", ").map((column) => row[column as keyof AuditRow]);
  return createHash("sha256")
    .update(before ?? "")
    .update(JSON.stringify(fields))
    .digest();
}

const lastHash = (db: Db): Buffer | null =>
  prepared<{ hash: Buffer | null }>(db, "SELECT hash FROM audit ORDER BY id DESC LIMIT 1").get()?.hash ?? null;

/** Adds an entry to the end of the chain. */
export function insertAudit(db: Db, entry: AuditEntry): void {
  db.transaction(() => {
    const before = lastHash(db);
    const id = (prepared<{ id: number | null }>(db, "SELECT max(id) AS id FROM audit").get()?.id ?? 0) + 1;
    const row: AuditRow = {
      id,
      at: entry.atMs,
      who: entry.who,
      via: entry.via,
      address: entry.address ?? "",
      command: entry.command,
      subject: entry.subject ?? "",
      summary: entry.summary.slice(0, 400),
      outcome: entry.outcome,
      reason: entry.reason?.slice(0, 400) ?? null,
      before: stateText(entry.before),
      after: stateText(entry.after),
    };
    prepared(db, `INSERT INTO audit (${COLUMNS}, hash) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`).run(
      ...COLUMNS.split(", ").map((column) => row[column as keyof AuditRow]),
      chainHash(before, row),
    );
  }).immediate();
}

function* allRows(db: Db): Generator<AuditRow & { hash: Buffer | null }> {
  const page = db.prepare(`SELECT ${COLUMNS}, hash FROM audit WHERE id > ? ORDER BY id LIMIT 500`);
  for (let after = 0; ;) {
    const rows = page.all(after) as (AuditRow & { hash: Buffer | null })[];
    if (!rows.length) return;
    yield* rows;
    after = rows.at(-1)?.id as number;
  }
}

/** Puts entries of versions that kept no chain into it; later ones are left as they are. */
export function chainUp(db: Db): void {
  const first = prepared<{ id: number | null }>(db, "SELECT min(id) AS id FROM audit WHERE hash IS NULL").get()?.id;
  if (first === null || first === undefined) return;
  db.transaction(() => {
    let before: Buffer | null = null;
    for (const { hash, ...row } of allRows(db)) {
      const own: Buffer = hash ?? chainHash(before, row);
      if (!hash) prepared(db, "UPDATE audit SET hash = ? WHERE id = ?").run(own, row.id);
      before = own;
    }
  })();
}

export interface ChainCheck {
  entries: number;
  /** Hash of the last entry: whoever noted it down knows later whether the end was cut off. */
  head: string;
  /** The first entry that is not what it was, or that does not follow the one before it. */
  broken: { id: number; why: string } | null;
}

/** Goes through the whole chain, oldest first. */
export function verifyAudit(db: Db): ChainCheck {
  let before: Buffer | null = null;
  let entries = 0;
  let expected = 1;
  for (const { hash, ...row } of allRows(db)) {
    const broken = (why: string): ChainCheck => ({
      entries,
      head: before?.toString("hex") ?? "",
      broken: { id: row.id, why },
    });
    if (row.id !== expected) return broken(`entry ${expected} is missing`);
    if (!hash) return broken(`entry ${row.id} is not part of the chain`);
    if (!hash.equals(chainHash(before, row))) return broken(`entry ${row.id} is not what was written`);
    before = hash;
    entries++;
    expected = row.id + 1;
  }
  return { entries, head: before?.toString("hex") ?? "", broken: null };
}

/** The entry with a hash, in hexadecimal digits. */
export const entryOfHash = (db: Db, hash: string): number | undefined =>
  prepared<{ id: number }>(db, "SELECT id FROM audit WHERE hash = ?").get(Buffer.from(hash, "hex"))?.id;

export interface AuditFilter {
  fromMs: number;
  toMs: number;
  /** Part of a person's name, of an action or of an address. */
  search?: string;
  outcome?: "done" | "refused" | "";
  /** First part of a command's name, as "rule". */
  area?: string;
}

function where(filter: AuditFilter): { sql: string; values: unknown[] } {
  const parts = ["at >= ?", "at <= ?"];
  const values: unknown[] = [filter.fromMs, filter.toMs];
  if (filter.search) {
    parts.push("instr(lower(who || ' ' || summary || ' ' || address || ' ' || ifnull(reason, '')), lower(?)) > 0");
    values.push(filter.search);
  }
  if (filter.outcome) {
    parts.push("outcome = ?");
    values.push(filter.outcome);
  }
  if (filter.area) {
    parts.push("substr(command, 1, length(?) + 1) = ? || '.'");
    values.push(filter.area, filter.area);
  }
  return { sql: parts.join(" AND "), values };
}

/** The audit record, newest first. */
export function auditIn(db: Db, filter: AuditFilter, limit: number, offset: number): AuditRow[] {
  const { sql, values } = where(filter);
  return prepared<AuditRow>(db, `SELECT ${COLUMNS} FROM audit WHERE ${sql} ORDER BY id DESC LIMIT ? OFFSET ?`).all(
    ...values,
    limit,
    offset,
  );
}

export function countAudit(db: Db, filter: AuditFilter): number {
  const { sql, values } = where(filter);
  return prepared<{ count: number }>(db, `SELECT count(*) AS count FROM audit WHERE ${sql}`).get(...values)?.count ?? 0;
}

/** First parts of the names of all commands on record. */
export function auditAreas(db: Db): string[] {
  return prepared<{ area: string }>(
    db,
    "SELECT DISTINCT substr(command, 1, instr(command || '.', '.') - 1) AS area FROM audit ORDER BY area",
  )
    .all()
    .map((row) => row.area);
}
