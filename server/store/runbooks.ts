import type { Runbook, RunbookState } from "#core/repair/runbook";
import { prepared, type Db } from "./database";

export interface RunbookRow {
  id: number;
  uid: string;
  name: string;
  /** The approved version, or while there is none the newest draft. */
  definition: Runbook;
  state: RunbookState;
  version: number;
}

type Raw = Omit<RunbookRow, "definition"> & { definition: string };
const SELECT = "SELECT id, uid, name, definition, state, version FROM runbook";
const toRunbook = (row: Raw): RunbookRow => ({ ...row, definition: JSON.parse(row.definition) as Runbook });

export interface VersionRow {
  version: number;
  definition: Runbook;
  state: RunbookState;
  remark: string;
  made_by: string;
  made_at: number;
  approved_by: string | null;
  approved_at: number | null;
}

/** Who writes the runbooks that ship with the kits. */
export const KIT = "kit";

export function listRunbooks(db: Db): RunbookRow[] {
  return prepared<Raw>(db, `${SELECT} ORDER BY name`).all().map(toRunbook);
}

/** Those that may be run: with an approved version, and not retired. */
export const approvedRunbooks = (db: Db): RunbookRow[] => listRunbooks(db).filter((one) => one.state === "approved");

export function runbookById(db: Db, id: number): RunbookRow | undefined {
  const row = prepared<Raw>(db, `${SELECT} WHERE id = ?`).get(id);
  return row && toRunbook(row);
}

export function runbookByUid(db: Db, uid: string): RunbookRow | undefined {
  const row = prepared<Raw>(db, `${SELECT} WHERE uid = ?`).get(uid);
  return row && toRunbook(row);
}

/** All versions, newest first. */
export const versionsOf = (db: Db, runbookId: number): VersionRow[] =>
  prepared<Omit<VersionRow, "definition"> & { definition: string }>(
    db,
    `SELECT version, definition, state, remark, made_by, made_at, approved_by, approved_at FROM runbook_version
     WHERE runbook_id = ? ORDER BY version DESC`,
  )
    .all(runbookId)
    .map((row) => ({ ...row, definition: JSON.parse(row.definition) as Runbook }));

/** Adds a version; one without an approved version shows its newest. Call inside a transaction. @returns id and version */
export function addVersion(
  db: Db,
  runbook: Runbook,
  given: { state: "draft" | "approved"; remark: string; by: string; atMs: number },
): { id: number; version: number } {
  const json = JSON.stringify(runbook);
  prepared(
    db,
    `INSERT INTO runbook (uid, name, definition, updated_at, state, version) VALUES (?, ?, ?, ?, ?, 0)
     ON CONFLICT (uid) DO NOTHING`,
  ).run(runbook.uid, runbook.name, json, given.atMs, given.state);
  const { id } = runbookByUid(db, runbook.uid) as RunbookRow;
  const version = (versionsOf(db, id)[0]?.version ?? 0) + 1;
  prepared(
    db,
    `INSERT INTO runbook_version (runbook_id, version, definition, state, remark, made_by, made_at, approved_by, approved_at)
     VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)`,
  ).run(
    id,
    version,
    json,
    given.state,
    given.remark,
    given.by,
    given.atMs,
    given.state === "approved" ? given.by : null,
    given.state === "approved" ? given.atMs : null,
  );
  settle(db, id, given.atMs);
  return { id, version };
}

/** Brings a version to a state: tried, approved or retired. Call inside a transaction. */
export function setVersionState(
  db: Db,
  id: number,
  version: number,
  state: RunbookState,
  by: string,
  atMs: number,
): void {
  prepared(
    db,
    `UPDATE runbook_version SET state = ?, approved_by = CASE WHEN ? = 'approved' THEN ? ELSE approved_by END,
       approved_at = CASE WHEN ? = 'approved' THEN ? ELSE approved_at END WHERE runbook_id = ? AND version = ?`,
  ).run(state, state, by, state, atMs, id, version);
  settle(db, id, atMs);
}

/** A draft that was run to a good end has been tried. */
export function noteTried(db: Db, id: number, version: number): void {
  prepared(
    db,
    "UPDATE runbook_version SET state = 'tried' WHERE runbook_id = ? AND version = ? AND state = 'draft'",
  ).run(id, version);
  prepared(db, "UPDATE runbook SET state = 'tried' WHERE id = ? AND version = ? AND state = 'draft'").run(id, version);
}

/** Retires a runbook or takes it up again. */
export function setRetired(db: Db, id: number, isRetired: boolean, atMs: number): void {
  if (isRetired) prepared(db, "UPDATE runbook SET state = 'retired', updated_at = ? WHERE id = ?").run(atMs, id);
  else {
    prepared(db, "UPDATE runbook SET state = 'draft' WHERE id = ?").run(id);
    settle(db, id, atMs);
  }
}

/** Which version runs: the newest that is approved, else the newest of all. */
function settle(db: Db, id: number, atMs: number): void {
  const versions = versionsOf(db, id);
  const shown = versions.find((one) => one.state === "approved") ?? versions[0];
  if (!shown || runbookById(db, id)?.state === "retired") return;
  prepared(db, "UPDATE runbook SET name = ?, definition = ?, version = ?, state = ?, updated_at = ? WHERE id = ?").run(
    shown.definition.name,
    JSON.stringify(shown.definition),
    shown.version,
    shown.state,
    atMs,
    id,
  );
}

/** Offers a runbook of a kit: a new version where the kit's last one was another and nobody wrote one since. */
export function offerRunbook(db: Db, runbook: Runbook, atMs: number): void {
  const known = runbookByUid(db, runbook.uid);
  const versions = known ? versionsOf(db, known.id) : [];
  if (versions.some((one) => one.made_by !== KIT)) return;
  if (versions[0] && JSON.stringify(versions[0].definition) === JSON.stringify(runbook)) return;
  addVersion(db, runbook, { state: "approved", remark: "", by: KIT, atMs });
}
