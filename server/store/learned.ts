import { packRange, unpackRange, type Range } from "#core/detection/range";
import { prepared, type Db } from "./database";

/** Keeps what was learned of a series, from an instant on. */
export function keepLearned(db: Db, seriesId: number, range: Range, atMs: number): void {
  prepared(db, "INSERT OR REPLACE INTO learned (series_id, at, range) VALUES (?, ?, ?)").run(
    seriesId,
    atMs,
    packRange(range),
  );
}

/** Drops what was learned before an instant, but for the last of it: that still holds then. */
export function forgetLearned(db: Db, seriesId: number, beforeMs: number): void {
  prepared(
    db,
    "DELETE FROM learned WHERE series_id = :id AND at < (SELECT max(at) FROM learned WHERE series_id = :id AND at <= :before)",
  ).run({ id: seriesId, before: beforeMs });
}

/** What was known of a series at an instant, and since when. */
export function learnedAt(db: Db, seriesId: number, atMs: number): { range: Range; atMs: number } | undefined {
  const row = prepared<{ at: number; range: Uint8Array }>(
    db,
    "SELECT at, range FROM learned WHERE series_id = ? AND at <= ? ORDER BY at DESC LIMIT 1",
  ).get(seriesId, atMs);
  return row && { range: unpackRange(row.range), atMs: row.at };
}

/** What was known of a series over a window: each with the instant from which it held. */
export function learnedIn(db: Db, seriesId: number, fromMs: number, toMs: number): { range: Range; atMs: number }[] {
  return prepared<{ at: number; range: Uint8Array }>(
    db,
    `SELECT at, range FROM learned WHERE series_id = :id AND at <= :to
     AND at >= coalesce((SELECT max(at) FROM learned WHERE series_id = :id AND at <= :from), 0) ORDER BY at`,
  )
    .all({ id: seriesId, from: fromMs, to: toMs })
    .map((row) => ({ range: unpackRange(row.range), atMs: row.at }));
}
