import { Sketch } from "#core/telemetry/sketch";
import { HALF_HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { prepared, readMeta, writeMeta, type Db } from "./database";

/** Calls, failures, time taken and a sketch of it: of an operation, or of one sender by another. */
export interface CallFigures {
  calls: number;
  failed: number;
  sumUs: number;
  sketch: Sketch;
}

interface FiguresRow {
  calls: number;
  failed: number;
  sum_us: number;
  sketch: Uint8Array;
}

/** A half hour is summed up when so much time has passed since; what comes later still is summed up again. */
const LATE_MS = 15 * MINUTE_MS;

/** How far half hours are summed up: all before an instant, and of the next one the subjects up to one of them. */
interface Progress {
  toMs: number;
  after?: CallSubject;
}

function readProgress(db: Db): Progress | undefined {
  const kept = readMeta(db, "calls_summed");
  return kept === undefined ? undefined : (JSON.parse(kept) as Progress);
}

const add = (into: CallFigures | undefined, row: FiguresRow): CallFigures => {
  const figures = into ?? { calls: 0, failed: 0, sumUs: 0, sketch: new Sketch() };
  figures.calls += row.calls;
  figures.failed += row.failed;
  figures.sumUs += row.sum_us;
  figures.sketch.mergeBytes(row.sketch);
  return figures;
};

/** An operation by its id, or a caller and a called sender. */
export type CallSubject = readonly [operation: number] | readonly [from: number, to: number];

const FIGURES = "calls, failed, sum_us, sketch";
const tableOf = (subject: CallSubject) =>
  subject.length === 1
    ? { table: "operation", where: "operation_id = ?", columns: "operation_id" }
    : {
        table: "call",
        where: "from_resource_id = ? AND to_resource_id = ?",
        columns: "from_resource_id, to_resource_id",
      };

function minutesOf(db: Db, subject: CallSubject, fromMs: number, beforeMs: number): FiguresRow[] {
  const { table, where } = tableOf(subject);
  return prepared<FiguresRow>(
    db,
    `SELECT ${FIGURES} FROM ${table}_minute WHERE ${where} AND minute_at >= ? AND minute_at < ?`,
  ).all(...subject, fromMs, beforeMs);
}

/** Calls of an operation in each minute of a window that had some, in order. */
export function callMinutes(
  db: Db,
  operationId: number,
  fromMs: number,
  toMs: number,
): { atMs: number; calls: number; failed: number; sumUs: number; sketch: Sketch }[] {
  return prepared<{ at: number; calls: number; failed: number; sum: number; sketch: Uint8Array }>(
    db,
    `SELECT minute_at AS at, calls, failed, sum_us AS sum, sketch FROM operation_minute
     WHERE operation_id = ? AND minute_at >= ? AND minute_at < ? ORDER BY minute_at`,
  )
    .all(operationId, fromMs, toMs)
    .map(({ at, sum, sketch, ...counts }) => ({
      ...counts,
      atMs: at,
      sumUs: sum,
      sketch: Sketch.fromBytes(sketch),
    }));
}

/** Calls of some operations together in each minute of a window that had some, in order. */
export const callSums = (
  db: Db,
  operationIds: readonly number[],
  fromMs: number,
  toMs: number,
): { atMs: number; calls: number; failed: number; sumUs: number }[] =>
  prepared<{ atMs: number; calls: number; failed: number; sumUs: number }>(
    db,
    `SELECT minute_at AS atMs, sum(calls) AS calls, sum(failed) AS failed, sum(sum_us) AS sumUs FROM operation_minute
     WHERE operation_id IN (SELECT value FROM json_each(?)) AND minute_at >= ? AND minute_at < ?
     GROUP BY minute_at ORDER BY minute_at`,
  ).all(JSON.stringify(operationIds), fromMs, toMs);

/** A window in whole minutes, cut where half hours are summed up: between the two cuts half hours serve, else minutes. */
function partsOf(db: Db, fromMs: number, toMs: number) {
  const summedTo = readProgress(db)?.toMs ?? 0;
  const from = Math.floor(fromMs / MINUTE_MS) * MINUTE_MS;
  const before = toMs + 1;
  const halvesFrom = Math.ceil(from / HALF_HOUR_MS) * HALF_HOUR_MS;
  const halvesBefore = Math.min(Math.floor(before / HALF_HOUR_MS) * HALF_HOUR_MS, summedTo);
  return halvesBefore > halvesFrom
    ? { from, before, halvesFrom, halvesBefore }
    : { from, before, halvesFrom: before, halvesBefore: before };
}

/** How often some operations were called in a window, whole minutes: what needs no sketches costs next to nothing. */
export function callCount(db: Db, operationIds: readonly number[], fromMs: number, toMs: number): number {
  const { from, before, halvesFrom, halvesBefore } = partsOf(db, fromMs, toMs);
  const ids = JSON.stringify(operationIds);
  const sum = (table: "minute" | "half", since: number, until: number) =>
    since >= until
      ? 0
      : (prepared<{ calls: number | null }>(
          db,
          `SELECT sum(calls) AS calls FROM operation_${table}
           WHERE operation_id IN (SELECT value FROM json_each(?)) AND ${table}_at >= ? AND ${table}_at < ?`,
        ).get(ids, since, until)?.calls ?? 0);
  return sum("minute", from, halvesFrom) + sum("half", halvesFrom, halvesBefore) + sum("minute", halvesBefore, before);
}

/**
 * What some subjects were called in a window, whole minutes: from half hours as far as they are summed up, from
 * minutes at its ends. The sketches of one subject come as one text: a row for each would cost ten times the sums.
 */
function figuresOf<Subject extends CallSubject>(
  db: Db,
  subjects: Iterable<Subject>,
  fromMs: number,
  toMs: number,
): Map<Subject, CallFigures> {
  const { from, before, halvesFrom, halvesBefore } = partsOf(db, fromMs, toMs);
  const result = new Map<Subject, CallFigures>();
  for (const subject of subjects) {
    const { table, where } = tableOf(subject);
    const row = prepared<PackedRow>(
      db,
      `SELECT sum(calls) AS calls, sum(failed) AS failed, sum(sum_us) AS sum_us,
         group_concat(length(sketch)) AS lengths, group_concat(hex(sketch), '') AS sketches FROM (
         SELECT ${FIGURES} FROM ${table}_minute WHERE ${where} AND minute_at >= ? AND minute_at < ?
         UNION ALL
         SELECT ${FIGURES} FROM ${table}_half WHERE ${where} AND half_at >= ? AND half_at < ?
         UNION ALL
         SELECT ${FIGURES} FROM ${table}_minute WHERE ${where} AND minute_at >= ? AND minute_at < ?)`,
    ).get(...subject, from, halvesFrom, ...subject, halvesFrom, halvesBefore, ...subject, halvesBefore, before);
    if (row?.lengths) result.set(subject, unpacked(row));
  }
  return result;
}

interface PackedRow {
  calls: number;
  failed: number;
  sum_us: number;
  /** Bytes of each sketch, and all of them one after the other, in hexadecimal. */
  lengths: string | null;
  sketches: string;
}

function unpacked(row: PackedRow): CallFigures {
  const sketch = new Sketch();
  const bytes = Buffer.from(row.sketches, "hex");
  let at = 0;
  for (const length of (row.lengths as string).split(",")) {
    const end = at + Number(length);
    sketch.mergeBytes(bytes.subarray(at, end));
    at = end;
  }
  return { calls: row.calls, failed: row.failed, sumUs: row.sum_us, sketch };
}

/** Calls and failures alone of one operation in a window. */
export interface CallCount {
  id: number;
  calls: number;
  failed: number;
}

/**
 * How often the given operations were called in a window, the most called first; those without any are left out.
 * Sketches stay unread, so that hundreds of operations can be ranked before a few are looked at.
 */
export function mostCalled(db: Db, operationIds: Iterable<number>, fromMs: number, toMs: number): CallCount[] {
  const { from, before, halvesFrom, halvesBefore } = partsOf(db, fromMs, toMs);
  const ids = JSON.stringify([...operationIds]);
  const sums = new Map<number, CallCount>();
  // One statement for all of them: a call of it for each would cost more than what it looks up.
  const add = (table: "minute" | "half", since: number, until: number) => {
    if (since >= until) return;
    for (const one of prepared<CallCount>(
      db,
      `SELECT o.id, sum(m.calls) AS calls, sum(m.failed) AS failed FROM operation o
       CROSS JOIN operation_${table} m ON m.operation_id = o.id AND m.${table}_at >= ? AND m.${table}_at < ?
       WHERE o.id IN (SELECT value FROM json_each(?)) GROUP BY o.id`,
    ).all(since, until, ids)) {
      const known = sums.get(one.id);
      if (known) {
        known.calls += one.calls;
        known.failed += one.failed;
      } else sums.set(one.id, one);
    }
  };
  add("minute", from, halvesFrom);
  add("half", halvesFrom, halvesBefore);
  add("minute", halvesBefore, before);
  return [...sums.values()].filter(({ calls }) => calls > 0).sort((a, b) => b.calls - a.calls || a.id - b.id);
}

/** Calls of the given operations in a window; those without any are left out. */
export function operationFigures(
  db: Db,
  operationIds: Iterable<number>,
  fromMs: number,
  toMs: number,
): Map<number, CallFigures> {
  const subjects = [...operationIds].map((id) => [id] as const);
  return new Map([...figuresOf(db, subjects, fromMs, toMs)].map(([[id], figures]) => [id, figures]));
}

/** Calls of some senders by some others in a window; undefined without any. */
export function callFigures(
  db: Db,
  from: readonly number[],
  to: readonly number[],
  fromMs: number,
  toMs: number,
): CallFigures | undefined {
  const pairs = from.flatMap((caller) => to.map((called) => [caller, called] as const));
  let sum: CallFigures | undefined;
  for (const figures of figuresOf(db, pairs, fromMs, toMs).values()) {
    if (sum) {
      sum.calls += figures.calls;
      sum.failed += figures.failed;
      sum.sumUs += figures.sumUs;
      sum.sketch.merge(figures.sketch);
    } else sum = figures;
  }
  return sum;
}

/** Which of some callers called which of some others how often in a window, by senders; pairs without any call are left out. */
export function callsByPair(
  db: Db,
  callers: Iterable<number>,
  called: ReadonlySet<number>,
  fromMs: number,
  toMs: number,
): { from: number; to: number; calls: number; failed: number }[] {
  const { from, before, halvesFrom, halvesBefore } = partsOf(db, fromMs, toMs);
  const sums = prepared<{ calls: number | null; failed: number | null }>(
    db,
    `SELECT sum(calls) AS calls, sum(failed) AS failed FROM (
       SELECT calls, failed FROM call_minute
       WHERE from_resource_id = :a AND to_resource_id = :b AND minute_at >= :from AND minute_at < :halvesFrom
       UNION ALL
       SELECT calls, failed FROM call_half
       WHERE from_resource_id = :a AND to_resource_id = :b AND half_at >= :halvesFrom AND half_at < :halvesBefore
       UNION ALL
       SELECT calls, failed FROM call_minute
       WHERE from_resource_id = :a AND to_resource_id = :b AND minute_at >= :halvesBefore AND minute_at < :before)`,
  );
  const next = prepared<{ b: number }>(
    db,
    `SELECT to_resource_id AS b FROM call_minute WHERE from_resource_id = ? AND to_resource_id > ?
     ORDER BY to_resource_id LIMIT 1`,
  );
  const result = [];
  for (const a of callers)
    for (let pair = next.get(a, 0); pair; pair = next.get(a, pair.b)) {
      const { b } = pair;
      const sum = called.has(b) ? sums.get({ a, b, from, before, halvesFrom, halvesBefore }) : undefined;
      if (sum?.calls) result.push({ from: a, to: b, calls: sum.calls, failed: sum.failed ?? 0 });
    }
  return result;
}

export interface CallBucket {
  atMs: number;
  calls: number;
  failed: number;
  /** Microseconds. */
  p95Us: number;
}

/** Windows longer than this are read by half hours. */
const BY_MINUTES_MS = 2 * 24 * 60 * MINUTE_MS;

/** Calls of some senders by some others in equal parts of a window, at most so many; parts without any are left out. */
export function callBuckets(
  db: Db,
  from: readonly number[],
  to: readonly number[],
  fromMs: number,
  toMs: number,
  most: number,
): CallBucket[] {
  const unit = toMs - fromMs > BY_MINUTES_MS ? HALF_HOUR_MS : MINUTE_MS;
  const name = unit === MINUTE_MS ? "minute" : "half";
  const step = Math.max(unit, Math.ceil((toMs - fromMs) / most / unit) * unit);
  const rows = prepared<FiguresRow & { at: number }>(
    db,
    `SELECT ${name}_at AS at, ${FIGURES} FROM call_${name}
     WHERE from_resource_id = ? AND to_resource_id = ? AND ${name}_at >= ? AND ${name}_at <= ?`,
  );
  const parts = new Map<number, CallFigures>();
  for (const caller of from)
    for (const called of to)
      for (const row of rows.all(caller, called, Math.floor(fromMs / unit) * unit, toMs)) {
        const at = Math.floor(row.at / step) * step;
        parts.set(at, add(parts.get(at), row));
      }
  return [...parts]
    .map(([atMs, { calls, failed, sketch }]) => ({ atMs, calls, failed, p95Us: sketch.quantile(0.95) }))
    .sort((a, b) => a.atMs - b.atMs);
}

/** Every pair of senders that ever spoke, those behind one of them, found by leaps over their minutes. */
function* pairsOf(
  db: Db,
  [from, to]: readonly [number, number] = [0, 0],
): Generator<readonly [from: number, to: number]> {
  const pair = prepared<{ a: number; b: number }>(
    db,
    `SELECT from_resource_id AS a, to_resource_id AS b FROM call_minute
     WHERE (from_resource_id, to_resource_id) > (?, ?) ORDER BY from_resource_id, to_resource_id LIMIT 1`,
  );
  for (let row = pair.get(from, to); row; row = pair.get(row.a, row.b)) yield [row.a, row.b];
}

/** Sums calls up by half hours. How far it got is kept with the sums, so that what is not committed is done again. */
export class CallHalves {
  private summedTo = 0;

  constructor(private readonly db: Db) {
    this.summedTo = readProgress(db)?.toMs ?? 0;
  }

  /** Sums finished half hours up for about `budgetMs`; call inside a transaction. */
  work(nowMs: number, budgetMs: number): void {
    const until = performance.now() + budgetMs;
    const progress = readProgress(this.db) ?? this.first();
    if (!progress) return;
    const { toMs: before, after } = progress;
    halves: while (nowMs >= progress.toMs + HALF_HOUR_MS + LATE_MS) {
      for (const subject of this.subjects(progress.after)) {
        this.sumUp(subject, progress.toMs);
        progress.after = subject;
        if (performance.now() > until) break halves;
      }
      progress.toMs += HALF_HOUR_MS;
      delete progress.after;
    }
    if (progress.toMs !== before || progress.after !== after)
      writeMeta(this.db, "calls_summed", JSON.stringify(progress));
    this.summedTo = progress.toMs + (progress.after ? HALF_HOUR_MS : 0);
  }

  private first(): Progress | undefined {
    const first = prepared<{ first: number | null }>(
      this.db,
      "SELECT min(minute_at) AS first FROM operation_minute",
    ).get()?.first;
    return first == null ? undefined : { toMs: Math.floor(first / HALF_HOUR_MS) * HALF_HOUR_MS };
  }

  /**
   * A minute got calls: when its half hour was summed up before, it is summed up again. Call inside the same
   * transaction.
   */
  changed(subject: CallSubject, minuteMs: number): void {
    if (minuteMs < this.summedTo) this.sumUp(subject, Math.floor(minuteMs / HALF_HOUR_MS) * HALF_HOUR_MS);
  }

  private sumUp(subject: CallSubject, half: number): void {
    let figures: CallFigures | undefined;
    for (const row of minutesOf(this.db, subject, half, half + HALF_HOUR_MS)) figures = add(figures, row);
    if (!figures) return;
    const { table, columns } = tableOf(subject);
    prepared(
      this.db,
      `INSERT OR REPLACE INTO ${table}_half (${columns}, half_at, ${FIGURES})
       VALUES (${[...subject, 0, 0, 0, 0, 0].map(() => "?").join(", ")})`,
    ).run(...subject, half, figures.calls, figures.failed, figures.sumUs, figures.sketch.toBytes());
  }

  /** Every operation and every pair of senders there ever were, those behind one of them. */
  private *subjects(after?: CallSubject): Generator<CallSubject> {
    const operation = prepared<{ id: number }>(this.db, "SELECT id FROM operation WHERE id > ? ORDER BY id LIMIT 1");
    if (after?.length !== 2)
      for (let row = operation.get(after?.[0] ?? 0); row; row = operation.get(row.id)) yield [row.id];
    yield* pairsOf(this.db, after?.length === 2 ? after : undefined);
  }

  /** Forgets minutes and half hours before an instant. */
  forget(beforeMs: number): void {
    for (const subject of this.subjects()) {
      const { table, where } = tableOf(subject);
      prepared(this.db, `DELETE FROM ${table}_minute WHERE ${where} AND minute_at < ?`).run(...subject, beforeMs);
      prepared(this.db, `DELETE FROM ${table}_half WHERE ${where} AND half_at < ?`).run(
        ...subject,
        Math.floor(beforeMs / HALF_HOUR_MS) * HALF_HOUR_MS,
      );
    }
  }
}
