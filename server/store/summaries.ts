import { decodeChunk, type Samples } from "#core/telemetry/chunk";
import type { Summary } from "#core/telemetry/lines";
import { cutSamples, mergeSamples, NO_SAMPLES } from "#core/telemetry/merge";
import { pickBestOf, RunningSummary, type RoughSummary } from "#core/telemetry/summaries";
import { prepared, type Db } from "./database";
import { pendingBySeries, type PendingOf } from "./sample-log";

/** Start, end, count, minimum, maximum, sum and last of a chunk; null where something in it is no number. */
type ChunkRow = [
  startMs: number,
  endMs: number,
  count: number,
  min: number | null,
  max: number | null,
  sum: number,
  last: number | null,
];

/**
 * Of some series and a window: their chunks that reach into it, in order. One statement for all: what calls a statement
 * costs more than what it looks up.
 */
function chunksOf(db: Db, seriesIds: readonly number[], fromMs: number, toMs: number): Map<number, ChunkRow[]> {
  const rows = prepared(
    db,
    `SELECT c.start_at, c.end_at, c.count, c.min, c.max, c.sum, c.last, c.series_id
     FROM json_each(?1) AS one CROSS JOIN chunk c ON c.series_id = one.value
     WHERE c.start_at <= ?3
       AND c.start_at >= coalesce((SELECT max(start_at) FROM chunk WHERE series_id = one.value AND start_at <= ?2), 0)`,
  )
    .raw()
    .all({ 1: JSON.stringify(seriesIds), 2: fromMs, 3: toMs }) as [...ChunkRow, seriesId: number][];
  const result = new Map<number, ChunkRow[]>();
  for (const [start, end, count, min, max, sum, last, seriesId] of rows) {
    if (end < fromMs) continue;
    const known = result.get(seriesId);
    if (known) known.push([start, end, count, min, max, sum, last]);
    else result.set(seriesId, [[start, end, count, min, max, sum, last]]);
  }
  // By their key they come in order already; sorting what is sorted costs nothing, and nothing promises it.
  for (const chunks of result.values()) chunks.sort(([a], [b]) => a - b);
  return result;
}

const isWhole = ([start, end, , min, max, , last]: ChunkRow, fromMs: number, toMs: number) =>
  start >= fromMs && end <= toMs && min !== null && max !== null && last !== null;

/**
 * What the chunks of a window say unopened, and how to get at the exact figures; chunks that lie inside it whole are
 * never unpacked.
 */
function lookInto(
  db: Db,
  pendingOf: PendingOf,
  seriesId: number,
  rows: readonly ChunkRow[],
  fromMs: number,
  toMs: number,
): { rough: () => RoughSummary; exact: () => Summary } {
  const pending = cutSamples(pendingOf(seriesId), fromMs, toMs);
  // Samples can be pending and packed at once, or have come late: from there on both have to be put together.
  const mixedFrom = pending.times[0] ?? Number.POSITIVE_INFINITY;
  const mixed = rows.findIndex(([, end]) => end >= mixedFrom);
  const clear = mixed < 0 ? rows : rows.slice(0, mixed);
  const mixedRows = mixed < 0 ? [] : rows.slice(mixed);
  const unpack = ([start, , count]: ChunkRow): Samples => {
    const data = prepared<{ data: Uint8Array }>(db, "SELECT data FROM chunk WHERE series_id = ? AND start_at = ?").get(
      seriesId,
      start,
    )?.data;
    return data ? cutSamples(decodeChunk(data, count), fromMs, toMs) : NO_SAMPLES;
  };
  const run = (part: (row: ChunkRow, running: RunningSummary) => void, rest: (running: RunningSummary) => void) => {
    const running = new RunningSummary();
    for (const row of clear) {
      if (isWhole(row, fromMs, toMs))
        running.takeChunk(row[2], row[3] as number, row[4] as number, row[5], row[6] as number);
      else part(row, running);
    }
    rest(running);
    return running;
  };
  return {
    rough: () => {
      const parts: RoughSummary["parts"] = [];
      const add = ([, , count, min, max]: ChunkRow) => parts.push({ count, min, max });
      const whole = run(add, (running) => {
        if (!mixedRows.length) return running.take(pending);
        mixedRows.forEach(add);
        const { min, max, count } = new RunningSummary().take(pending);
        if (count) parts.push({ count, min, max });
      });
      return { whole, parts };
    },
    exact: () =>
      run(
        (row, running) => running.take(unpack(row)),
        (running) => running.take(mixedRows.reduce((samples, row) => mergeSamples(unpack(row), samples), pending)),
      ).summary,
  };
}

/** Of many, those whose series have the highest or lowest figure in a window, best first. */
export function bestIn<Item>(
  db: Db,
  items: readonly Item[],
  seriesOf: (item: Item) => number,
  fromMs: number,
  toMs: number,
  rank: Exclude<keyof Summary, "count">,
  which: "highest" | "lowest",
  count: number,
): Item[] {
  const pendingOf = pendingBySeries(db);
  const chunks = chunksOf(db, items.map(seriesOf), fromMs, toMs);
  const looks = items.map((item) => {
    const id = seriesOf(item);
    return { item, ...lookInto(db, pendingOf, id, chunks.get(id) ?? [], fromMs, toMs) };
  });
  return pickBestOf(
    looks,
    (look) => look.rough(),
    (look) => look.exact(),
    rank,
    which,
    count,
  ).map(({ item }) => item);
}
