import { decodeChunk, type ChunkSummary, type Samples } from "#core/telemetry/chunk";
import { prepared, type Db } from "./database";

export interface SeriesRow {
  id: number;
  component_id: number | null;
  service_id: number | null;
  metric: string;
  instance: string;
  unit: string;
}

export interface SeriesOwner {
  componentId: number | null;
  serviceId: number | null;
}

export function insertSeries(db: Db, owner: SeriesOwner, metric: string, instance: string, unit: string, atMs: number): number {
  return Number(
    prepared(db, "INSERT INTO series (component_id, service_id, metric, instance, unit, created_at) VALUES (?, ?, ?, ?, ?, ?)").run(
      owner.componentId,
      owner.serviceId,
      metric,
      instance,
      unit,
      atMs,
    ).lastInsertRowid,
  );
}

export function allSeries(db: Db): SeriesRow[] {
  return prepared<SeriesRow>(db, "SELECT id, component_id, service_id, metric, instance, unit FROM series").all();
}

export function seriesOfComponent(db: Db, componentId: number): SeriesRow[] {
  return prepared<SeriesRow>(db, "SELECT id, component_id, service_id, metric, instance, unit FROM series WHERE component_id = ? ORDER BY metric, instance").all(componentId);
}

/** The series of one metric that has no instances. */
export function seriesOfMetric(db: Db, componentId: number, metric: string): SeriesRow | undefined {
  return prepared<SeriesRow>(db, "SELECT id, component_id, service_id, metric, instance, unit FROM series WHERE component_id = ? AND metric = ? AND instance = ''").get(componentId, metric);
}

export function seriesById(db: Db, id: number): SeriesRow | undefined {
  return prepared<SeriesRow>(db, "SELECT id, component_id, service_id, metric, instance, unit FROM series WHERE id = ?").get(id);
}

export function seriesOfService(db: Db, serviceId: number): SeriesRow | undefined {
  return prepared<SeriesRow>(db, "SELECT id, component_id, service_id, metric, instance, unit FROM series WHERE service_id = ? ORDER BY id LIMIT 1").get(serviceId);
}

/** Writes a chunk, or writes the series' last chunk anew. */
export function writeChunk(db: Db, seriesId: number, chunk: ChunkSummary, bytes: Uint8Array): void {
  const finite = (value: number) => (Number.isFinite(value) ? value : null);
  prepared(
    db,
    `INSERT INTO chunk (series_id, start_at, end_at, count, min, max, sum, last, data) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)
     ON CONFLICT (series_id, start_at) DO UPDATE SET end_at = excluded.end_at, count = excluded.count, min = excluded.min, max = excluded.max,
       sum = excluded.sum, last = excluded.last, data = excluded.data`,
  ).run(seriesId, chunk.startMs, chunk.endMs, chunk.count, finite(chunk.min), finite(chunk.max), chunk.sum, finite(chunk.last), bytes);
}

interface ChunkRow {
  start_at: number;
  end_at: number;
  count: number;
  data: Uint8Array;
}

/** Samples of a series in a window, both ends included. */
export function readSamples(db: Db, seriesId: number, fromMs: number, toMs: number): Samples {
  const rows = prepared<ChunkRow>(
    db,
    `SELECT start_at, end_at, count, data FROM chunk WHERE series_id = ? AND start_at <= ?
       AND start_at >= coalesce((SELECT max(start_at) FROM chunk WHERE series_id = ? AND start_at <= ?), 0) ORDER BY start_at`,
  ).all(seriesId, toMs, seriesId, fromMs);
  const decoded = rows.filter((row) => row.end_at >= fromMs).map((row) => decodeChunk(row.data, row.count));
  const total = decoded.reduce((sum, part) => sum + part.times.length, 0);
  const times = new Float64Array(total);
  const values = new Float64Array(total);
  let place = 0;
  for (const part of decoded) {
    for (let index = 0; index < part.times.length; index++) {
      const at = part.times[index] as number;
      if (at < fromMs || at > toMs) continue;
      times[place] = at;
      values[place] = part.values[index] as number;
      place++;
    }
  }
  return { times: times.subarray(0, place), values: values.subarray(0, place) };
}

/** The last sample at or before an instant, no older than `maxAgeMs`. */
export function lastSample(db: Db, seriesId: number, atMs: number, maxAgeMs: number): { atMs: number; value: number } | undefined {
  const row = prepared<ChunkRow & { last: number | null }>(
    db,
    "SELECT start_at, end_at, count, last, data FROM chunk WHERE series_id = ? AND start_at <= ? ORDER BY start_at DESC LIMIT 1",
  ).get(seriesId, atMs);
  if (!row) return undefined;
  if (row.end_at <= atMs) return row.last === null || row.end_at < atMs - maxAgeMs ? undefined : { atMs: row.end_at, value: row.last };
  const samples = decodeChunk(row.data, row.count);
  for (let index = samples.times.length - 1; index >= 0; index--) {
    const at = samples.times[index] as number;
    if (at <= atMs) return at < atMs - maxAgeMs ? undefined : { atMs: at, value: samples.values[index] as number };
  }
  return undefined;
}

/** The newest instant any sample is kept of; what the clock must not be set before. */
export function newestSampleMs(db: Db): number | undefined {
  return prepared<{ newest: number | null }>(db, "SELECT max(end_at) AS newest FROM chunk").get()?.newest ?? undefined;
}

export function storedSamples(db: Db): { samples: number; bytes: number; series: number } {
  const row = prepared<{ samples: number | null; bytes: number | null; series: number }>(
    db,
    "SELECT sum(count) AS samples, sum(length(data)) AS bytes, (SELECT count(*) FROM series) AS series FROM chunk",
  ).get();
  return { samples: row?.samples ?? 0, bytes: row?.bytes ?? 0, series: row?.series ?? 0 };
}
