import { ChunkEncoder, decodeChunk } from "#core/telemetry/chunk";
import { prepared, type Db } from "../store/database";
import { allSeries, insertSeries, writeChunk, type SeriesOwner } from "../store/signals";

/** A chunk is closed at this many samples: an hour at 15 s, 20 hours at 5 min. */
const CHUNK_SAMPLES = 240;

/** One series as the engine holds it. */
export interface LiveSeries {
  id: number;
  componentId: number | null;
  serviceId: number | null;
  metric: string;
  instance: string;
  unit: string;
  encoder: ChunkEncoder;
  lastMs: number;
  lastValue: number;
  dirty: boolean;
}

export interface FreshSample {
  series: LiveSeries;
  atMs: number;
  value: number;
}

/** Takes samples in, packs them, and writes the packed chunks of the series that changed. */
export class Recorder {
  private readonly byKey = new Map<string, LiveSeries>();
  private readonly dirty = new Set<LiveSeries>();
  private readonly full: { seriesId: number; encoder: ChunkEncoder }[] = [];
  /** Samples since the last tick, in order of arrival. */
  fresh: FreshSample[] = [];
  refused = 0;

  constructor(private readonly db: Db) {
    for (const row of allSeries(db)) {
      const series = this.keep(row.id, { componentId: row.component_id, serviceId: row.service_id }, row.metric, row.instance, row.unit);
      const last = prepared<{ count: number; data: Uint8Array }>(db, "SELECT count, data FROM chunk WHERE series_id = ? ORDER BY start_at DESC LIMIT 1").get(row.id);
      if (!last) continue;
      const samples = decodeChunk(last.data, last.count);
      for (let index = 0; index < last.count; index++) series.encoder.append(samples.times[index] as number, samples.values[index] as number);
      series.lastMs = series.encoder.endMs;
      series.lastValue = series.encoder.last;
    }
  }

  private keep(id: number, owner: SeriesOwner, metric: string, instance: string, unit: string): LiveSeries {
    const series: LiveSeries = { id, ...owner, metric, instance, unit, encoder: new ChunkEncoder(), lastMs: 0, lastValue: Number.NaN, dirty: false };
    this.byKey.set(keyOf(owner, metric, instance), series);
    return series;
  }

  /** The series of an owner, made when it is met for the first time. */
  series(owner: SeriesOwner, metric: string, instance: string, unit: string, atMs: number): LiveSeries {
    const known = this.byKey.get(keyOf(owner, metric, instance));
    if (known) return known;
    return this.keep(insertSeries(this.db, owner, metric, instance, unit, atMs), owner, metric, instance, unit);
  }

  find(owner: SeriesOwner, metric: string, instance: string): LiveSeries | undefined {
    return this.byKey.get(keyOf(owner, metric, instance));
  }

  /** Takes a sample; one that is not later than the last of its series is refused and counted. */
  record(series: LiveSeries, atMs: number, value: number): void {
    if (atMs <= series.lastMs) {
      this.refused++;
      return;
    }
    if (series.encoder.count >= CHUNK_SAMPLES) {
      this.full.push({ seriesId: series.id, encoder: series.encoder });
      series.encoder = new ChunkEncoder();
    }
    series.encoder.append(atMs, value);
    series.lastMs = atMs;
    series.lastValue = value;
    if (!series.dirty) {
      series.dirty = true;
      this.dirty.add(series);
    }
    this.fresh.push({ series, atMs, value });
  }

  /**
   * Writes what changed; call inside a transaction, and `settle` once it is committed: until then everything counts as
   * not written. `onlyFull` leaves open chunks for later, for history in fast motion.
   */
  write(onlyFull = false): void {
    for (const { seriesId, encoder } of this.full) writeChunk(this.db, seriesId, encoder, encoder.toBytes());
    if (onlyFull) return;
    for (const series of this.dirty) writeChunk(this.db, series.id, series.encoder, series.encoder.toBytes());
  }

  /** Keeps the list of samples to judge within bounds while nothing can be written; the samples themselves stay packed. */
  boundFresh(most = 200_000): void {
    if (this.fresh.length > most) this.fresh = this.fresh.slice(-most);
  }

  /** Forgets what the last `write` wrote. */
  settle(onlyFull = false): void {
    this.fresh = [];
    this.full.length = 0;
    if (onlyFull) return;
    for (const series of this.dirty) series.dirty = false;
    this.dirty.clear();
  }
}

const keyOf = (owner: SeriesOwner, metric: string, instance: string) => `${owner.componentId ?? `s${owner.serviceId}`}|${metric}|${instance}`;
