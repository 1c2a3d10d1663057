import { Recent } from "#core/telemetry/recent";
import { Sketch } from "#core/telemetry/sketch";
import { HALF_HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { CallHalves, type CallSubject } from "./call-figures";
import { prepared, type Db } from "./database";

/** A span as it is kept; identifiers in hexadecimal. */
export interface NewSpan {
  traceId: string;
  spanId: string;
  /** Empty for the first of its trace. */
  parentId: string;
  originId: number;
  name: string;
  kind: number;
  /** Epoch milliseconds, with a fraction. */
  startMs: number;
  endMs: number;
  status: number;
  /** JSON, or null. */
  detail: string | null;
}

interface Minute {
  calls: number;
  failed: number;
  sumUs: number;
  sketch: Sketch;
}

/** Callers and their calls arrive apart; so many of the latest spans are remembered to bring them together. */
const MOST_REMEMBERED = 50_000;
/** A minute may still get calls for this long; then its sketch is dropped from memory. */
const OPEN_MINUTES = 10;

interface Place {
  originId: number;
  operationId: number;
}

/** Keeps spans and counts calls by operation and between senders; call inside a transaction. */
export class SpanWriter {
  private readonly operations = new Map<string, number>();
  private readonly recent = new Recent<Place>(MOST_REMEMBERED);
  /** Spans whose parents have not been seen yet, by the parents' identifiers. */
  private readonly orphans = new Recent<{ originId: number; minuteMs: number; durationUs: number; failed: boolean }[]>(
    MOST_REMEMBERED,
  );
  private readonly minutes = new Map<string, Minute>();
  private readonly pairs = new Set<string>();
  private readonly halves: CallHalves;
  private forgottenMs = 0;
  /** Senders of which one was seen calling the other for the first time since this writer was made. */
  newPairs: { from: number; to: number }[] = [];

  constructor(private readonly db: Db) {
    this.halves = new CallHalves(db);
    for (const row of prepared<{ id: number; origin_id: number; name: string; kind: number }>(
      db,
      "SELECT id, origin_id, name, kind FROM operation",
    ).all())
      this.operations.set(`${row.origin_id}|${row.kind}|${row.name}`, row.id);
  }

  write(spans: readonly NewSpan[]): void {
    if (!spans.length) return;
    const { db } = this;
    const insert = prepared(
      db,
      "INSERT INTO span (trace_id, span_id, parent_id, operation_id, start_us, duration_us, status, detail) VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
    );
    const changed = new Map<string, { first: number; second: number | null; minuteMs: number }>();
    for (const span of spans) {
      const operationId = this.operation(span);
      const durationUs = Math.max(0, Math.round((span.endMs - span.startMs) * 1000));
      const failed = span.status === 2;
      insert.run(
        Buffer.from(span.traceId, "hex"),
        Buffer.from(span.spanId, "hex"),
        span.parentId ? Buffer.from(span.parentId, "hex") : null,
        operationId,
        Math.round(span.startMs * 1000),
        durationUs,
        span.status,
        span.detail,
      );
      const minuteMs = Math.floor(span.startMs / MINUTE_MS) * MINUTE_MS;
      this.count(changed, operationId, null, minuteMs, durationUs, failed);
      this.remember(changed, span, operationId, minuteMs, durationUs, failed);
    }
    const late: [CallSubject, number][] = [];
    for (const [key, { first, second, minuteMs }] of changed) {
      const minute = this.minutes.get(key) as Minute;
      const sketch = minute.sketch.toBytes();
      late.push([second === null ? [first] : [first, second], minuteMs]);
      if (second === null)
        prepared(
          db,
          "INSERT INTO operation_minute (operation_id, minute_at, calls, failed, sum_us, sketch) VALUES (?, ?, ?, ?, ?, ?) ON CONFLICT DO UPDATE SET calls = excluded.calls, failed = excluded.failed, sum_us = excluded.sum_us, sketch = excluded.sketch",
        ).run(first, minuteMs, minute.calls, minute.failed, minute.sumUs, sketch);
      else
        prepared(
          db,
          "INSERT INTO call_minute (from_origin_id, to_origin_id, minute_at, calls, failed, sum_us, sketch) VALUES (?, ?, ?, ?, ?, ?, ?) ON CONFLICT DO UPDATE SET calls = excluded.calls, failed = excluded.failed, sum_us = excluded.sum_us, sketch = excluded.sketch",
        ).run(first, second, minuteMs, minute.calls, minute.failed, minute.sumUs, sketch);
    }
    for (const [subject, minuteMs] of late) this.halves.changed(subject, minuteMs);
    this.dropOld(spans);
  }

  /** Sums calls up over longer spans, for about `budgetMs`; call inside a transaction. */
  sumUp(nowMs: number, budgetMs: number): void {
    this.halves.work(nowMs, budgetMs);
  }

  private operation(span: NewSpan): number {
    const key = `${span.originId}|${span.kind}|${span.name}`;
    let id = this.operations.get(key);
    if (id === undefined) {
      id = Number(
        prepared(this.db, "INSERT INTO operation (origin_id, name, kind) VALUES (?, ?, ?)").run(
          span.originId,
          span.name,
          span.kind,
        ).lastInsertRowid,
      );
      this.operations.set(key, id);
    }
    return id;
  }

  /** Brings a span together with its parent where that is another sender's, whichever of them comes first. */
  private remember(
    changed: Map<string, { first: number; second: number | null; minuteMs: number }>,
    span: NewSpan,
    operationId: number,
    minuteMs: number,
    durationUs: number,
    failed: boolean,
  ): void {
    const own = `${span.traceId}${span.spanId}`;
    this.recent.set(own, { originId: span.originId, operationId });
    const waiting = this.orphans.get(own);
    if (waiting) {
      this.orphans.delete(own);
      for (const child of waiting)
        if (child.originId !== span.originId)
          this.count(changed, span.originId, child.originId, child.minuteMs, child.durationUs, child.failed);
    }
    if (!span.parentId) return;
    const above = `${span.traceId}${span.parentId}`;
    const parent = this.recent.get(above);
    if (parent) {
      if (parent.originId !== span.originId)
        this.count(changed, parent.originId, span.originId, minuteMs, durationUs, failed);
      return;
    }
    const list = this.orphans.get(above) ?? [];
    list.push({ originId: span.originId, minuteMs, durationUs, failed });
    this.orphans.set(above, list);
  }

  private count(
    changed: Map<string, { first: number; second: number | null; minuteMs: number }>,
    first: number,
    second: number | null,
    minuteMs: number,
    durationUs: number,
    failed: boolean,
  ): void {
    if (second !== null && !this.pairs.has(`${first}|${second}`)) {
      this.pairs.add(`${first}|${second}`);
      this.newPairs.push({ from: first, to: second });
    }
    const key = `${first}|${second ?? ""}|${minuteMs}`;
    let minute = this.minutes.get(key);
    if (!minute) this.minutes.set(key, (minute = this.read(first, second, minuteMs)));
    minute.calls++;
    if (failed) minute.failed++;
    minute.sumUs += durationUs;
    minute.sketch.add(durationUs);
    changed.set(key, { first, second, minuteMs });
  }

  private read(first: number, second: number | null, minuteMs: number): Minute {
    const row =
      second === null
        ? prepared<{ calls: number; failed: number; sum_us: number; sketch: Uint8Array }>(
            this.db,
            "SELECT calls, failed, sum_us, sketch FROM operation_minute WHERE operation_id = ? AND minute_at = ?",
          ).get(first, minuteMs)
        : prepared<{ calls: number; failed: number; sum_us: number; sketch: Uint8Array }>(
            this.db,
            "SELECT calls, failed, sum_us, sketch FROM call_minute WHERE from_origin_id = ? AND to_origin_id = ? AND minute_at = ?",
          ).get(first, second, minuteMs);
    return row
      ? { calls: row.calls, failed: row.failed, sumUs: row.sum_us, sketch: Sketch.fromBytes(row.sketch) }
      : { calls: 0, failed: 0, sumUs: 0, sketch: new Sketch() };
  }

  private dropOld(spans: readonly NewSpan[]): void {
    const newest = Math.max(...spans.map((span) => span.startMs));
    for (const key of this.minutes.keys())
      if (Number(key.slice(key.lastIndexOf("|") + 1)) < newest - OPEN_MINUTES * MINUTE_MS) this.minutes.delete(key);
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
