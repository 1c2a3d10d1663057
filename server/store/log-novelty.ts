import { DAY_MS, HALF_HOUR_MS, HOUR_MS } from "#core/time/windows";
import { prepared, type Db } from "./database";
import { floorTo } from "./log-tallies";

/** A log pattern with how often it came in a window, and from whom most. */
export interface PatternCount {
  patternId: number;
  text: string;
  firstAtMs: number;
  count: number;
  severity: number;
  /** The sender that said it most. */
  resourceId: number;
}

/** Since when any log is known; undefined without any. */
export const logsSince = (db: Db): number | undefined =>
  prepared<{ at: number | null }>(db, "SELECT min(first_at) AS at FROM log_pattern").get()?.at ?? undefined;

/** Patterns that were said for the first time in a window, the gravest first. */
export function newPatterns(db: Db, fromMs: number, toMs: number, leastSeverity: number, most: number): PatternCount[] {
  return prepared<PatternCount>(
    db,
    `SELECT p.id AS patternId, p.text, p.first_at AS firstAtMs, sum(t.count) AS count, max(t.severity) AS severity,
       t.resource_id AS resourceId, max(t.count) AS most
     FROM log_pattern p JOIN log_tally t ON t.pattern_id = p.id AND t.minute_at >= :from AND t.minute_at <= :to
     WHERE p.first_at >= :from AND p.first_at <= :to AND t.severity >= :severity
     GROUP BY p.id ORDER BY severity DESC, count DESC LIMIT :most`,
  ).all({ from: floorTo(60_000, fromMs), to: toMs, severity: leastSeverity, most });
}

/** How often each pattern came in a window, whole minutes. */
export function patternCounts(db: Db, fromMs: number, toMs: number): PatternCount[] {
  return prepared<PatternCount>(
    db,
    `SELECT t.pattern_id AS patternId, p.text, p.first_at AS firstAtMs, sum(t.count) AS count,
       max(t.severity) AS severity, t.resource_id AS resourceId, max(t.count) AS most
     FROM log_tally t JOIN log_pattern p ON p.id = t.pattern_id
     WHERE t.minute_at >= ? AND t.minute_at <= ? GROUP BY t.pattern_id`,
  ).all(floorTo(60_000, fromMs), toMs);
}

/** Counts of patterns by half hours of so many days before, at the same time of day and an hour about it. */
export function patternPast(db: Db, atMs: number, days: number): Map<number, number[]> {
  const rows = prepared<{ id: number; half: number; count: number }>(
    db,
    `SELECT pattern_id AS id, half_at AS half, sum(count) AS count FROM log_tally_half
     WHERE half_at >= ? AND half_at < ? GROUP BY pattern_id, half_at`,
  );
  const past = new Map<number, Map<number, number>>();
  const halves: number[] = [];
  for (let day = 1; day <= days; day++) {
    const from = floorTo(HALF_HOUR_MS, atMs - day * DAY_MS - HOUR_MS);
    const before = from + 2 * HOUR_MS + HALF_HOUR_MS;
    for (let half = from; half < before; half += HALF_HOUR_MS) halves.push(half);
    for (const { id, half, count } of rows.all(from, before)) {
      const own = past.get(id) ?? new Map<number, number>();
      past.set(id, own.set(half, count));
    }
  }
  return new Map([...past].map(([id, counts]) => [id, halves.map((half) => counts.get(half) ?? 0)]));
}
