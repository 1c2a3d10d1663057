import { prepared, type Db } from "./database";
import { DAY_MS } from "#core/time/windows";
import { minutesWith } from "./log-tallies";
import { logTextTable } from "./log-writer";

export interface LogRow {
  id: number;
  at: number;
  severity: number;
  resource_id: number;
  pattern_id: number;
  body: string;
  attributes: string | null;
  trace_id: string | null;
  span_id: string | null;
}

const COLUMNS = "id, at, severity, resource_id, pattern_id, body, attributes, trace_id, span_id";

/** What records are looked for; what is left out does not narrow. */
export interface LogFilter {
  fromMs: number;
  toMs: number;
  /** Every one must be in the text: from the start of a word, or anywhere when it has signs in it. */
  words: readonly string[];
  /** None of these may be in the text. */
  without: readonly string[];
  leastSeverity: number;
  resourceIds?: ReadonlySet<number>;
  patternIds?: ReadonlySet<number>;
  traceId?: string;
}

export interface LogPage {
  rows: LogRow[];
  /** Go on before this record; null when there are no more. */
  next: number | null;
  /** True when the search stopped before the end of the window because it took too long. */
  cut: boolean;
}

const BATCH = 500;
/** Records looked at for one page before the search is cut short. */
const MOST_LOOKED = 200_000;

/** Reads what was typed: words, "several words" as they stand, -without. */
export function readSearch(text: string): { words: string[]; without: string[] } {
  const words: string[] = [];
  const without: string[] = [];
  for (const [, sign, phrase, word] of text
    .slice(0, 200)
    .toLowerCase()
    .matchAll(/(-?)(?:"([^"]*)"?|(\S+))/g)) {
    const value = (phrase ?? word ?? "").trim();
    if (value && value !== "-") (sign ? without : words).push(value);
  }
  return { words: words.slice(0, 10), without: without.slice(0, 10) };
}

/** The full-text question for words, or undefined when they have no letter or digit; each is the start of a word. */
function matchOf(words: readonly string[]): string | undefined {
  const tokens = words.flatMap((word) => word.split(/[^\p{L}\p{N}]+/u).filter(Boolean));
  return tokens.length ? tokens.map((token) => `"${token}"*`).join(" AND ") : undefined;
}

function fits(row: LogRow, filter: LogFilter): boolean {
  if (row.at < filter.fromMs || row.at > filter.toMs || row.severity < filter.leastSeverity) return false;
  if (filter.resourceIds && !filter.resourceIds.has(row.resource_id)) return false;
  if (filter.patternIds && !filter.patternIds.has(row.pattern_id)) return false;
  if (!filter.words.length && !filter.without.length) return true;
  const text = row.body.toLowerCase();
  // Single words were found by the index already, with accents and case set aside.
  return (
    filter.words.every((word) => !/[^\p{L}\p{N}]/u.test(word) || text.includes(word)) &&
    !filter.without.some((word) => text.includes(word))
  );
}

export const IDS_OF_WINDOW =
  "SELECT min(first_id) AS first, max(last_id) AS last FROM log_block WHERE max_at >= ? AND min_at <= ?";

/** Numbers of the first and last record that can lie in a window. */
export function idsOfWindow(db: Db, fromMs: number, toMs: number): { first: number; last: number } | undefined {
  const row = prepared<{ first: number | null; last: number | null }>(db, IDS_OF_WINDOW).get(fromMs, toMs);
  return row?.first == null || row.last == null ? undefined : { first: row.first, last: row.last };
}

/** Records that fit, newest first, from before a record on. */
export function searchLogs(
  db: Db,
  filter: LogFilter,
  before: number | null,
  most: number,
  mostLooked = MOST_LOOKED,
): LogPage {
  if (filter.traceId) {
    const rows = prepared<LogRow>(db, `SELECT ${COLUMNS} FROM log WHERE trace_id = ? ORDER BY id DESC LIMIT 2000`)
      .all(filter.traceId)
      .filter((row) => fits(row, filter));
    return { rows: rows.slice(0, most), next: null, cut: false };
  }
  const range = idsOfWindow(db, filter.fromMs, filter.toMs);
  if (!range) return { rows: [], next: null, cut: false };
  const last = Math.min(range.last, before === null ? range.last : before - 1);
  const match = matchOf(filter.words);
  const batches =
    match === undefined
      ? plainBatches(db, range.first, last, filter.leastSeverity)
      : matchedBatches(db, match, filter, range.first, last);
  const rows: LogRow[] = [];
  let looked = 0;
  for (const batch of batches) {
    for (const row of batch.rows) {
      if (!fits(row, filter)) continue;
      rows.push(row);
      if (rows.length > most) return { rows: rows.slice(0, most), next: (rows[most - 1] as LogRow).id, cut: false };
    }
    looked += batch.looked;
    if (looked >= mostLooked) return { rows, next: rows.at(-1)?.id ?? batch.lowest, cut: true };
  }
  return { rows, next: null, cut: false };
}

/** Some records, newest first, out of `looked` that were gone through, the lowest number of those included. */
interface Batch {
  rows: LogRow[];
  looked: number;
  lowest: number;
}

/** Records from the last on; those below the least severity are left out before they are read. */
function* plainBatches(db: Db, first: number, last: number, leastSeverity: number): Generator<Batch> {
  for (let end = last; end >= first; end -= BATCH) {
    const lowest = Math.max(first, end - BATCH + 1);
    const rows = prepared<LogRow>(
      db,
      `SELECT ${COLUMNS} FROM log WHERE id BETWEEN ? AND ? AND severity >= ? ORDER BY id DESC`,
    ).all(lowest, end, leastSeverity);
    yield { rows, looked: end - lowest + 1, lowest };
  }
}

/**
 * Batches of records with the words, day by day from the last; records of one day are not in the order of another's.
 */
function* matchedBatches(db: Db, match: string, filter: LogFilter, first: number, last: number): Generator<Batch> {
  const days = prepared<{ day: number }>(db, "SELECT day FROM log_day WHERE day BETWEEN ? AND ? ORDER BY day DESC").all(
    Math.floor(filter.fromMs / DAY_MS),
    Math.floor(filter.toMs / DAY_MS),
  );
  for (const { day } of days) {
    const table = logTextTable(day);
    for (let end = last; end >= first;) {
      const rows = prepared<LogRow>(
        db,
        `SELECT ${COLUMNS} FROM log WHERE id IN (SELECT rowid FROM ${table} WHERE ${table} MATCH ?
         AND rowid BETWEEN ? AND ? ORDER BY rowid DESC LIMIT ${BATCH}) ORDER BY id DESC`,
      ).all(match, first, end);
      const lowest = rows.at(-1)?.id;
      if (lowest === undefined) break;
      yield { rows, looked: rows.length, lowest };
      end = lowest - 1;
      if (rows.length < BATCH) break;
    }
  }
}

/** The last records of some senders in a window, newest first; found by the minutes in which they said something. */
export function latestLogs(
  db: Db,
  resourceIds: ReadonlySet<number>,
  fromMs: number,
  toMs: number,
  most: number,
  leastSeverity = 0,
): LogRow[] {
  if (!resourceIds.size) return [];
  const rows: LogRow[] = [];
  for (const minute of minutesWith(db, resourceIds, fromMs, toMs, leastSeverity)) {
    if (rows.length >= most) break;
    rows.push(
      ...searchLogs(
        db,
        {
          fromMs: Math.max(fromMs, minute),
          toMs: Math.min(toMs, minute + 59_999),
          words: [],
          without: [],
          leastSeverity,
          resourceIds,
        },
        null,
        most - rows.length,
        5000,
      ).rows,
    );
  }
  return rows;
}

export function logById(db: Db, id: number): LogRow | undefined {
  return prepared<LogRow>(db, `SELECT ${COLUMNS} FROM log WHERE id = ?`).get(id);
}

/** Records of the same sender just before and after one, in the order of time. */
export function logNeighbours(db: Db, row: LogRow, count: number): LogRow[] {
  // A sender that says little has its neighbours far away; looking further than this would take too long.
  const reach = 300_000;
  const side = (comparison: "<" | ">", order: "DESC" | "ASC") =>
    prepared<LogRow>(
      db,
      `SELECT ${COLUMNS} FROM log WHERE id ${comparison} ? AND id BETWEEN ? AND ? AND resource_id = ?
       ORDER BY id ${order} LIMIT ?`,
    ).all(row.id, row.id - reach, row.id + reach, row.resource_id, count);
  return [...side("<", "DESC"), row, ...side(">", "ASC")].sort((a, b) => a.at - b.at || a.id - b.id);
}

export interface PatternRow {
  id: number;
  text: string;
  first_at: number;
  last_at: number;
  count: number;
}

export function patternsOf(db: Db, ids: readonly number[]): PatternRow[] {
  const statement = prepared<PatternRow>(db, "SELECT id, text, first_at, last_at, count FROM log_pattern WHERE id = ?");
  return ids.flatMap((id) => statement.get(id) ?? []);
}

export function logCount(db: Db): number {
  return prepared<{ n: number | null }>(db, "SELECT sum(count) AS n FROM log_day").get()?.n ?? 0;
}
