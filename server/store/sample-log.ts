import type { Samples } from "#core/telemetry/chunk";
import { lowerBound, NO_SAMPLES, sortSamples } from "#core/telemetry/merge";
import { prepared, type Db } from "./database";

/** Samples in the order of their arrival; columns of equal length. */
export interface LoggedSamples {
  series: Uint32Array;
  /** Epoch milliseconds. */
  times: Float64Array;
  values: Float64Array;
}

const FURTHEST = 2 ** 32;
/** What stands before the columns: the instant that all others count from. */
const BASE_BYTES = 9;

/**
 * The columns as bytes: of instants their distances from the earliest, in 4 bytes each, where they lie within 49 days.
 */
function pack({ series, times, values }: LoggedSamples): { data: Uint8Array; newest: number } {
  const count = series.length;
  let earliest = Number.POSITIVE_INFINITY;
  let newest = 0;
  for (let index = 0; index < count; index++) {
    const at = times[index] as number;
    if (at < earliest) earliest = at;
    if (at > newest) newest = at;
  }
  const bytesOf = (column: Uint32Array | Float64Array) =>
    new Uint8Array(column.buffer, column.byteOffset, column.byteLength);
  if (newest - earliest >= FURTHEST) {
    const data = new Uint8Array(count * 20);
    data.set(bytesOf(series), 0);
    data.set(bytesOf(times), count * 4);
    data.set(bytesOf(values), count * 12);
    return { data, newest };
  }
  const offsets = new Uint32Array(count);
  for (let index = 0; index < count; index++) offsets[index] = (times[index] as number) - earliest;
  const data = new Uint8Array(count * 16 + BASE_BYTES);
  data.set(bytesOf(series), 0);
  data.set(bytesOf(offsets), count * 4);
  data.set(bytesOf(values), count * 8);
  data.set(bytesOf(Float64Array.of(earliest)), count * 16);
  return { data, newest };
}

/** The columns of a row; the two forms have lengths that are never the same. */
function unpack(count: number, data: Uint8Array): LoggedSamples {
  // A copy of its own, so that the columns start at whole words.
  const bytes = new Uint8Array(data).buffer;
  const series = new Uint32Array(bytes.slice(0, count * 4));
  if (data.length === count * 20)
    return {
      series,
      times: new Float64Array(bytes.slice(count * 4, count * 12)),
      values: new Float64Array(bytes.slice(count * 12)),
    };
  const earliest = new Float64Array(bytes.slice(count * 16, count * 16 + 8))[0] as number;
  return {
    series,
    times: Float64Array.from(new Uint32Array(bytes.slice(count * 4, count * 8)), (offset) => earliest + offset),
    values: new Float64Array(bytes.slice(count * 8, count * 16)),
  };
}

/** Keeps samples that are not packed yet; the number of the row. Instants are whole milliseconds. */
export function appendToLog(db: Db, entry: LoggedSamples): number {
  const { data, newest } = pack(entry);
  return Number(
    prepared(db, "INSERT INTO sample_wal (count, newest_at, data) VALUES (?, ?, ?)").run(
      entry.series.length,
      newest,
      data,
    ).lastInsertRowid,
  );
}

/** Forgets rows whose samples are packed by now. */
export function trimLog(db: Db, beforeId: number): void {
  prepared(db, "DELETE FROM sample_wal WHERE id < ?").run(beforeId);
}

export function* logAfter(db: Db, afterId: number): Generator<LoggedSamples & { id: number }> {
  const statement = prepared<{ id: number; count: number; data: Uint8Array }>(
    db,
    "SELECT id, count, data FROM sample_wal WHERE id > ? ORDER BY id LIMIT 64",
  );
  for (let last = afterId; ;) {
    const rows = statement.all(last);
    if (!rows.length) return;
    for (const { id, count, data } of rows) {
      yield { id, ...unpack(count, data) };
      last = id;
    }
  }
}

/**
 * Samples of one series in the order of their arrival, with the row of the write-ahead log each is in. What was handed
 * out stays as it was.
 */
class Pending {
  private ids = new Float64Array(8);
  private times = new Float64Array(8);
  private values = new Float64Array(8);
  private count = 0;
  private rises = true;

  add(id: number, atMs: number, value: number): void {
    if (this.count === this.ids.length) this.move(0, this.count * 2);
    if (this.count > 0 && atMs <= (this.times[this.count - 1] as number)) this.rises = false;
    this.ids[this.count] = id;
    this.times[this.count] = atMs;
    this.values[this.count] = value;
    this.count++;
  }

  /** Forgets what is in rows before one; false when nothing is left. */
  dropBefore(id: number): boolean {
    const first = lowerBound(this.ids.subarray(0, this.count), id);
    if (first > 0) this.move(first, Math.max(8, this.count - first));
    return this.count > 0;
  }

  private move(from: number, room: number): void {
    const moved = (column: Float64Array) => {
      const other = new Float64Array(room);
      other.set(column.subarray(from, this.count));
      return other;
    };
    this.ids = moved(this.ids);
    this.times = moved(this.times);
    this.values = moved(this.values);
    this.count -= from;
  }

  get samples(): Samples {
    const times = this.times.subarray(0, this.count);
    const values = this.values.subarray(0, this.count);
    return this.rises ? { times, values } : sortSamples(times, values);
  }
}

/** So many rows may be stale before what they held is dropped from memory. */
const STALE_ROWS = 32;

/**
 * The write-ahead log as one connection sees it, by series. It only ever reads rows that are new, and drops what has
 * been packed; what it still holds of packed rows is the same as in the chunks and does no harm.
 */
class PendingView {
  private readonly bySeries = new Map<number, Pending>();
  private firstId = 0;
  private lastId = 0;

  constructor(private readonly db: Db) {}

  /** Takes up what is new. */
  refresh(): void {
    const bounds = prepared<{ first: number | null; last: number | null }>(
      this.db,
      `SELECT (SELECT id FROM sample_wal ORDER BY id LIMIT 1) AS first, (SELECT id FROM sample_wal ORDER BY id DESC
       LIMIT 1) AS last`,
    ).get();
    if (bounds?.last == null || bounds.first == null) {
      this.bySeries.clear();
      return;
    }
    if (bounds.first - this.firstId >= STALE_ROWS) {
      this.firstId = bounds.first;
      for (const [series, pending] of this.bySeries)
        if (!pending.dropBefore(this.firstId)) this.bySeries.delete(series);
    }
    if (bounds.last <= this.lastId) return;
    for (const entry of logAfter(this.db, this.lastId)) {
      for (let index = 0; index < entry.series.length; index++) {
        const series = entry.series[index] as number;
        let pending = this.bySeries.get(series);
        if (!pending) this.bySeries.set(series, (pending = new Pending()));
        pending.add(entry.id, entry.times[index] as number, entry.values[index] as number);
      }
      this.lastId = entry.id;
    }
  }

  of(seriesId: number): Samples {
    return this.bySeries.get(seriesId)?.samples ?? NO_SAMPLES;
  }
}

const views = new WeakMap<Db, PendingView>();

/** Samples of a series that may not be packed yet, in the order of their instants. */
export type PendingOf = (seriesId: number) => Samples;

/** What is not packed at this moment, of any series. Ask before their chunks are read, and anew for every question. */
export function pendingBySeries(db: Db): PendingOf {
  let view = views.get(db);
  if (!view) views.set(db, (view = new PendingView(db)));
  view.refresh();
  const own = view;
  return (seriesId) => own.of(seriesId);
}

/** As `pendingBySeries`, of one series. */
export const pendingSamples = (db: Db, seriesId: number): Samples => pendingBySeries(db)(seriesId);
