import { Sketch } from "#core/telemetry/sketch";
import { prepared, type Db } from "./database";

export interface OperationRow {
  id: number;
  origin_id: number;
  name: string;
  kind: number;
}

export interface CallFigures {
  calls: number;
  failed: number;
  sumUs: number;
  sketch: Sketch;
}

const add = (into: CallFigures | undefined, row: { calls: number; failed: number; sum_us: number; sketch: Uint8Array }): CallFigures => {
  const figures = into ?? { calls: 0, failed: 0, sumUs: 0, sketch: new Sketch() };
  figures.calls += row.calls;
  figures.failed += row.failed;
  figures.sumUs += row.sum_us;
  figures.sketch.mergeBytes(row.sketch);
  return figures;
};

export function allOperations(db: Db): OperationRow[] {
  return prepared<OperationRow>(db, "SELECT id, origin_id, name, kind FROM operation").all();
}

/** Calls of the given operations in a window, whole minutes; those without any are left out. */
export function operationFigures(db: Db, operationIds: Iterable<number>, fromMs: number, toMs: number): Map<number, CallFigures> {
  const result = new Map<number, CallFigures>();
  const statement = prepared<{ calls: number; failed: number; sum_us: number; sketch: Uint8Array }>(db, "SELECT calls, failed, sum_us, sketch FROM operation_minute WHERE operation_id = ? AND minute_at >= ? AND minute_at <= ?");
  for (const id of operationIds) for (const row of statement.all(id, Math.floor(fromMs / 60_000) * 60_000, toMs)) result.set(id, add(result.get(id), row));
  return result;
}

/** Calls between senders in a window, whole minutes. */
export function callFigures(db: Db, fromMs: number, toMs: number): { from: number; to: number; figures: CallFigures }[] {
  const result = new Map<string, { from: number; to: number; figures: CallFigures }>();
  const rows = prepared<{ from_origin_id: number; to_origin_id: number; calls: number; failed: number; sum_us: number; sketch: Uint8Array }>(
    db,
    "SELECT from_origin_id, to_origin_id, calls, failed, sum_us, sketch FROM call_minute WHERE minute_at >= ? AND minute_at <= ?",
  ).iterate(Math.floor(fromMs / 60_000) * 60_000, toMs);
  for (const row of rows) {
    const key = `${row.from_origin_id}|${row.to_origin_id}`;
    result.set(key, { from: row.from_origin_id, to: row.to_origin_id, figures: add(result.get(key)?.figures, row) });
  }
  return [...result.values()];
}

export interface SpanRow {
  id: number;
  trace_id: Uint8Array;
  span_id: Uint8Array;
  parent_id: Uint8Array | null;
  operation_id: number;
  start_us: number;
  duration_us: number;
  status: number;
  detail: string | null;
}

const COLUMNS = "id, trace_id, span_id, parent_id, operation_id, start_us, duration_us, status, detail";

/** Calls of one operation in a window that took between two durations, newest first. */
export function spansOfOperation(db: Db, operationId: number, fromMs: number, toMs: number, leastUs: number, mostUs: number, failedOnly: boolean, limit: number): SpanRow[] {
  return prepared<SpanRow>(
    db,
    `SELECT ${COLUMNS} FROM span WHERE operation_id = ? AND start_us BETWEEN ? AND ? AND duration_us BETWEEN ? AND ? AND (? = 0 OR status = 2) ORDER BY start_us DESC LIMIT ?`,
  ).all(operationId, fromMs * 1000, toMs * 1000, leastUs, mostUs, failedOnly ? 1 : 0, limit);
}

/** All spans of a trace, in the order they began. */
export function spansOfTrace(db: Db, traceId: string): SpanRow[] {
  return prepared<SpanRow>(db, `SELECT ${COLUMNS} FROM span WHERE trace_id = ? ORDER BY start_us, id LIMIT 5000`).all(Buffer.from(traceId, "hex"));
}

export function spanCount(db: Db): number {
  return prepared<{ n: number }>(db, "SELECT coalesce(max(id) - min(id) + 1, 0) AS n FROM span").get()?.n ?? 0;
}
