import { DAY_MS, HALF_HOUR_MS, HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { prepared, type Db } from "./database";
import { floorTo } from "./log-tallies";
import { readSearch, searchLogs } from "./logs";

/** Records that are looked at for words. */
const MOST_FOUND = 5_000;

/** What of the logs is counted. */
export interface CountedLogs {
  words: string;
  leastSeverity: number;
  /** Only patterns that came for the first time in the span. */
  onlyNew: boolean;
}

export interface SenderCount {
  count: number;
  example: string;
  /** Who said the example. */
  sender?: number;
}

/** Records of each sender in a span, whole minutes where no words narrow them. */
export function countBySender(db: Db, what: CountedLogs, fromMs: number, toMs: number): Map<number, SenderCount> {
  if (what.words) {
    const { words, without } = readSearch(what.words);
    const counts = new Map<number, SenderCount>();
    for (const row of searchLogs(
      db,
      { fromMs, toMs, words, without, leastSeverity: what.leastSeverity },
      null,
      MOST_FOUND,
      MOST_FOUND * 4,
    ).rows) {
      const known = counts.get(row.resource_id);
      if (known) known.count++;
      else counts.set(row.resource_id, { count: 1, example: row.body, sender: row.resource_id });
    }
    return counts;
  }
  const rows = prepared<{ id: number; count: number; example: string; most: number }>(
    db,
    `SELECT t.resource_id AS id, sum(t.count) AS count, p.text AS example, max(t.count) AS most
     FROM log_tally t JOIN log_pattern p ON p.id = t.pattern_id
     WHERE t.minute_at >= :from AND t.minute_at <= :to AND t.severity >= :severity AND (:new = 0 OR p.first_at >= :from)
     GROUP BY t.resource_id`,
  ).all({
    from: floorTo(MINUTE_MS, fromMs),
    to: toMs,
    severity: what.leastSeverity,
    new: what.onlyNew ? 1 : 0,
  });
  return new Map(rows.map(({ id, count, example }) => [id, { count, example, sender: id }]));
}

/** Newest records that are looked through for one of a pattern. */
const MOST_LOOKED = 20_000;

/** The newest record of a sender that has a pattern, among the newest of all; undefined where none is found. */
export function newestOfPattern(db: Db, sender: number, pattern: string, fromMs: number): string | undefined {
  return prepared<{ body: string }>(
    db,
    `SELECT l.body FROM (SELECT body, at, resource_id, pattern_id FROM log ORDER BY id DESC LIMIT ?) l
     WHERE l.resource_id = ? AND l.at >= ? AND l.pattern_id IN (SELECT id FROM log_pattern WHERE text = ?) LIMIT 1`,
  ).get(MOST_LOOKED, sender, fromMs, pattern)?.body;
}

/** Days that a time of day is compared with. */
const DAYS = 7;

/**
 * How many records of each sender are usual in a half hour at this time of day: mean and variance over the days before,
 * an hour about it; nothing where less than a day is known.
 */
export function usualBySender(
  db: Db,
  what: CountedLogs,
  atMs: number,
  sinceMs: number,
): Map<number, { mean: number; variance: number }> {
  const days = Math.min(DAYS, Math.floor((atMs - sinceMs) / DAY_MS));
  const counts = new Map<number, Map<number, number>>();
  const halves: number[] = [];
  for (let day = 1; day <= days; day++) {
    const from = floorTo(HALF_HOUR_MS, atMs - day * DAY_MS - HOUR_MS);
    for (let half = from; half < from + 2 * HOUR_MS; half += HALF_HOUR_MS) {
      halves.push(half);
      for (const [id, count] of halfCounts(db, what, half)) {
        const own = counts.get(id) ?? new Map<number, number>();
        counts.set(id, own.set(half, count));
      }
    }
  }
  return new Map(
    [...counts].map(([id, own]) => {
      const values = halves.map((half) => own.get(half) ?? 0);
      const mean = values.reduce((sum, one) => sum + one, 0) / values.length;
      const variance = values.reduce((sum, one) => sum + (one - mean) ** 2, 0) / values.length;
      return [id, { mean, variance }];
    }),
  );
}

function halfCounts(db: Db, what: CountedLogs, half: number): [number, number][] {
  if (what.words)
    return [...countBySender(db, what, half, half + HALF_HOUR_MS - 1)].map(([id, { count }]) => [id, count]);
  return prepared<{ id: number; count: number }>(
    db,
    "SELECT resource_id AS id, sum(count) AS count FROM log_tally_half WHERE half_at = ? AND severity >= ? GROUP BY resource_id",
  )
    .all(half, what.leastSeverity)
    .map(({ id, count }) => [id, count]);
}
