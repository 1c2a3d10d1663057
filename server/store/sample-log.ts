import type { Samples } from "#core/telemetry/chunk";
import { NO_SAMPLES, sortSamples } from "#core/telemetry/merge";
import { prepared, type Db } from "./database";

/** Samples in the order of their arrival; columns of equal length. */
export interface LoggedSamples {
  series: Uint32Array;
  /** Epoch milliseconds. */
  times: Float64Array;
  values: Float64Array;
}

export interface PointInTime {
  atMs: number;
  value: number;
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

/** So many rows may be stale before what they held is dropped from memory. */
const STALE_ROWS = 32;
/** Rows and samples that there is room for at first. */
const FIRST_ROOM = 1024;

/**
 * The write-ahead log as one connection sees it, by series. It only ever reads rows that are new, and drops what has
 * been packed; what it still holds of packed rows is the same as in the chunks and does no harm.
 *
 * All samples stand in a few columns in the order of their arrival, each with the place of the one before it of the same
 * series: very many series with a few samples each take no more room than the samples.
 */
class PendingView {
  /** Place of the latest sample of a series. */
  private readonly latest = new Map<number, number>();
  private columns = columnsFor(FIRST_ROOM);
  private count = 0;
  /** What is held of each row, in order: the row, and the place behind its last sample. */
  private rows: { id: number; end: number }[] = [];
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
    if (bounds?.last == null || bounds.first == null) return this.clear();
    if (bounds.first - this.firstId >= STALE_ROWS) this.dropBefore(bounds.first);
    if (bounds.last <= this.lastId) return;
    for (const entry of logAfter(this.db, this.lastId)) {
      for (let index = 0; index < entry.series.length; index++)
        this.add(entry.series[index] as number, entry.times[index] as number, entry.values[index] as number);
      this.rows.push({ id: entry.id, end: this.count });
      this.lastId = entry.id;
    }
  }

  /** Samples of a series in the order of their instants; theirs alone. */
  of(seriesId: number): Samples {
    const latest = this.latest.get(seriesId);
    if (latest === undefined) return NO_SAMPLES;
    const { before, times, values } = this.columns;
    let length = 0;
    for (let at = latest; at >= 0; at = before[at] as number) length++;
    const own = { times: new Float64Array(length), values: new Float64Array(length) };
    let rises = true;
    for (let at = latest, place = length - 1; at >= 0; at = before[at] as number, place--) {
      own.times[place] = times[at] as number;
      own.values[place] = values[at] as number;
      if (place < length - 1 && (own.times[place] as number) >= (own.times[place + 1] as number)) rises = false;
    }
    return rises ? own : sortSamples(own.times, own.values);
  }

  /** The newest sample of a series in a window; of two at one instant the one that arrived later. */
  newestOf(seriesId: number, fromMs: number, toMs: number): PointInTime | undefined {
    const { before, times, values } = this.columns;
    let newest = -1;
    for (let at = this.latest.get(seriesId) ?? -1; at >= 0; at = before[at] as number) {
      const time = times[at] as number;
      if (time >= fromMs && time <= toMs && (newest < 0 || time > (times[newest] as number))) newest = at;
    }
    return newest < 0 ? undefined : { atMs: times[newest] as number, value: values[newest] as number };
  }

  private add(series: number, atMs: number, value: number): void {
    if (this.count === this.columns.times.length) this.move(0, this.count * 2);
    const { before, times, values } = this.columns;
    before[this.count] = this.latest.get(series) ?? -1;
    times[this.count] = atMs;
    values[this.count] = value;
    this.latest.set(series, this.count);
    this.count++;
  }

  private dropBefore(id: number): void {
    this.firstId = id;
    const kept = this.rows.findIndex((row) => row.id >= id);
    const first = kept < 0 ? this.count : kept === 0 ? 0 : (this.rows[kept - 1]?.end ?? 0);
    if (first === 0) return;
    this.rows = kept < 0 ? [] : this.rows.slice(kept).map((row) => ({ id: row.id, end: row.end - first }));
    this.move(first, Math.max(FIRST_ROOM, Math.ceil((this.count - first) * 1.5)));
    for (const [series, place] of this.latest)
      if (place < first) this.latest.delete(series);
      else this.latest.set(series, place - first);
    const { before } = this.columns;
    for (let index = 0; index < this.count; index++) before[index] = Math.max(-1, (before[index] as number) - first);
  }

  private move(from: number, room: number): void {
    const next = columnsFor(room);
    for (const name of ["before", "times", "values"] as const)
      next[name].set(this.columns[name].subarray(from, this.count));
    this.columns = next;
    this.count -= from;
  }

  private clear(): void {
    if (this.count === 0) return;
    this.latest.clear();
    this.rows = [];
    this.count = 0;
    this.columns = columnsFor(FIRST_ROOM);
  }
}

const columnsFor = (room: number) => ({
  before: new Int32Array(room),
  times: new Float64Array(room),
  values: new Float64Array(room),
});

const views = new WeakMap<Db, PendingView>();

/** Samples of a series that may not be packed yet, in the order of their instants. */
export type PendingOf = (seriesId: number) => Samples;

function viewNow(db: Db): PendingView {
  let view = views.get(db);
  if (!view) views.set(db, (view = new PendingView(db)));
  view.refresh();
  return view;
}

/** What is not packed at this moment, of any series. Ask before their chunks are read, and anew for every question. */
export function pendingBySeries(db: Db): PendingOf {
  const view = viewNow(db);
  return (seriesId) => view.of(seriesId);
}

/** As `pendingBySeries`, of each series only its newest sample in a window. */
export function newestPending(db: Db, fromMs: number, toMs: number): (seriesId: number) => PointInTime | undefined {
  const view = viewNow(db);
  return (seriesId) => view.newestOf(seriesId, fromMs, toMs);
}

/** As `pendingBySeries`, of one series. */
export const pendingSamples = (db: Db, seriesId: number): Samples => pendingBySeries(db)(seriesId);
