import {
  decodeSpans,
  emptySpans,
  encodeSpans,
  joinSpans,
  sliceSpans,
  type SpanRoom,
  type Spans,
} from "#core/telemetry/rollup";
import { lowerBound } from "#core/telemetry/merge";
import { DAY_MS, HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { prepared, type Db } from "./database";

/** Lengths of the spans that samples are summed up by, shortest first. */
export const ROLLUP_STEPS = [5 * MINUTE_MS, HOUR_MS, DAY_MS] as const;
const MOST_IN_ROW = 288;

interface RollupRow {
  start_at: number;
  end_at: number;
  count: number;
  data: Uint8Array;
}

/** Adds spans behind those kept; they must begin where those end or later. */
export function appendRollup(db: Db, seriesId: number, stepMs: number, spans: Spans): void {
  if (!spans.starts.length) return;
  const last = prepared<RollupRow>(
    db,
    `SELECT start_at, end_at, count, data FROM rollup WHERE series_id = ? AND step_ms = ? ORDER BY start_at DESC
     LIMIT 1`,
  ).get(seriesId, stepMs);
  const all = last && last.count < MOST_IN_ROW ? joinSpans([decodeSpans(last.data, last.count), spans]) : spans;
  for (let from = 0; from < all.starts.length; from += MOST_IN_ROW) {
    const part = sliceSpans(all, from, Math.min(all.starts.length, from + MOST_IN_ROW));
    const count = part.starts.length;
    prepared(
      db,
      `INSERT INTO rollup (series_id, step_ms, start_at, end_at, count, data) VALUES (?, ?, ?, ?, ?, ?)
       ON CONFLICT (series_id, step_ms, start_at) DO UPDATE SET end_at = excluded.end_at, count = excluded.count, data = excluded.data`,
    ).run(seriesId, stepMs, part.starts[0], (part.starts[count - 1] as number) + stepMs, count, encodeSpans(part));
  }
}

/** Start of the first span kept at a resolution, or undefined when none is. */
export function firstRolled(db: Db, seriesId: number, stepMs: number): number | undefined {
  return prepared<{ start_at: number }>(
    db,
    "SELECT start_at FROM rollup WHERE series_id = ? AND step_ms = ? ORDER BY start_at LIMIT 1",
  ).get(seriesId, stepMs)?.start_at;
}

/**
 * Spans of one resolution that begin in a window, its end not included.
 * @param withLast whether the last values are wanted too; left out, they are anything
 * @param room for the spans, until it is used again
 */
export function readRollup(
  db: Db,
  seriesId: number,
  stepMs: number,
  fromMs: number,
  toMs: number,
  withLast = true,
  room?: SpanRoom,
): Spans {
  const rows = prepared<RollupRow>(
    db,
    `SELECT start_at, end_at, count, data FROM rollup WHERE series_id = ?1 AND step_ms = ?2 AND start_at < ?4
       AND start_at >= coalesce((SELECT max(start_at) FROM rollup WHERE series_id = ?1 AND step_ms = ?2 AND start_at <= ?3), 0) ORDER BY start_at`,
  ).all({ 1: seriesId, 2: stepMs, 3: fromMs, 4: toMs });
  const length = rows.reduce((sum, row) => sum + row.count, 0);
  const all = room ? room.take(length) : emptySpans(length);
  let place = 0;
  for (const row of rows) {
    decodeSpans(row.data, row.count, withLast, sliceSpans(all, place, place + row.count));
    place += row.count;
  }
  return sliceSpans(all, lowerBound(all.starts, fromMs), lowerBound(all.starts, toMs));
}

/** Forgets spans that begin at an instant or later, because samples before it changed. */
export function dropRollupsFrom(db: Db, seriesId: number, fromMs: number): void {
  for (const stepMs of ROLLUP_STEPS) {
    const rows = prepared<RollupRow>(
      db,
      "SELECT start_at, end_at, count, data FROM rollup WHERE series_id = ? AND step_ms = ? AND end_at > ?",
    ).all(seriesId, stepMs, fromMs);
    for (const row of rows) {
      prepared(db, "DELETE FROM rollup WHERE series_id = ? AND step_ms = ? AND start_at = ?").run(
        seriesId,
        stepMs,
        row.start_at,
      );
      if (row.start_at >= fromMs) continue;
      const spans = decodeSpans(row.data, row.count);
      appendRollup(db, seriesId, stepMs, sliceSpans(spans, 0, lowerBound(spans.starts, fromMs)));
    }
  }
}

/** Forgets rows of a resolution that end before an instant; how many. */
export function forgetRollups(db: Db, seriesId: number, stepMs: number, beforeMs: number): number {
  return prepared(db, "DELETE FROM rollup WHERE series_id = ? AND step_ms = ? AND start_at < ? AND end_at <= ?").run(
    seriesId,
    stepMs,
    beforeMs,
    beforeMs,
  ).changes;
}

export function setRolledTo(db: Db, seriesId: number, rolledToMs: number | null): void {
  prepared(db, "UPDATE series SET rolled_to = ? WHERE id = ?").run(rolledToMs, seriesId);
}
