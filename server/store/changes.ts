import { prepared, type Db } from "./database";

export interface ChangeRow {
  id: number;
  at: number;
  kind: string;
  component_id: number | null;
  component: string | null;
  summary: string;
  detail: string;
  by_whom: string;
  ticket: string | null;
}

export function insertChange(
  db: Db,
  change: {
    atMs: number;
    kind: string;
    componentId: number | null;
    summary: string;
    detail?: string;
    by: string;
    ticket?: string | null;
  },
): void {
  prepared(
    db,
    "INSERT INTO change (at, kind, component_id, summary, detail, by_whom, ticket) VALUES (?, ?, ?, ?, ?, ?, ?)",
  ).run(
    change.atMs,
    change.kind,
    change.componentId,
    change.summary,
    change.detail ?? "",
    change.by,
    change.ticket ?? null,
  );
}

/** How much later a second observer may tell of a change that another was the first to see. */
const SAME_CHANGE_MS = 3_600_000;

/** Gives a change that was told of with some words the instant of an earlier evidence. */
export function datedBack(db: Db, componentId: number, words: string, atMs: number): void {
  prepared(
    db,
    "UPDATE change SET at = :at WHERE component_id = :id AND at > :at AND at <= :latest AND instr(summary, :words) > 0",
  ).run({ id: componentId, at: atMs, latest: atMs + SAME_CHANGE_MS, words });
}

/** So near each other, two observers tell of the same start. */
const SAME_START_MS = 300_000;

/**
 * Notes that something was started anew. Where another observer has told of it, it is one change, at its earliest
 * evidence.
 */
export function noteRestart(
  db: Db,
  { componentId, atMs, summary, by }: { componentId: number; atMs: number; summary: string; by: string },
): void {
  const known = prepared<{ id: number; at: number }>(
    db,
    "SELECT id, at FROM change WHERE component_id = ? AND kind = 'restart' AND at BETWEEN ? AND ? ORDER BY at LIMIT 1",
  ).get(componentId, atMs - SAME_START_MS, atMs + SAME_START_MS);
  if (!known) insertChange(db, { atMs, kind: "restart", componentId, summary, by });
  else if (atMs < known.at) prepared(db, "UPDATE change SET at = ? WHERE id = ?").run(atMs, known.id);
}

/** The last change after one that names a ticket; undefined where there is none. */
export const lastWithTicket = (db: Db, afterId: number): number | undefined =>
  prepared<{ id: number | null }>(db, "SELECT max(id) AS id FROM change WHERE id > ? AND ticket IS NOT NULL").get(
    afterId,
  )?.id ?? undefined;

const CHANGE = `SELECT x.id, x.at, x.kind, x.component_id, c.name AS component, x.summary, x.detail, x.by_whom, x.ticket FROM change x LEFT JOIN component c ON c.id = x.component_id`;

export function changesIn(db: Db, fromMs: number, toMs: number, limit = 200): ChangeRow[] {
  return prepared<ChangeRow>(db, `${CHANGE} WHERE x.at >= ? AND x.at <= ? ORDER BY x.at DESC, x.id DESC LIMIT ?`).all(
    fromMs,
    toMs,
    limit,
  );
}

/**
 * What the estate is called that stands now: another as soon as anything is found, related or leaves; undefined for an
 * instant that is before its newest change.
 */
export function estateVersion(db: Db, atMs: number): string | undefined {
  const change = prepared<{ id: number; at: number }>(db, "SELECT id, at FROM change ORDER BY id DESC LIMIT 1").get();
  const relation = prepared<{ id: number | null }>(db, "SELECT max(id) AS id FROM relation").get();
  return change && change.at > atMs ? undefined : `${change?.id ?? 0} ${relation?.id ?? 0}`;
}

/** When the first change of a component is on record: it was known then at the latest. */
export const firstChangeMs = (db: Db, componentId: number): number | undefined =>
  prepared<{ at: number | null }>(db, "SELECT min(at) AS at FROM change WHERE component_id = ?").get(componentId)?.at ??
  undefined;

export function changesOf(
  db: Db,
  componentIds: readonly number[],
  fromMs: number,
  toMs: number,
  limit = 100,
): ChangeRow[] {
  return prepared<ChangeRow>(
    db,
    `${CHANGE} WHERE x.component_id IN (SELECT value FROM json_each(?)) AND x.at >= ? AND x.at <= ? ORDER BY x.at DESC, x.id DESC LIMIT ?`,
  ).all(JSON.stringify(componentIds), fromMs, toMs, limit);
}

/** Instants of changes in a span, for the ribbon: at most one for each step. */
export function changeTicks(db: Db, fromMs: number, toMs: number, stepMs: number): { step: number; count: number }[] {
  return prepared<{ step: number; count: number }>(
    db,
    "SELECT CAST((at - ?) / ? AS INTEGER) AS step, count(*) AS count FROM change WHERE at >= ? AND at <= ? GROUP BY 1",
  ).all(fromMs, stepMs, fromMs, toMs);
}

/** Components that anything changed at in a span. */
export const changedComponents = (db: Db, fromMs: number, toMs: number): Set<number> =>
  new Set(
    prepared<{ id: number }>(
      db,
      "SELECT DISTINCT component_id AS id FROM change WHERE at >= ? AND at <= ? AND component_id IS NOT NULL",
    )
      .all(fromMs, toMs)
      .map((row) => row.id),
  );

/** When which component was rolled out anew: deployments on platforms, and versions that became others. */
export const rollOuts = (db: Db, fromMs: number, toMs: number): { componentId: number; atMs: number }[] =>
  prepared<{ componentId: number; atMs: number }>(
    db,
    `SELECT component_id AS componentId, at AS atMs FROM change WHERE at >= ? AND at <= ? AND component_id IS NOT NULL
       AND (kind = 'deployment' OR (kind IN ('setting', 'fact') AND summary LIKE '%version: “%')) LIMIT 100000`,
  ).all(fromMs, toMs);
