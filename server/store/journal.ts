import type { Samples } from "#core/telemetry/chunk";
import { sortSamples } from "#core/telemetry/merge";
import { prepared, type Db } from "./database";

/** Samples in the order of their arrival; columns of equal length. */
export interface JournalEntry {
  series: Uint32Array;
  /** Epoch milliseconds. */
  times: Float64Array;
  values: Float64Array;
}

/** Keeps samples that are not packed yet; the number of the row. */
export function appendJournal(db: Db, { series, times, values }: JournalEntry): number {
  const count = series.length;
  const data = new Uint8Array(count * 20);
  data.set(new Uint8Array(series.buffer, series.byteOffset, count * 4), 0);
  data.set(new Uint8Array(times.buffer, times.byteOffset, count * 8), count * 4);
  data.set(new Uint8Array(values.buffer, values.byteOffset, count * 8), count * 12);
  let newest = 0;
  for (const at of times) if (at > newest) newest = at;
  return Number(prepared(db, "INSERT INTO journal (count, newest_at, data) VALUES (?, ?, ?)").run(count, newest, data).lastInsertRowid);
}

/** Forgets rows whose samples are packed by now. */
export function trimJournal(db: Db, beforeId: number): void {
  prepared(db, "DELETE FROM journal WHERE id < ?").run(beforeId);
}

export function* journalAfter(db: Db, afterId: number): Generator<JournalEntry & { id: number }> {
  const statement = prepared<{ id: number; count: number; data: Uint8Array }>(db, "SELECT id, count, data FROM journal WHERE id > ? ORDER BY id LIMIT 64");
  for (let last = afterId; ; ) {
    const rows = statement.all(last);
    if (!rows.length) return;
    for (const { id, count, data } of rows) {
      // A copy of its own, so that the columns start at whole words.
      const bytes = new Uint8Array(data).buffer;
      yield { id, series: new Uint32Array(bytes.slice(0, count * 4)), times: new Float64Array(bytes.slice(count * 4, count * 12)), values: new Float64Array(bytes.slice(count * 12)) };
      last = id;
    }
  }
}

interface Pending {
  ids: number[];
  times: number[];
  values: number[];
}

const NONE: Samples = { times: new Float64Array(0), values: new Float64Array(0) };
/** So many rows may be stale before what they held is dropped from memory. */
const STALE_ROWS = 32;

/**
 * The journal as one connection sees it, by series. It only ever reads rows that are new, and drops what has been packed;
 * what it still holds of packed rows is the same as in the chunks and does no harm.
 */
class JournalView {
  private readonly bySeries = new Map<number, Pending>();
  private firstId = 0;
  private lastId = 0;

  constructor(private readonly db: Db) {}

  private refresh(): void {
    const bounds = prepared<{ first: number | null; last: number | null }>(this.db, "SELECT (SELECT id FROM journal ORDER BY id LIMIT 1) AS first, (SELECT id FROM journal ORDER BY id DESC LIMIT 1) AS last").get();
    if (bounds?.last == null || bounds.first == null) {
      this.bySeries.clear();
      return;
    }
    if (bounds.first - this.firstId >= STALE_ROWS) {
      this.firstId = bounds.first;
      for (const [series, pending] of this.bySeries) {
        const keep = pending.ids.findIndex((id) => id >= this.firstId);
        if (keep < 0) this.bySeries.delete(series);
        else if (keep > 0) for (const column of [pending.ids, pending.times, pending.values]) column.splice(0, keep);
      }
    }
    if (bounds.last <= this.lastId) return;
    for (const entry of journalAfter(this.db, this.lastId)) {
      for (let index = 0; index < entry.series.length; index++) {
        const series = entry.series[index] as number;
        let pending = this.bySeries.get(series);
        if (!pending) this.bySeries.set(series, (pending = { ids: [], times: [], values: [] }));
        pending.ids.push(entry.id);
        pending.times.push(entry.times[index] as number);
        pending.values.push(entry.values[index] as number);
      }
      this.lastId = entry.id;
    }
  }

  of(seriesId: number): Samples {
    this.refresh();
    const pending = this.bySeries.get(seriesId);
    return pending ? sortSamples(pending.times, pending.values) : NONE;
  }
}

const views = new WeakMap<Db, JournalView>();

/** Samples of a series that may not be packed yet, in the order of their instants. Ask before its chunks are read. */
export function pendingSamples(db: Db, seriesId: number): Samples {
  let view = views.get(db);
  if (!view) views.set(db, (view = new JournalView(db)));
  return view.of(seriesId);
}
