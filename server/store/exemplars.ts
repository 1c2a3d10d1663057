import type { Exemplar } from "#core/drawing/chart";
import { prepared, type Db } from "./database";
import type { SeriesRow } from "./signals";

export interface NewExemplar {
  resourceId: number;
  metric: string;
  instance: string;
  atMs: number;
  value: number;
  traceId: string;
  spanId: string;
}

export function writeExemplars(db: Db, list: readonly NewExemplar[]): void {
  const insert = prepared(
    db,
    "INSERT INTO exemplar (resource_id, metric, instance, at, value, trace_id, span_id) VALUES (?, ?, ?, ?, ?, ?, ?)",
  );
  for (const one of list)
    insert.run(
      one.resourceId,
      one.metric,
      one.instance,
      one.atMs,
      one.value,
      Buffer.from(one.traceId, "hex"),
      one.spanId ? Buffer.from(one.spanId, "hex") : null,
    );
}

/** Name of the metric that a series was worked out of. */
const baseOf = (metric: string) => metric.replace(/\.(?:p\d+(?:\.\d+)?|count|sum)$/, "");

/**
 * The exemplars of a series in a window: of each of `places` equal parts of it the highest, whose trace is kept still.
 */
export function exemplarsOf(
  db: Db,
  series: Pick<SeriesRow, "resource_id" | "metric" | "instance">,
  fromMs: number,
  toMs: number,
  places: number,
): Exemplar[] {
  // What is counted or summed up has other values than what was measured.
  if (series.resource_id === null || /\.(?:count|sum)$/.test(series.metric)) return [];
  const stepMs = Math.max(1, Math.ceil((toMs - fromMs) / places));
  return prepared<{ at: number; value: number; trace_id: Uint8Array }>(
    db,
    `SELECT at, max(value) AS value, trace_id FROM exemplar e WHERE resource_id = ? AND metric = ? AND instance = ? AND at >= ? AND at <= ?
       AND EXISTS (SELECT 1 FROM span WHERE trace_id = e.trace_id) GROUP BY CAST((at - ?) / ? AS INTEGER) ORDER BY at`,
  )
    .all(series.resource_id, baseOf(series.metric), series.instance, fromMs, toMs, fromMs, stepMs)
    .map((row) => ({ atMs: row.at, value: row.value, traceId: Buffer.from(row.trace_id).toString("hex") }));
}

export function forgetExemplars(db: Db, beforeMs: number): void {
  prepared(db, "DELETE FROM exemplar WHERE at < ?").run(beforeMs);
}
