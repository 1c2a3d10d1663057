import { Recent } from "#core/telemetry/recent";
import { Sketch } from "#core/telemetry/sketch";
import { HALF_HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { CallHalves } from "./call-figures";
import { prepared, type Db } from "./database";

/** A span as it is kept; identifiers in hexadecimal. */
export interface NewSpan {
  traceId: string;
  spanId: string;
  /** Empty for the first of its trace. */
  parentId: string;
  resourceId: number;
  name: string;
  kind: number;
  /** Epoch milliseconds, with a fraction. */
  startMs: number;
  endMs: number;
  status: number;
  /** JSON, or null. */
  detail: string | null;
}

/** Calls of an operation, or from one sender to another (`second`), in a minute. */
interface Minute {
  first: number;
  second: number | null;
  minuteMs: number;
  calls: number;
  failed: number;
  sumUs: number;
  sketch: Sketch;
  /** Waits to be written with the batch under way. */
  changed: boolean;
}

/** What of a span is counted. */
interface Call {
  resourceId: number;
  minuteMs: number;
  durationUs: number;
  failed: boolean;
}

/** Callers and their calls arrive apart; so many of the latest spans are remembered to bring them together. */
const MOST_REMEMBERED = 50_000;
/** A minute may still get calls for this long; then its sketch is dropped from memory. */
const OPEN_MINUTES = 10;
/** Spans written by one statement: fewer crossings into SQLite than one by one. */
const AT_ONCE = 24;

const COLUMNS = "trace_id, span_id, parent_id, operation_id, start_us, duration_us, status, detail";
const insertOf = (count: number) =>
  `INSERT INTO span (${COLUMNS}) VALUES ${Array(count).fill("(?, ?, ?, ?, ?, ?, ?, ?)").join(", ")}`;
const INSERT_MANY = insertOf(AT_ONCE);
const INSERT_ONE = insertOf(1);

/** Numbers of operations and senders stay below this, so that two of them make one key. */
const MOST_NUMBERS = 2 ** 26;
const keyOf = (first: number, second: number | null): number =>
  second === null ? first : -(first * MOST_NUMBERS + second);

/** Keeps spans and counts calls by operation and between senders; call inside a transaction. */
export class SpanWriter {
  /** Numbers of operations by sender, name and kind. */
  private readonly operations = new Map<number, Map<string, number[]>>();
  /** Senders of the latest spans. */
  private readonly recent = new Recent<number>(MOST_REMEMBERED);
  /** Spans whose parents have not been seen yet, by the parents' identifiers. */
  private readonly orphans = new Recent<Call[]>(MOST_REMEMBERED);
  /** Open minutes, and in each the calls by what they are of. */
  private readonly minutes = new Map<number, Map<number, Minute>>();
  private readonly changed: Minute[] = [];
  private readonly pairs = new Set<number>();
  private readonly halves: CallHalves;
  private forgottenMs = 0;
  /** Senders of which one was seen calling the other for the first time since this writer was made. */
  newPairs: { from: number; to: number }[] = [];
  /** Operations that got calls since they were last asked for. */
  private touched = new Set<number>();

  constructor(private readonly db: Db) {
    this.halves = new CallHalves(db);
    for (const row of prepared<{ id: number; resource_id: number; name: string; kind: number }>(
      db,
      "SELECT id, resource_id, name, kind FROM operation",
    ).all())
      this.kindsOf(row.resource_id, row.name)[row.kind] = row.id;
  }

  write(spans: readonly NewSpan[]): void {
    if (!spans.length) return;
    let values: unknown[] = [];
    for (const span of spans) {
      const durationUs = Math.max(0, Math.round((span.endMs - span.startMs) * 1000));
      const operationId = this.operation(span);
      this.noteBeginning(operationId, span);
      const call = {
        resourceId: span.resourceId,
        minuteMs: Math.floor(span.startMs / MINUTE_MS) * MINUTE_MS,
        durationUs,
        failed: span.status === 2,
      };
      values.push(
        Buffer.from(span.traceId, "hex"),
        Buffer.from(span.spanId, "hex"),
        span.parentId ? Buffer.from(span.parentId, "hex") : null,
        operationId,
        Math.round(span.startMs * 1000),
        durationUs,
        span.status,
        span.detail,
      );
      if (values.length === AT_ONCE * 8) {
        prepared(this.db, INSERT_MANY).run(values);
        values = [];
      }
      this.count(operationId, null, call);
      this.remember(span, call);
    }
    const one = prepared(this.db, INSERT_ONE);
    for (let at = 0; at < values.length; at += 8) one.run(values.slice(at, at + 8));
    this.writeMinutes();
    this.dropOld(spans);
  }

  /** Writes the figures of the minutes that got calls. */
  private writeMinutes(): void {
    const figures = "minute_at, calls, failed, sum_us, sketch";
    const anew = "calls = excluded.calls, failed = excluded.failed, sum_us = excluded.sum_us, sketch = excluded.sketch";
    const ofOperation = prepared(
      this.db,
      `INSERT INTO operation_minute (operation_id, ${figures}) VALUES (?, ?, ?, ?, ?, ?) ON CONFLICT DO UPDATE
       SET ${anew}`,
    );
    const ofPair = prepared(
      this.db,
      `INSERT INTO call_minute (from_resource_id, to_resource_id, ${figures}) VALUES (?, ?, ?, ?, ?, ?, ?)
       ON CONFLICT DO UPDATE SET ${anew}`,
    );
    for (const minute of this.changed) {
      const { first, second, minuteMs, calls, failed, sumUs } = minute;
      const sketch = minute.sketch.toBytes();
      if (second === null) ofOperation.run(first, minuteMs, calls, failed, sumUs, sketch);
      else ofPair.run(first, second, minuteMs, calls, failed, sumUs, sketch);
      minute.changed = false;
    }
    for (const { first, second, minuteMs } of this.changed.splice(0))
      this.halves.changed(second === null ? [first] : [first, second], minuteMs);
  }

  /** Sums calls up over longer spans, for about `budgetMs`; call inside a transaction. */
  sumUp(nowMs: number, budgetMs: number): void {
    this.halves.work(nowMs, budgetMs);
  }

  /** Numbers of the operations of one name at a sender, by kind. */
  private kindsOf(resourceId: number, name: string): number[] {
    let names = this.operations.get(resourceId);
    if (!names) this.operations.set(resourceId, (names = new Map<string, number[]>()));
    let kinds = names.get(name);
    if (!kinds) names.set(name, (kinds = []));
    return kinds;
  }

  private operation({ resourceId, name, kind }: NewSpan): number {
    const kinds = this.kindsOf(resourceId, name);
    return (kinds[kind] ??= Number(
      prepared(this.db, "INSERT INTO operation (resource_id, name, kind) VALUES (?, ?, ?)").run(resourceId, name, kind)
        .lastInsertRowid,
    ));
  }

  private readonly begun = new Set<number>();

  /** Notes an operation that begins traces though nobody asked for it: a job, a timer, a page. */
  private noteBeginning(operationId: number, { parentId, kind }: NewSpan): void {
    if (parentId !== "" || kind === 2 || kind === 5 || this.begun.has(operationId)) return;
    this.begun.add(operationId);
    prepared(this.db, "UPDATE operation SET begins = 1 WHERE id = ?").run(operationId);
  }

  /** Brings a span together with its parent where that is another sender's, whichever of them comes first. */
  private remember(span: NewSpan, call: Call): void {
    const own = `${span.traceId}${span.spanId}`;
    this.recent.set(own, span.resourceId);
    const waiting = this.orphans.get(own);
    if (waiting) {
      this.orphans.delete(own);
      for (const child of waiting) this.countPair(span.resourceId, child);
    }
    if (!span.parentId) return;
    const above = `${span.traceId}${span.parentId}`;
    const parent = this.recent.get(above);
    if (parent !== undefined) return this.countPair(parent, call);
    const list = this.orphans.get(above);
    if (list) list.push(call);
    else this.orphans.set(above, [call]);
  }

  /** Counts a call from another sender; within one sender they are counted by their operations only. */
  private countPair(from: number, call: Call): void {
    const to = call.resourceId;
    if (from === to) return;
    const key = keyOf(from, to);
    if (!this.pairs.has(key)) {
      this.pairs.add(key);
      this.newPairs.push({ from, to });
    }
    this.count(from, to, call);
  }

  /** Operations that got calls since the last time this was asked. */
  takeTouched(): Set<number> {
    const { touched } = this;
    this.touched = new Set();
    return touched;
  }

  /** Calls of an operation in the minutes that are still open, the newest last. */
  openMinutes(
    operationId: number,
  ): { minuteMs: number; calls: number; failed: number; sumUs: number; sketch: Sketch }[] {
    return [...this.minutes.values()]
      .flatMap((open) => open.get(operationId) ?? [])
      .sort((a, b) => a.minuteMs - b.minuteMs);
  }

  private count(first: number, second: number | null, { minuteMs, durationUs, failed }: Call): void {
    let open = this.minutes.get(minuteMs);
    if (!open) this.minutes.set(minuteMs, (open = new Map<number, Minute>()));
    const key = keyOf(first, second);
    let minute = open.get(key);
    if (!minute) open.set(key, (minute = this.read(first, second, minuteMs)));
    if (second === null) this.touched.add(first);
    minute.calls++;
    if (failed) minute.failed++;
    minute.sumUs += durationUs;
    minute.sketch.add(durationUs);
    if (minute.changed) return;
    minute.changed = true;
    this.changed.push(minute);
  }

  private read(first: number, second: number | null, minuteMs: number): Minute {
    type Row = { calls: number; failed: number; sum_us: number; sketch: Uint8Array };
    const row =
      second === null
        ? prepared<Row>(
            this.db,
            "SELECT calls, failed, sum_us, sketch FROM operation_minute WHERE operation_id = ? AND minute_at = ?",
          ).get(first, minuteMs)
        : prepared<Row>(
            this.db,
            `SELECT calls, failed, sum_us, sketch FROM call_minute
             WHERE from_resource_id = ? AND to_resource_id = ? AND minute_at = ?`,
          ).get(first, second, minuteMs);
    const own = { first, second, minuteMs, changed: false };
    return row
      ? { ...own, calls: row.calls, failed: row.failed, sumUs: row.sum_us, sketch: Sketch.fromBytes(row.sketch) }
      : { ...own, calls: 0, failed: 0, sumUs: 0, sketch: new Sketch() };
  }

  private dropOld(spans: readonly NewSpan[]): void {
    let newest = 0;
    for (const { startMs } of spans) if (startMs > newest) newest = startMs;
    for (const minuteMs of this.minutes.keys())
      if (minuteMs < newest - OPEN_MINUTES * MINUTE_MS) this.minutes.delete(minuteMs);
  }

  /** Forgets spans and counts older than an instant, a few at a time; call inside a transaction. */
  forget(beforeMs: number): void {
    const { db } = this;
    const first = prepared<{ id: number; start_us: number }>(
      db,
      "SELECT id, start_us FROM span ORDER BY id LIMIT 1",
    ).get();
    if (!first || first.start_us >= beforeMs * 1000) return;
    prepared(db, "DELETE FROM span WHERE id BETWEEN ? AND ? AND start_us < ?").run(
      first.id,
      first.id + 20_000,
      beforeMs * 1000,
    );
    // Their figures go by half hours, because all of them have to be looked through for that.
    if (beforeMs - this.forgottenMs < HALF_HOUR_MS) return;
    this.forgottenMs = beforeMs;
    this.halves.forget(beforeMs);
  }
}
