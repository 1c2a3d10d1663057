import type { Instrument } from "#core/catalogue/metrics";
import { decodeChunk, encodeChunk, summarise, type Samples } from "#core/telemetry/chunk";
import { cutSamples, mergeSamples, NO_SAMPLES } from "#core/telemetry/merge";
import { DAY_MS } from "#core/time/windows";
import { prepared, type Db } from "./database";
import { newestPending, pendingSamples, type PointInTime } from "./sample-log";
import { dropRollupsFrom, setRolledTo } from "./rollups";

export interface SeriesRow {
  id: number;
  component_id: number | null;
  service_id: number | null;
  resource_id: number | null;
  metric: string;
  instance: string;
  unit: string;
  instrument: Instrument;
  rolled_to: number | null;
}

export interface SeriesOwner {
  componentId: number | null;
  serviceId: number | null;
  /** Set for signals that were sent to us. */
  resourceId?: number | null;
}

const COLUMNS = "id, component_id, service_id, resource_id, metric, instance, unit, instrument, rolled_to";

export function insertSeries(
  db: Db,
  owner: SeriesOwner,
  metric: string,
  instance: string,
  unit: string,
  instrument: Instrument,
  atMs: number,
): number {
  return Number(
    prepared(
      db,
      `INSERT INTO series (component_id, service_id, resource_id, metric, instance, unit, instrument, created_at)
       VALUES (?, ?, ?, ?, ?, ?, ?, ?)`,
    ).run(owner.componentId, owner.serviceId, owner.resourceId ?? null, metric, instance, unit, instrument, atMs)
      .lastInsertRowid,
  );
}

export function allSeries(db: Db): SeriesRow[] {
  return prepared<SeriesRow>(db, `SELECT ${COLUMNS} FROM series`).all();
}

export function seriesOfComponent(db: Db, componentId: number): SeriesRow[] {
  return prepared<SeriesRow>(db, `SELECT ${COLUMNS} FROM series WHERE component_id = ? ORDER BY metric, instance`).all(
    componentId,
  );
}

/** The series of one metric that has no instances; the polled one where it is sent to us as well. */
export function seriesOfMetric(db: Db, componentId: number, metric: string): SeriesRow | undefined {
  return prepared<SeriesRow>(
    db,
    `SELECT ${COLUMNS} FROM series WHERE component_id = ? AND metric = ? AND instance = ''
     ORDER BY resource_id IS NOT NULL, id LIMIT 1`,
  ).get(componentId, metric);
}

/**
 * The series of some metrics without instances, of many components at once; of what is polled and sent, the polled
 * one.
 */
export function seriesOfMetrics(
  db: Db,
  componentIds: Iterable<number>,
  metrics: Iterable<string>,
): Map<number, Map<string, SeriesRow>> {
  const rows = prepared<SeriesRow & { component_id: number }>(
    db,
    `SELECT ${COLUMNS} FROM series WHERE component_id IN (SELECT value FROM json_each(?))
       AND metric IN (SELECT value FROM json_each(?)) AND instance = '' ORDER BY resource_id IS NOT NULL, id`,
  ).all(JSON.stringify([...componentIds]), JSON.stringify([...metrics]));
  const found = new Map<number, Map<string, SeriesRow>>();
  for (const row of rows) {
    const own = found.get(row.component_id) ?? new Map<string, SeriesRow>();
    if (!own.has(row.metric)) own.set(row.metric, row);
    found.set(row.component_id, own);
  }
  return found;
}

/** The polled series of some metrics of many components with all their instances; the sent ones where none is polled. */
export function seriesOfAll(
  db: Db,
  componentIds: Iterable<number>,
  metrics: Iterable<string>,
): Map<number, SeriesRow[]> {
  const rows = prepared<SeriesRow & { component_id: number }>(
    db,
    `SELECT ${COLUMNS} FROM series WHERE component_id IN (SELECT value FROM json_each(?))
       AND metric IN (SELECT value FROM json_each(?)) ORDER BY resource_id IS NOT NULL, id`,
  ).all(JSON.stringify([...componentIds]), JSON.stringify([...metrics]));
  const found = new Map<number, SeriesRow[]>();
  const met = new Set<string>();
  for (const row of rows) {
    const own = found.get(row.component_id) ?? [];
    found.set(row.component_id, own);
    const key = `${row.component_id}|${row.metric}|${row.instance}`;
    if (met.has(key)) continue;
    met.add(key);
    own.push(row);
  }
  return found;
}

/** Whether a component has a series of one of some metrics, whatever its instances. */
export const hasSeriesOf = (db: Db, componentId: number, metrics: readonly string[]): boolean =>
  prepared(
    db,
    "SELECT 1 FROM series WHERE component_id = ? AND metric IN (SELECT value FROM json_each(?)) LIMIT 1",
  ).get(componentId, JSON.stringify(metrics)) !== undefined;

/** Components that are asked one by one whether they have a metric, before all that have it are gone through. */
const ASKED_FIRST = 50;

/** Which of some metrics any of many components has as a whole, in the order asked. */
export function metricsOfMany(db: Db, componentIds: Iterable<number>, metrics: readonly string[]): string[] {
  const wanted = new Set(componentIds);
  if (wanted.size === 0) return [];
  const few = JSON.stringify([...wanted].slice(0, ASKED_FIRST));
  const some = prepared<{ found: number }>(
    db,
    `SELECT EXISTS (SELECT 1 FROM json_each(?) j CROSS JOIN series INDEXED BY series_owner
       ON component_id = j.value AND metric = ? AND instance = '') AS found`,
  );
  const owners = prepared<{ id: number }>(
    db,
    `SELECT component_id AS id FROM series INDEXED BY series_metric
     WHERE metric = ? AND instance = '' AND component_id IS NOT NULL`,
  );
  // What none of the first has is looked for from the side of the metric: it is mostly had by few.
  const isHad = (metric: string) => {
    for (const { id } of owners.iterate(metric)) if (wanted.has(id)) return true;
    return false;
  };
  return metrics.filter((metric) => some.get(few, metric)?.found === 1 || isHad(metric));
}

export function seriesById(db: Db, id: number): SeriesRow | undefined {
  return prepared<SeriesRow>(db, `SELECT ${COLUMNS} FROM series WHERE id = ?`).get(id);
}

export function seriesOfService(db: Db, serviceId: number): SeriesRow | undefined {
  return prepared<SeriesRow>(db, `SELECT ${COLUMNS} FROM series WHERE service_id = ? ORDER BY id LIMIT 1`).get(
    serviceId,
  );
}

/** Packs the first `count` samples into a chunk, or writes the chunk that begins at the same instant anew. */
export function writeChunk(db: Db, seriesId: number, samples: Samples, count: number): void {
  const chunk = summarise(samples, count);
  // Where something in it is no number, the summary says so by having no extremes.
  const known = (value: number) => (chunk.plain ? value : null);
  prepared(
    db,
    `INSERT INTO chunk (series_id, start_at, end_at, count, min, max, sum, last, data) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)
     ON CONFLICT (series_id, start_at) DO UPDATE SET end_at = excluded.end_at, count = excluded.count, min = excluded.min, max = excluded.max,
       sum = excluded.sum, last = excluded.last, data = excluded.data`,
  ).run(
    seriesId,
    chunk.startMs,
    chunk.endMs,
    chunk.count,
    known(chunk.min),
    known(chunk.max),
    chunk.sum,
    Number.isFinite(chunk.last) ? chunk.last : null,
    encodeChunk(samples, count),
  );
}

interface ChunkRow {
  start_at: number;
  end_at: number;
  count: number;
  data: Uint8Array;
}

/** A chunk holds at most this many samples: an hour at 15 s, 20 hours at 5 min. */
export const CHUNK_SAMPLES = 240;

/** Chunks that reach into a window, in order, with the one before it when that has room left. */
function chunksOver(db: Db, seriesId: number, fromMs: number, toMs: number): ChunkRow[] {
  return prepared<ChunkRow>(
    db,
    `SELECT start_at, end_at, count, data FROM chunk WHERE series_id = ? AND start_at <= ?
       AND start_at >= coalesce((SELECT max(start_at) FROM chunk WHERE series_id = ? AND start_at <= ?), 0) ORDER BY start_at`,
  ).all(seriesId, toMs, seriesId, fromMs);
}

const joinSamples = (parts: readonly Samples[]): Samples => {
  if (parts.length === 1) return parts[0] as Samples;
  const total = parts.reduce((sum, part) => sum + part.times.length, 0);
  const times = new Float64Array(total);
  const values = new Float64Array(total);
  let place = 0;
  for (const part of parts) {
    times.set(part.times, place);
    values.set(part.values, place);
    place += part.times.length;
  }
  return { times, values };
};

/**
 * Puts samples that came late among those already packed; where both have one at an instant, the late one stays. What
 * was summed up from them before is forgotten and summed up anew.
 */
export function mergeLate(db: Db, seriesId: number, late: Samples): void {
  const fromMs = late.times[0] as number;
  const toMs = late.times[late.times.length - 1] as number;
  const rows = chunksOver(db, seriesId, fromMs, toMs).filter(
    (row) => row.end_at >= fromMs || row.count < CHUNK_SAMPLES,
  );
  const merged = mergeSamples(joinSamples(rows.map((row) => decodeChunk(row.data, row.count))), late);
  for (const row of rows)
    prepared(db, "DELETE FROM chunk WHERE series_id = ? AND start_at = ?").run(seriesId, row.start_at);
  for (let from = 0; from < merged.times.length; from += CHUNK_SAMPLES) {
    const part = {
      times: merged.times.subarray(from, from + CHUNK_SAMPLES),
      values: merged.values.subarray(from, from + CHUNK_SAMPLES),
    };
    writeChunk(db, seriesId, part, part.times.length);
  }
  const rolledTo = seriesById(db, seriesId)?.rolled_to ?? null;
  const day = Math.floor(fromMs / DAY_MS) * DAY_MS;
  if (rolledTo === null || rolledTo <= fromMs) return;
  dropRollupsFrom(db, seriesId, day);
  setRolledTo(db, seriesId, day);
}

/** Samples of a series in a window, both ends included, those not packed yet among them. */
export function readSamples(db: Db, seriesId: number, fromMs: number, toMs: number): Samples {
  const pending = cutSamples(pendingSamples(db, seriesId), fromMs, toMs);
  const packed = joinSamples(
    chunksOver(db, seriesId, fromMs, toMs)
      .filter((row) => row.end_at >= fromMs)
      .map((row) => decodeChunk(row.data, row.count)),
  );
  return mergeSamples(cutSamples(packed, fromMs, toMs), pending);
}

/** The last samples packed of a series, if there is room for more in their chunk. */
export function openChunk(db: Db, seriesId: number): Samples | undefined {
  const row = prepared<ChunkRow>(
    db,
    "SELECT start_at, end_at, count, data FROM chunk WHERE series_id = ? ORDER BY start_at DESC LIMIT 1",
  ).get(seriesId);
  return row && decodeChunk(row.data, row.count);
}

/** The last sample at or before an instant, no older than `maxAgeMs`. */
export const lastSample = (db: Db, seriesId: number, atMs: number, maxAgeMs: number): PointInTime | undefined =>
  lastSamples(db, atMs, maxAgeMs)(seriesId);

/** As `lastSample`, of many series: what is not packed yet is looked for once. */
export function lastSamples(db: Db, atMs: number, maxAgeMs: number): (seriesId: number) => PointInTime | undefined {
  const pendingOf = newestPending(db, atMs - maxAgeMs, atMs);
  const lastChunk = prepared<{ start_at: number; end_at: number; count: number; last: number | null }>(
    db,
    `SELECT start_at, end_at, count, last FROM chunk WHERE series_id = ? AND start_at <= ?
     ORDER BY start_at DESC LIMIT 1`,
  );
  return (seriesId) => {
    const own = pendingOf(seriesId);
    const row = lastChunk.get(seriesId, atMs);
    // What is pending is nearly always newer than what is packed.
    if (!row || (own && row.end_at <= own.atMs)) return own;
    const packed =
      row.end_at <= atMs
        ? { atMs: row.end_at, value: row.last ?? Number.NaN }
        : lastOf(cutSamples(unpackedChunk(db, seriesId, row.start_at), row.start_at, atMs));
    if (!packed || packed.atMs < atMs - maxAgeMs || Number.isNaN(packed.value)) return own;
    return own && own.atMs >= packed.atMs ? own : packed;
  };
}

function unpackedChunk(db: Db, seriesId: number, startMs: number): Samples {
  const row = prepared<{ count: number; data: Uint8Array }>(
    db,
    "SELECT count, data FROM chunk WHERE series_id = ? AND start_at = ?",
  ).get(seriesId, startMs);
  return row ? decodeChunk(row.data, row.count) : NO_SAMPLES;
}

function lastOf({ times, values }: Samples): PointInTime | undefined {
  const index = times.length - 1;
  return index < 0 ? undefined : { atMs: times[index] as number, value: values[index] as number };
}

/** The newest instant any sample is kept of; what the clock must not be set before. */
export function newestSampleMs(db: Db): number | undefined {
  return (
    prepared<{ newest: number | null }>(
      db,
      `SELECT max(coalesce((SELECT max(end_at) FROM chunk), 0), coalesce((SELECT max(newest_at)
       FROM sample_wal), 0)) AS newest`,
    ).get()?.newest || undefined
  );
}

/** Forgets chunks that end before an instant; how many. */
export function forgetChunks(db: Db, seriesId: number, beforeMs: number): number {
  return prepared(db, "DELETE FROM chunk WHERE series_id = ? AND start_at < ? AND end_at < ?").run(
    seriesId,
    beforeMs,
    beforeMs,
  ).changes;
}

/** Start of the first chunk of a series. */
export function firstSampleMs(db: Db, seriesId: number): number | undefined {
  return prepared<{ start_at: number }>(
    db,
    "SELECT start_at FROM chunk WHERE series_id = ? ORDER BY start_at LIMIT 1",
  ).get(seriesId)?.start_at;
}

export function storedSamples(db: Db): { samples: number; bytes: number; series: number } {
  const row = prepared<{ samples: number | null; bytes: number | null; series: number }>(
    db,
    "SELECT sum(count) AS samples, sum(length(data)) AS bytes, (SELECT count(*) FROM series) AS series FROM chunk",
  ).get();
  return { samples: row?.samples ?? 0, bytes: row?.bytes ?? 0, series: row?.series ?? 0 };
}
