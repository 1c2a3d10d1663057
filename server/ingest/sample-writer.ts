import type { Instrument } from "#core/catalogue/metrics";
import type { Samples } from "#core/telemetry/chunk";
import { cutSamples, lowerBound, mergeSamples, sortSamples } from "#core/telemetry/merge";
import { OpenChunks } from "#core/telemetry/open-chunks";
import { DAY_MS } from "#core/time/windows";
import type { Db } from "../store/database";
import { appendToLog, logAfter, trimLog } from "../store/sample-log";
import {
  allSeries,
  CHUNK_SAMPLES,
  insertSeries,
  mergeLate,
  openChunk,
  readSamples,
  seriesById,
  writeChunk,
  type SeriesOwner,
} from "../store/signals";

/** A chunk is closed when it reaches over this much time, so that what is old can be forgotten. */
const CHUNK_SPAN_MS = 7 * DAY_MS;
/**
 * Samples the write-ahead log may hold, and the commits within which every series that got samples is packed once.
 * Packing seldom packs full chunks, packing often keeps the write-ahead log short: the fuller it is, the shorter the
 * round.
 */
const LONG_LOG = 300_000;
const ROUNDS = [
  { above: 800_000, commits: 2 },
  { above: LONG_LOG, commits: 8 },
  { above: 0, commits: 240 },
] as const;
/** Share of the series that a commit between ticks packs while the write-ahead log is long. */
const COMMIT_SHARE = 64;

/** One series as the engine holds it. What each sample touches stands first. */
export class LiveSeries {
  /** The chunk that is not full yet; NOT_MET until the series is met. */
  open = NOT_MET;
  /** Row of the write-ahead log that has its oldest samples not packed yet; 0 when all are packed. */
  pendingFrom = 0;

  constructor(
    readonly id: number,
    public componentId: number | null,
    readonly serviceId: number | null,
    readonly resourceId: number | null,
    readonly metric: string,
    readonly instance: string,
    readonly unit: string,
    readonly instrument: Instrument,
    public rolledToMs: number | null,
  ) {}
}

const NOT_MET = -1;

/**
 * `tick` packs a share of the open chunks; `commit`, for what has to be safe between ticks, only when the log of
 * samples is long; `full` leaves open chunks alone and the log out, for history in fast motion; `everything` packs
 * all.
 */
export type WriteHow = "tick" | "commit" | "full" | "everything";

/** What was written into a transaction that is not committed yet. */
export interface PendingWrite {
  /** Takes over what was written, once it is committed. */
  settle(): void;
}

export interface FreshSample {
  series: LiveSeries;
  atMs: number;
  value: number;
}

/** Samples that wait for the next commit, as columns. */
class Waiting {
  series = new Uint32Array(1024);
  times = new Float64Array(1024);
  values = new Float64Array(1024);
  count = 0;

  add(seriesId: number, atMs: number, value: number): void {
    if (this.count === this.series.length) {
      const series = new Uint32Array(this.count * 2);
      series.set(this.series);
      this.series = series;
      const wider = (column: Float64Array) => {
        const copy = new Float64Array(this.count * 2);
        copy.set(column);
        return copy;
      };
      this.times = wider(this.times);
      this.values = wider(this.values);
    }
    this.series[this.count] = seriesId;
    this.times[this.count] = atMs;
    this.values[this.count] = value;
    this.count++;
  }

  drop(ids: ReadonlySet<number>): void {
    let place = 0;
    for (let index = 0; index < this.count; index++) {
      if (ids.has(this.series[index] as number)) continue;
      this.series[place] = this.series[index] as number;
      this.times[place] = this.times[index] as number;
      this.values[place] = this.values[index] as number;
      place++;
    }
    this.count = place;
  }

  get entry() {
    return {
      series: this.series.subarray(0, this.count),
      times: this.times.subarray(0, this.count),
      values: this.values.subarray(0, this.count),
    };
  }
}

/**
 * Takes samples in. Each commit writes what is new as one row of the write-ahead log, after which it is safe; a share
 * of the series is then packed into chunks, so that every series is packed once in a round and the write-ahead log
 * stays short.
 */
export class SampleWriter {
  private readonly byKey = new Map<string, LiveSeries>();
  private readonly byId = new Map<number, LiveSeries>();
  private readonly chunks = new OpenChunks();
  /** Chunks that got full since the last commit. */
  private readonly full: { seriesId: number; chunk: Samples }[] = [];
  /** Room for the samples of the chunk that is being packed. */
  private readonly packing: Samples = {
    times: new Float64Array(CHUNK_SAMPLES),
    values: new Float64Array(CHUNK_SAMPLES),
  };
  private readonly late = new Map<LiveSeries, { times: number[]; values: number[] }>();
  /** Series with samples that are not packed, those first met in the write-ahead log first. */
  private readonly queue = new Set<LiveSeries>();
  private readonly waiting = new Waiting();
  private pendingSamples = 0;
  private readonly logCounts: { id: number; count: number }[] = [];
  private lastRow = 0;
  /** Samples since the last tick that rules may be about, in order of arrival. */
  fresh: FreshSample[] = [];
  /** Metrics that rules are about; all of them where this is not set. */
  judgedMetrics: ReadonlySet<string> | undefined;
  /** Whether figures of services are judged, whatever they are called. */
  judgesFigures = true;
  /** Samples that repeated one already there. */
  repeated = 0;
  /** Samples that came after later ones of their series. */
  lateCount = 0;
  taken = 0;
  /** Series made since `together` began. */
  private made: LiveSeries[] | undefined;

  constructor(private readonly db: Db) {
    for (const row of allSeries(db))
      this.keep(
        new LiveSeries(
          row.id,
          row.component_id,
          row.service_id,
          row.resource_id,
          row.metric,
          row.instance,
          row.unit,
          row.instrument,
          row.rolled_to,
        ),
      );
    for (const entry of logAfter(db, 0)) {
      for (let index = 0; index < entry.series.length; index++) {
        const series = this.byId.get(entry.series[index] as number);
        if (!series) continue;
        this.place(series, entry.times[index] as number, entry.values[index] as number);
        this.await(series, entry.id);
      }
      this.logCounts.push({ id: entry.id, count: entry.series.length });
      this.pendingSamples += entry.series.length;
      this.lastRow = entry.id;
    }
    this.repeated = 0;
    this.lateCount = 0;
  }

  private keep(series: LiveSeries): LiveSeries {
    this.byKey.set(keyOf(series, series.metric, series.instance), series);
    this.byId.set(series.id, series);
    return series;
  }

  /** Every series, in no particular order. */
  all(): Iterable<LiveSeries> {
    return this.byId.values();
  }

  get size(): number {
    return this.byId.size;
  }

  /** The series of an owner, made when it is met for the first time. */
  series(
    owner: SeriesOwner,
    metric: string,
    instance: string,
    unit: string,
    atMs: number,
    instrument: Instrument = "gauge",
  ): LiveSeries {
    const known = this.byKey.get(keyOf(owner, metric, instance));
    if (known) return this.load(known);
    const id = insertSeries(this.db, owner, metric, instance, unit, instrument, atMs);
    const series = this.keep(
      new LiveSeries(
        id,
        owner.componentId,
        owner.serviceId,
        owner.resourceId ?? null,
        metric,
        instance,
        unit,
        instrument,
        null,
      ),
    );
    series.open = this.chunks.open();
    this.made?.push(series);
    return series;
  }

  /** Series that are met for the first time by some work are written together: all of them or, where that fails, none. */
  together(work: () => void): void {
    const made: LiveSeries[] = [];
    this.made = made;
    try {
      this.db.transaction(work)();
    } catch (error) {
      this.forget(made);
      throw error;
    } finally {
      this.made = undefined;
    }
  }

  find(owner: SeriesOwner, metric: string, instance: string): LiveSeries | undefined {
    const known = this.byKey.get(keyOf(owner, metric, instance));
    return known && this.load(known);
  }

  /** What is measured of a component, however it comes: the polled series, else one that is sent to us. */
  measured(componentId: number, metric: string, instance: string): LiveSeries | undefined {
    const polled = this.find({ componentId, serviceId: null }, metric, instance);
    if (polled) return polled;
    for (const series of this.byId.values())
      if (series.componentId === componentId && series.metric === metric && series.instance === instance)
        return this.load(series);
    return undefined;
  }

  /** Forgets series that were never committed, and their samples. */
  forget(list: readonly LiveSeries[]): void {
    for (const series of list) {
      this.byKey.delete(keyOf(series, series.metric, series.instance));
      this.byId.delete(series.id);
      this.queue.delete(series);
      this.late.delete(series);
      if (series.open !== NOT_MET) this.chunks.close(series.open);
      series.open = NOT_MET;
    }
    const gone = new Set(list);
    const ids = new Set(list.map((series) => series.id));
    this.fresh = this.fresh.filter((sample) => !gone.has(sample.series));
    for (let index = this.full.length - 1; index >= 0; index--)
      if (ids.has((this.full[index] as { seriesId: number }).seriesId)) this.full.splice(index, 1);
    this.waiting.drop(ids);
  }

  /** Takes up that the signals of a resource now belong to another component. */
  rename(resourceId: number, componentId: number | null): void {
    for (const series of this.byId.values()) if (series.resourceId === resourceId) series.componentId = componentId;
  }

  private load(series: LiveSeries): LiveSeries {
    if (series.open !== NOT_MET) return series;
    const last = openChunk(this.db, series.id);
    series.open = this.chunks.open();
    if (!last) return series;
    const newest = last.times.length - 1;
    this.chunks.setLast(series.open, last.times[newest] as number, last.values[newest] as number);
    if (last.times.length < CHUNK_SAMPLES && (last.times[newest] as number) - (last.times[0] as number) < CHUNK_SPAN_MS)
      this.chunks.replace(series.open, last);
    return series;
  }

  /** Whether the newest samples of a series are in memory: `last` reads them from the store otherwise. */
  isMet(series: LiveSeries): boolean {
    return series.open !== NOT_MET;
  }

  /** The newest sample of a series; NaN where it has none. */
  last(series: LiveSeries): { atMs: number; value: number } {
    this.load(series);
    return { atMs: this.chunks.lastAt(series.open), value: this.chunks.lastValue(series.open) };
  }

  /**
   * Takes a sample. One that repeats another is counted only; one that comes late is put in its place; of two at one
   * instant the later to arrive stays. Rules judge only what is newer than everything before.
   */
  record(series: LiveSeries, atMs: number, value: number): void {
    const at = Math.round(atMs);
    if (series.open === NOT_MET) this.load(series);
    const before = this.chunks.lastAt(series.open);
    if (!this.place(series, at, value)) return;
    this.taken++;
    this.waiting.add(series.id, at, value);
    if (series.pendingFrom === 0) this.await(series, this.lastRow + 1);
    const owned = series.componentId !== null || series.serviceId !== null;
    if (at <= before || !owned) return;
    const { judgedMetrics } = this;
    if (!judgedMetrics || judgedMetrics.has(series.metric) || (series.serviceId !== null && this.judgesFigures))
      this.fresh.push({ series, atMs: at, value });
  }

  private await(series: LiveSeries, row: number): void {
    if (series.pendingFrom === 0) series.pendingFrom = row;
    this.queue.add(series);
  }

  /** Puts a sample into memory; false when it was there already. */
  private place(series: LiveSeries, atMs: number, value: number): boolean {
    const { chunks } = this;
    if (series.open === NOT_MET) this.load(series);
    const { open } = series;
    const count = chunks.count(open);
    if (atMs > chunks.lastAt(open)) {
      if (count >= CHUNK_SAMPLES || (count > 0 && atMs - chunks.firstAt(open) >= CHUNK_SPAN_MS)) {
        this.full.push({ seriesId: series.id, chunk: chunks.samples(open) });
        chunks.empty(open);
      }
      chunks.append(open, atMs, value);
      return true;
    }
    if (count > 0 && atMs >= chunks.firstAt(open)) {
      if (atMs === chunks.lastAt(open) && Object.is(value, chunks.lastValue(open))) {
        this.repeated++;
        return false;
      }
      const samples = chunks.samples(open);
      const index = lowerBound(samples.times, atMs);
      if (samples.times[index] === atMs) {
        if (Object.is(samples.values[index], value)) {
          this.repeated++;
          return false;
        }
        samples.values[index] = value;
        chunks.replace(open, samples);
        return true;
      }
      if (count < CHUNK_SAMPLES) {
        this.lateCount++;
        chunks.replace(open, mergeSamples(samples, { times: Float64Array.of(atMs), values: Float64Array.of(value) }));
        return true;
      }
    }
    this.lateCount++;
    let late = this.late.get(series);
    if (!late) this.late.set(series, (late = { times: [], values: [] }));
    late.times.push(atMs);
    late.values.push(value);
    return true;
  }

  /** Samples of a series in a window, those not committed yet among them. */
  recall(seriesId: number, fromMs: number, toMs: number): Samples {
    const kept = readSamples(this.db, seriesId, fromMs, toMs);
    const open = this.byId.get(seriesId)?.open;
    return open === undefined || open === NOT_MET
      ? kept
      : mergeSamples(kept, cutSamples(this.chunks.samples(open), fromMs, toMs));
  }

  /**
   * Does some work and writes what is new, together or not at all: where anything throws, the store and what is held
   * here are as before, and the samples are written with the next commit.
   */
  commit<T>(how: WriteHow, work: () => T): T {
    let pending: PendingWrite | undefined;
    // Waits for whoever else writes before it reads: what was read before they were done could not be written any more.
    const result = this.db
      .transaction(() => {
        const done = work();
        pending = this.write(how);
        return done;
      })
      .immediate();
    pending?.settle();
    return result;
  }

  /**
   * Writes what is new into the open transaction. Until the returned write is settled, once the transaction is
   * committed, everything counts as not written; one that is let go of changes nothing here.
   */
  write(how: WriteHow = "tick"): PendingWrite {
    for (const { seriesId, chunk } of this.full) writeChunk(this.db, seriesId, chunk, chunk.times.length);
    if (how === "full") return this.pendingWrite([], this.lastRow, 0);
    const row =
      how !== "everything" && this.waiting.count > 0 ? appendToLog(this.db, this.waiting.entry) : this.lastRow;
    const pending = this.pendingSamples + this.waiting.count;
    const round = ROUNDS.find(({ above }) => pending >= above)?.commits ?? 1;
    const share = how === "commit" ? (pending >= LONG_LOG ? COMMIT_SHARE : Number.POSITIVE_INFINITY) : round;
    const packed = this.pack(how === "everything" ? this.queue.size : Math.ceil(this.queue.size / share));
    let oldest = row + 1;
    for (const series of this.queue)
      if (!packed.has(series)) {
        oldest = Math.min(oldest, series.pendingFrom);
        break;
      }
    trimLog(this.db, oldest);
    return this.pendingWrite([...packed], row, oldest);
  }

  /** Packs the open chunks of the series that have waited longest. */
  private pack(count: number): Set<LiveSeries> {
    const packed = new Set<LiveSeries>();
    for (const series of this.queue) {
      if (packed.size >= count) break;
      const late = this.late.get(series);
      if (late) this.mergeLate(series, sortSamples(late.times, late.values));
      const samples = this.chunks.copyTo(series.open, this.packing.times, this.packing.values);
      if (samples > 0) writeChunk(this.db, series.id, this.packing, samples);
      packed.add(series);
    }
    return packed;
  }

  private pendingWrite(packed: readonly LiveSeries[], row: number, trimmedTo: number): PendingWrite {
    return {
      settle: () => {
        this.full.length = 0;
        for (const series of packed) {
          series.pendingFrom = 0;
          this.queue.delete(series);
          this.late.delete(series);
        }
        if (row > this.lastRow) {
          this.logCounts.push({ id: row, count: this.waiting.count });
          this.pendingSamples += this.waiting.count;
          this.lastRow = row;
        }
        this.waiting.count = 0;
        while (this.logCounts.length && (this.logCounts[0] as { id: number }).id < trimmedTo)
          this.pendingSamples -= (this.logCounts.shift() as { count: number }).count;
      },
    };
  }

  private mergeLate(series: LiveSeries, late: Samples): void {
    // A full chunk that is still open takes its own late samples with it.
    const start = this.chunks.count(series.open) > 0 ? this.chunks.firstAt(series.open) : Number.POSITIVE_INFINITY;
    const inside = lowerBound(late.times, start);
    if (inside < late.times.length) {
      const merged = mergeSamples(this.chunks.samples(series.open), {
        times: late.times.subarray(inside),
        values: late.values.subarray(inside),
      });
      const cut = Math.max(0, merged.times.length - CHUNK_SAMPLES);
      if (cut > 0) {
        // Stays in memory until the commit, like every chunk that got full.
        const chunk = { times: merged.times.subarray(0, cut), values: merged.values.subarray(0, cut) };
        this.full.push({ seriesId: series.id, chunk });
        writeChunk(this.db, series.id, chunk, cut);
      }
      this.chunks.replace(series.open, { times: merged.times.subarray(cut), values: merged.values.subarray(cut) });
    }
    if (inside > 0)
      mergeLate(this.db, series.id, { times: late.times.subarray(0, inside), values: late.values.subarray(0, inside) });
    series.rolledToMs = seriesById(this.db, series.id)?.rolled_to ?? null;
  }

  /**
   * Keeps what waits to be judged and written within bounds while nothing can be written; the samples stay in their
   * chunks.
   */
  bound(most = 200_000): void {
    if (this.fresh.length > most) this.fresh = this.fresh.slice(-most);
    if (this.waiting.count > most) this.waiting.count = 0;
  }

  /** Forgets the samples that rules have judged, once what they led to is committed. */
  judged(): void {
    this.fresh = [];
  }

  /** Samples kept in the write-ahead log and not packed yet. */
  get pending(): number {
    return this.pendingSamples;
  }
}

const keyOf = (owner: SeriesOwner, metric: string, instance: string) =>
  `${owner.resourceId ? `o${owner.resourceId}` : (owner.componentId ?? `s${owner.serviceId}`)}|${metric}|${instance}`;
