import { prepared, type Db } from "./database";

export interface OperationRow {
  id: number;
  resource_id: number;
  name: string;
  kind: number;
  /** 1 where it begins traces by itself. */
  begins: number;
}

/** Span kinds of OpenTelemetry: who answers a call or takes a message, and who makes one. */
export const ANSWERING: ReadonlySet<number> = new Set([2, 5]);
export const MAKING: ReadonlySet<number> = new Set([3, 4]);
/** Of those who answer, who takes messages: nobody waits for what is done with them. */
export const CONSUMING = 5;

export function allOperations(db: Db): OperationRow[] {
  return prepared<OperationRow>(db, "SELECT id, resource_id, name, kind, begins FROM operation").all();
}

/** Operations that were served or consumed, or that begin a trace: all but calls to others and inner work. */
export function answeredOperations(db: Db): OperationRow[] {
  return prepared<OperationRow>(
    db,
    "SELECT id, resource_id, name, kind, begins FROM operation WHERE kind IN (2, 5) OR begins = 1",
  ).all();
}

export function operationById(db: Db, id: number): OperationRow | undefined {
  return prepared<OperationRow>(db, "SELECT id, resource_id, name, kind, begins FROM operation WHERE id = ?").get(id);
}

export function operationsByIds(db: Db, ids: Iterable<number>): OperationRow[] {
  return prepared<OperationRow>(
    db,
    "SELECT id, resource_id, name, kind, begins FROM operation WHERE id IN (SELECT value FROM json_each(?))",
  ).all(JSON.stringify([...ids]));
}

/** Operations of some senders. */
export function operationsOf(db: Db, resourceIds: Iterable<number>): OperationRow[] {
  return prepared<OperationRow>(
    db,
    `SELECT id, resource_id, name, kind, begins FROM operation
     WHERE resource_id IN (SELECT value FROM json_each(?)) ORDER BY id`,
  ).all(JSON.stringify([...resourceIds]));
}

/** Operations of a name, whoever's they are. */
export const operationsNamed = (db: Db, name: string, most: number): OperationRow[] =>
  prepared<OperationRow>(
    db,
    "SELECT id, resource_id, name, kind, begins FROM operation WHERE name = ? ORDER BY id LIMIT ?",
  ).all(name, most);

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
export function spansOfOperation(
  db: Db,
  operationId: number,
  fromMs: number,
  toMs: number,
  leastUs: number,
  mostUs: number,
  failedOnly: boolean,
  limit: number,
): SpanRow[] {
  return prepared<SpanRow>(
    db,
    `SELECT ${COLUMNS} FROM span WHERE operation_id = ? AND start_us BETWEEN ? AND ? AND duration_us BETWEEN ? AND ?
     AND (? = 0 OR status = 2) ORDER BY start_us DESC LIMIT ?`,
  ).all(operationId, fromMs * 1000, toMs * 1000, leastUs, mostUs, failedOnly ? 1 : 0, limit);
}

/** A trace may be as long as its sender likes: for an answer so much of it is looked through. */
const MOST_LOOKED_THROUGH = 300;

/**
 * Of the latest calls of an operation those whose answer was traced too: who answered, and how much longer the call was
 * for who made it, in milliseconds.
 * @param most calls that are looked at, whether their answers were traced or not
 */
export function crossingsOf(
  db: Db,
  operationId: number,
  fromMs: number,
  toMs: number,
  most: number,
): { calleeId: number; wayMs: number }[] {
  return prepared<{ calleeId: number; wayMs: number }>(
    db,
    `SELECT r.component_id AS calleeId, (c.duration_us - a.duration_us) / 1000.0 AS wayMs
     FROM (
       SELECT s.duration_us, (
         SELECT t.id FROM (SELECT id, parent_id FROM span WHERE trace_id = s.trace_id LIMIT ${MOST_LOOKED_THROUGH}) t
         WHERE t.parent_id = s.span_id LIMIT 1
       ) AS answer
       FROM span s WHERE s.operation_id = ? AND s.start_us BETWEEN ? AND ? ORDER BY s.start_us DESC LIMIT ?
     ) c
     JOIN span a ON a.id = c.answer
     JOIN operation o ON o.id = a.operation_id AND o.kind = 2
     JOIN resource r ON r.id = o.resource_id AND r.component_id IS NOT NULL`,
  ).all(operationId, fromMs * 1000, toMs * 1000, most);
}

/** All spans of a trace, in the order they began. */
export function spansOfTrace(db: Db, traceId: string, most = 5000): SpanRow[] {
  return prepared<SpanRow>(db, `SELECT ${COLUMNS} FROM span WHERE trace_id = ? ORDER BY start_us, id LIMIT ?`).all(
    Buffer.from(traceId, "hex"),
    most,
  );
}

export function spanCount(db: Db): number {
  return (
    prepared<{ n: number }>(
      db,
      "SELECT coalesce((SELECT max(id) FROM span) - (SELECT min(id) FROM span) + 1, 0) AS n",
    ).get()?.n ?? 0
  );
}
