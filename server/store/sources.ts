import type { Schedule } from "#core/time/schedule";
import { credentialById, insertCredential, updateCredential } from "./credentials";
import { prepared, type Db } from "./database";

export interface SourceRow {
  id: number;
  kind: string;
  name: string;
  site: string;
  /** By the schema of the kind's driver. */
  settings: unknown;
  credential_id: number | null;
  /** Undefined where nothing is polled. */
  pollSeconds: number | undefined;
  /** When it is swept by itself. */
  sweeps: Schedule;
  createdAt: number;
}

export interface SourceFields {
  kind: string;
  name: string;
  site: string;
  settings: unknown;
  pollSeconds?: number | undefined;
  sweeps?: Schedule | undefined;
}

const NEVER: Schedule = { every: "", quiet: "" };
const scheduleOf = ({ pollSeconds, sweeps }: SourceFields) =>
  JSON.stringify({ ...(pollSeconds === undefined ? {} : { pollSeconds }), ...(sweeps ? { sweeps } : {}) });

/** The credential that is made with a source and belongs to it alone. */
export interface OwnCredential {
  kind: string;
  destinations: string;
  /** Undefined leaves the secret as it is. */
  sealed: string | undefined;
}

const ownName = (fields: SourceFields) => `Source ${fields.name}`;

/** @param sealed the secret of its own credential; undefined where the kind needs none */
export function insertSource(
  db: Db,
  fields: SourceFields,
  sealed: string | undefined,
  atMs: number,
  own: Pick<OwnCredential, "kind" | "destinations"> = { kind: "snmp-community", destinations: "" },
): number {
  const credential =
    sealed === undefined
      ? null
      : insertCredential(db, { ...own, sealed, name: ownName(fields), about: {}, madeBy: "source", isOwn: true }, atMs);
  return Number(
    prepared(
      db,
      `INSERT INTO source (kind, name, site, settings, credential_id, schedule, created_at)
       VALUES (?, ?, ?, ?, ?, ?, ?)`,
    ).run(fields.kind, fields.name, fields.site, JSON.stringify(fields.settings), credential, scheduleOf(fields), atMs)
      .lastInsertRowid,
  );
}

export function updateSource(
  db: Db,
  id: number,
  fields: SourceFields,
  own: OwnCredential | undefined,
  atMs: number,
): void {
  prepared(db, "UPDATE source SET name = ?, site = ?, settings = ?, schedule = ? WHERE id = ?").run(
    fields.name,
    fields.site,
    JSON.stringify(fields.settings),
    scheduleOf(fields),
    id,
  );
  if (!own) return;
  const { sealed } = own;
  const held = sourceById(db, id)?.credential_id ?? null;
  const known = held === null ? undefined : credentialById(db, held);
  if (known)
    updateCredential(db, known.id, {
      name: ownName(fields),
      about: known.about,
      destinations: own.destinations,
      sealed,
    });
  else if (sealed !== undefined)
    prepared(db, "UPDATE source SET credential_id = ? WHERE id = ?").run(
      insertCredential(db, { ...own, sealed, name: ownName(fields), about: {}, madeBy: "source", isOwn: true }, atMs),
      id,
    );
}

/** Takes a source away, with its sweeps and the credential that was its own. */
export function deleteSource(db: Db, id: number): void {
  const own = sourceById(db, id)?.credential_id ?? null;
  prepared(db, "DELETE FROM source WHERE id = ?").run(id);
  if (own !== null) prepared(db, "DELETE FROM credential WHERE id = ? AND is_own = 1").run(own);
}

const SOURCE = "SELECT id, kind, name, site, settings, credential_id, schedule, created_at AS createdAt FROM source";

const toSource = (
  row: Omit<SourceRow, "settings" | "pollSeconds" | "sweeps"> & { settings: string; schedule: string },
): SourceRow => {
  const { schedule, ...rest } = row;
  const { pollSeconds, sweeps = NEVER } = JSON.parse(schedule) as { pollSeconds?: number; sweeps?: Schedule };
  return { ...rest, settings: JSON.parse(row.settings) as unknown, pollSeconds, sweeps };
};

export function listSources(db: Db): SourceRow[] {
  return prepared<Parameters<typeof toSource>[0]>(db, `${SOURCE} ORDER BY name`).all().map(toSource);
}

export function sourceById(db: Db, id: number): SourceRow | undefined {
  const row = prepared<Parameters<typeof toSource>[0]>(db, `${SOURCE} WHERE id = ?`).get(id);
  return row && toSource(row);
}

export function sourceNamed(db: Db, name: string): SourceRow | undefined {
  const row = prepared<Parameters<typeof toSource>[0]>(db, `${SOURCE} WHERE name = ?`).get(name);
  return row && toSource(row);
}

export interface SweepRow {
  id: number;
  source_id: number;
  source: string;
  state: "running" | "done" | "stopped" | "failed";
  started_by: string;
  started_at: number;
  ended_at: number | null;
  addresses: number;
  tried: number;
  answering: number;
  recognised: number;
  failed: number;
  message: string | null;
}

const SWEEP = `SELECT w.id, w.source_id, s.name AS source, w.state, w.started_by, w.started_at, w.ended_at, w.addresses, w.tried, w.answering, w.recognised, w.failed, w.message
  FROM sweep w JOIN source s ON s.id = w.source_id`;

export function insertSweep(db: Db, sourceId: number, by: string, addresses: number, atMs: number): number {
  return Number(
    prepared(
      db,
      "INSERT INTO sweep (source_id, state, started_by, started_at, addresses) VALUES (?, 'running', ?, ?, ?)",
    ).run(sourceId, by, atMs, addresses).lastInsertRowid,
  );
}

export interface SweepProgress {
  tried: number;
  answering: number;
  recognised: number;
  failed: number;
}

export function updateSweep(db: Db, id: number, progress: SweepProgress): void {
  prepared(db, "UPDATE sweep SET tried = ?, answering = ?, recognised = ?, failed = ? WHERE id = ?").run(
    progress.tried,
    progress.answering,
    progress.recognised,
    progress.failed,
    id,
  );
}

export function endSweep(db: Db, id: number, state: SweepRow["state"], message: string | null, atMs: number): void {
  prepared(db, "UPDATE sweep SET state = ?, message = ?, ended_at = ? WHERE id = ?").run(state, message, atMs, id);
}

/** Sweeps cut off by a stop of the program. */
export function endInterruptedSweeps(db: Db, atMs: number): void {
  prepared(
    db,
    `UPDATE sweep
     SET state = 'stopped', ended_at = ?, message = 'Cut off because Holotaxis was stopped. Start it again.'
     WHERE state = 'running'`,
  ).run(atMs);
}

export function listSweeps(db: Db, limit: number, untilMs: number): SweepRow[] {
  return prepared<SweepRow>(db, `${SWEEP} WHERE w.started_at <= ? ORDER BY w.started_at DESC, w.id DESC LIMIT ?`).all(
    untilMs,
    limit,
  );
}

export function sweepById(db: Db, id: number): SweepRow | undefined {
  return prepared<SweepRow>(db, `${SWEEP} WHERE w.id = ?`).get(id);
}

export type FindingOutcome = "new" | "back" | "changed" | "missing" | "gone" | "failed" | "unmatched";

export interface FindingRow {
  outcome: FindingOutcome;
  component_id: number | null;
  address: string;
  title: string;
  detail: string;
}

export function insertFinding(db: Db, sweepId: number, finding: FindingRow): void {
  prepared(
    db,
    "INSERT INTO finding (sweep_id, outcome, component_id, address, title, detail) VALUES (?, ?, ?, ?, ?, ?)",
  ).run(sweepId, finding.outcome, finding.component_id, finding.address, finding.title, finding.detail);
}

export function findingCounts(db: Db, sweepId: number): Partial<Record<FindingOutcome, number>> {
  const rows = prepared<{ outcome: FindingOutcome; count: number }>(
    db,
    "SELECT outcome, count(*) AS count FROM finding WHERE sweep_id = ? GROUP BY outcome",
  ).all(sweepId);
  return Object.fromEntries(rows.map((row) => [row.outcome, row.count]));
}

/** What could not be read, by why: how many, and where for a start. */
export const failuresByReason = (db: Db, sweepId: number): { reason: string; count: number; places: string }[] =>
  prepared<{ reason: string; count: number; places: string }>(
    db,
    `SELECT reason, count(*) AS count, group_concat(address, ', ') AS places FROM (
       SELECT detail AS reason, address, row_number() OVER (PARTITION BY detail ORDER BY address) AS place
       FROM finding WHERE sweep_id = ? AND outcome = 'failed')
     GROUP BY reason ORDER BY count DESC, reason LIMIT 50`,
  )
    .all(sweepId)
    .map((row) => ({ ...row, places: row.places.slice(0, 300) }));

/** When the last sweep of the same source before one had ended. */
export const endOfSweepBefore = (db: Db, { id, source_id }: Pick<SweepRow, "id" | "source_id">): number | undefined =>
  prepared<{ at: number | null }>(
    db,
    "SELECT max(ended_at) AS at FROM sweep WHERE source_id = ? AND id < ? AND state = 'done'",
  ).get(source_id, id)?.at ?? undefined;

export function listFindings(db: Db, sweepId: number, outcome: string, limit: number, offset: number): FindingRow[] {
  return prepared<FindingRow>(
    db,
    `SELECT outcome, component_id, address, title, detail FROM finding WHERE sweep_id = ? AND (? = '' OR outcome = ?)
     ORDER BY CASE outcome WHEN 'failed' THEN 0 WHEN 'new' THEN 1 WHEN 'back' THEN 2 WHEN 'changed' THEN 3 WHEN 'missing' THEN 4 WHEN 'gone' THEN 5 ELSE 6 END, title LIMIT ? OFFSET ?`,
  ).all(sweepId, outcome, outcome, limit, offset);
}

/** The last sweep of a source that came to an end. */
export const lastSweepOf = (db: Db, sourceId: number): SweepRow | undefined =>
  prepared<SweepRow>(
    db,
    `${SWEEP} WHERE w.source_id = ? AND w.state <> 'running' ORDER BY w.started_at DESC, w.id DESC LIMIT 1`,
  ).get(sourceId);

/** When the last sweep of a source began. */
export const lastSweepAt = (db: Db, sourceId: number): number | undefined =>
  prepared<{ at: number | null }>(db, "SELECT max(started_at) AS at FROM sweep WHERE source_id = ?").get(sourceId)
    ?.at ?? undefined;

/** Forgets sweeps that began before an instant, but for the last few of each source. */
export function forgetSweeps(db: Db, beforeMs: number, keep: number): void {
  prepared(
    db,
    `DELETE FROM sweep WHERE started_at < ? AND id NOT IN (
       SELECT id FROM (SELECT id, row_number() OVER (PARTITION BY source_id ORDER BY started_at DESC) AS place FROM sweep)
       WHERE place <= ?)`,
  ).run(beforeMs, keep);
}

/** The sweep of a source that is under way, if any. */
export function runningSweep(db: Db, sourceId: number): number | undefined {
  return prepared<{ id: number }>(db, "SELECT id FROM sweep WHERE source_id = ? AND state = 'running'").get(sourceId)
    ?.id;
}
