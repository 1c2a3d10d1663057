import { HALF_HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { prepared, type Db } from "./database";

/** How many records of a pattern, sender and severity came from an instant on, for a minute or half an hour. */
export interface Tally {
  atMs: number;
  patternId: number;
  resourceId: number;
  severity: number;
  count: number;
}

export const floorTo = (stepMs: number, atMs: number): number => Math.floor(atMs / stepMs) * stepMs;

const TABLES = [
  { table: "log_tally", column: "minute_at", stepMs: MINUTE_MS },
  { table: "log_tally_half", column: "half_at", stepMs: HALF_HOUR_MS },
] as const;
const [MINUTES, HALVES] = TABLES;
const COLUMNS = "pattern_id AS patternId, resource_id AS resourceId, severity, count";

/** Counts records by minutes and half hours; call inside the transaction that keeps them. */
export function countLogs(db: Db, records: Iterable<Omit<Tally, "count">>): void {
  let finer: Iterable<Omit<Tally, "count"> & { count?: number }> = records;
  for (const { table, column, stepMs } of TABLES) {
    const tallies = new Map<string, Tally>();
    for (const { atMs, patternId, resourceId, severity, count = 1 } of finer) {
      const start = floorTo(stepMs, atMs);
      const key = `${start}|${patternId}|${resourceId}|${severity}`;
      const tally = tallies.get(key);
      if (tally) tally.count += count;
      else tallies.set(key, { atMs: start, patternId, resourceId, severity, count });
    }
    const statement = prepared(
      db,
      `INSERT INTO ${table} (${column}, pattern_id, resource_id, severity, count) VALUES (?, ?, ?, ?, ?)
       ON CONFLICT DO UPDATE SET count = count + excluded.count`,
    );
    for (const { atMs, patternId, resourceId, severity, count } of tallies.values())
      statement.run(atMs, patternId, resourceId, severity, count);
    // Half hours are made of the minutes, of which there are fewer than records.
    finer = [...tallies.values()];
  }
}

function* rows(db: Db, { table, column }: (typeof TABLES)[number], fromMs: number, beforeMs: number): Generator<Tally> {
  if (beforeMs > fromMs)
    yield* prepared<Tally>(
      db,
      `SELECT ${column} AS atMs, ${COLUMNS} FROM ${table} WHERE ${column} >= ? AND ${column} < ?`,
    ).iterate(fromMs, beforeMs);
}

/**
 * Counts in a window, whole minutes; where steps of half hours are enough, of whole half hours from few rows. One
 * after another: there may be many.
 */
export function* talliesIn(db: Db, fromMs: number, toMs: number, stepMs: number): Generator<Tally> {
  const from = floorTo(MINUTE_MS, fromMs);
  const before = toMs + 1;
  const halvesFrom = Math.ceil(from / HALF_HOUR_MS) * HALF_HOUR_MS;
  const halvesBefore = floorTo(HALF_HOUR_MS, before);
  if (stepMs % HALF_HOUR_MS !== 0 || halvesBefore <= halvesFrom) {
    yield* rows(db, MINUTES, from, before);
    return;
  }
  yield* rows(db, MINUTES, from, halvesFrom);
  yield* rows(db, HALVES, halvesFrom, halvesBefore);
  yield* rows(db, MINUTES, halvesBefore, before);
}

/** Patterns that came in a span of time, whole minutes. */
export function patternIdsIn(db: Db, fromMs: number, toMs: number): Set<number> {
  const ids = new Set<number>();
  for (const { patternId } of talliesIn(db, fromMs, toMs, HALF_HOUR_MS)) ids.add(patternId);
  return ids;
}

/** Whether a pattern first met at some time came between two instants, whole minutes; looked for from the end. */
export function cameBetween(
  db: Db,
  pattern: { id: number; first_at: number },
  fromMs: number,
  beforeMs: number,
): boolean {
  if (pattern.first_at >= beforeMs) return false;
  if (pattern.first_at >= fromMs) return true;
  const has = ({ table, column }: (typeof TABLES)[number], atMs: number) =>
    prepared(db, `SELECT 1 FROM ${table} WHERE ${column} = ? AND pattern_id = ? LIMIT 1`).get(atMs, pattern.id) !==
    undefined;
  const halvesBefore = floorTo(HALF_HOUR_MS, beforeMs);
  for (let at = floorTo(MINUTE_MS, beforeMs - 1); at >= Math.max(halvesBefore, fromMs); at -= MINUTE_MS)
    if (has(MINUTES, at)) return true;
  const halvesFrom = Math.ceil(fromMs / HALF_HOUR_MS) * HALF_HOUR_MS;
  for (let at = halvesBefore - HALF_HOUR_MS; at >= halvesFrom; at -= HALF_HOUR_MS) if (has(HALVES, at)) return true;
  for (let at = Math.ceil(fromMs / MINUTE_MS) * MINUTE_MS; at < Math.min(halvesFrom, beforeMs); at += MINUTE_MS)
    if (has(MINUTES, at)) return true;
  return false;
}

/** Minutes in which some senders said something of a severity or above, the last first. */
export function* minutesWith(
  db: Db,
  resourceIds: ReadonlySet<number>,
  fromMs: number,
  toMs: number,
  leastSeverity: number,
): Generator<number> {
  const ids = JSON.stringify([...resourceIds]);
  const starts = ({ table, column }: (typeof TABLES)[number], from: number, before: number) =>
    prepared<{ atMs: number }>(
      db,
      `SELECT DISTINCT ${column} AS atMs FROM ${table} WHERE ${column} >= ? AND ${column} < ? AND severity >= ?
       AND resource_id IN (SELECT value FROM json_each(?)) ORDER BY ${column} DESC`,
    ).all(from, before, leastSeverity, ids);
  for (const { atMs: half } of starts(HALVES, floorTo(HALF_HOUR_MS, fromMs), toMs + 1))
    for (const { atMs } of starts(
      MINUTES,
      Math.max(half, floorTo(MINUTE_MS, fromMs)),
      Math.min(half + HALF_HOUR_MS, toMs + 1),
    ))
      yield atMs;
}

/** Forgets counts before an instant. */
export function forgetTallies(db: Db, beforeMs: number): void {
  for (const { table, column, stepMs } of TABLES)
    prepared(db, `DELETE FROM ${table} WHERE ${column} < ?`).run(floorTo(stepMs, beforeMs));
}
