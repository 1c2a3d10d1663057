import { BitReader, BitWriter } from "./bits";

/**
 * Quantiles of many positive values in little room, with a stated relative error, after Masson, Rim and Lee,
 * "DDSketch: a fast and fully-mergeable quantile sketch with relative-error guarantees" (VLDB 2019). Values fall into
 * buckets (γ^(i−1), γ^i] with γ = (1+α)/(1−α); a quantile is answered by 2γ^i/(γ+1), which is within α of every value
 * in the bucket.
 */

/** Relative error α of every quantile. */
export const SKETCH_ERROR = 0.01;
const GAMMA = (1 + SKETCH_ERROR) / (1 - SKETCH_ERROR);
const LOG_GAMMA = Math.log(GAMMA);
/** Values at or below this count as zero. */
const LEAST = 1e-9;

/** With more buckets than this a sketch keeps them as a row of counts, which is merged into many times faster. */
const MOST_SPARSE = 48;
/** A row of counts is at most so long; values further apart stay in a table. */
const LONGEST_ROW = 4096;

export class Sketch {
  /** Counts by bucket, while they are few. */
  private buckets = new Map<number, number>();
  /** Counts of all buckets from one on, once they are many. */
  private row: { from: number; counts: Float64Array } | undefined;
  zeros = 0;
  count = 0;

  add(value: number, times = 1): void {
    this.count += times;
    if (!(value > LEAST)) {
      this.zeros += times;
      return;
    }
    this.put(Math.ceil(Math.log(value) / LOG_GAMMA), times);
  }

  private put(index: number, times: number): void {
    const { row } = this;
    if (!row) {
      this.buckets.set(index, (this.buckets.get(index) ?? 0) + times);
      if (this.buckets.size > MOST_SPARSE) this.toRow();
      return;
    }
    const place = index - row.from;
    if (place >= 0 && place < row.counts.length) row.counts[place] = (row.counts[place] as number) + times;
    else this.widen(index, times);
  }

  private toRow(): void {
    let lowest = Number.POSITIVE_INFINITY;
    let highest = Number.NEGATIVE_INFINITY;
    for (const index of this.buckets.keys()) {
      if (index < lowest) lowest = index;
      if (index > highest) highest = index;
    }
    if (highest - lowest >= LONGEST_ROW) return;
    const row = { from: lowest, counts: new Float64Array(highest - lowest + 1) };
    for (const [index, count] of this.buckets) row.counts[index - lowest] = count;
    this.row = row;
    this.buckets = new Map();
  }

  /** Makes room for a bucket outside the row, or goes back to a table when it lies too far away. */
  private widen(index: number, times: number): void {
    const { from, counts } = this.row as { from: number; counts: Float64Array };
    const lowest = Math.min(from, index);
    const length = Math.max(from + counts.length, index + 1) - lowest;
    if (length > LONGEST_ROW) {
      this.buckets = new Map(this.inOrder());
      this.row = undefined;
      this.buckets.set(index, times);
      return;
    }
    // Some room to spare on the side that grew.
    const spare = Math.min(64, LONGEST_ROW - length);
    const start = index < from ? lowest - spare : lowest;
    const wider = new Float64Array(length + spare);
    wider.set(counts, from - start);
    wider[index - start] = (wider[index - start] as number) + times;
    this.row = { from: start, counts: wider };
  }

  merge(other: Sketch): void {
    this.count += other.count;
    this.zeros += other.zeros;
    for (const [index, count] of other.sorted()) this.put(index, count);
  }

  /** The value with this share of all at or below it, within the stated error; NaN when nothing was added. */
  quantile(share: number): number {
    if (this.count === 0) return Number.NaN;
    const rank = Math.max(1, Math.ceil(share * this.count));
    let seen = this.zeros;
    if (seen >= rank) return 0;
    const sorted = this.sorted();
    for (const [index, count] of sorted) {
      seen += count;
      if (seen >= rank) return middle(index);
    }
    return middle((sorted.at(-1) as [number, number])[0]);
  }

  /** How many values are at most so large, within the stated error of the limit. */
  atMost(limit: number): number {
    if (!(limit > LEAST)) return this.zeros;
    const last = Math.ceil(Math.log(limit) / LOG_GAMMA);
    return this.sorted().reduce((sum, [index, count]) => (index <= last ? sum + count : sum), this.zeros);
  }

  /** Buckets as [lower end, upper end, count], lowest first. */
  ranges(): [from: number, to: number, count: number][] {
    const list = this.sorted().map(([index, count]): [number, number, number] => [
      GAMMA ** (index - 1),
      GAMMA ** index,
      count,
    ]);
    return this.zeros ? [[0, LEAST, this.zeros], ...list] : list;
  }

  private order: { count: number; sorted: [number, number][] } | undefined;

  /** Buckets from the lowest; put in order anew when something was added since. */
  private sorted(): [number, number][] {
    if (this.order?.count !== this.count) this.order = { count: this.count, sorted: this.inOrder() };
    return (this.order as { sorted: [number, number][] }).sorted;
  }

  private inOrder(): [number, number][] {
    if (!this.row) return [...this.buckets].sort((a, b) => a[0] - b[0]);
    const { from, counts } = this.row;
    const list: [number, number][] = [];
    for (let place = 0; place < counts.length; place++)
      if ((counts[place] as number) > 0) list.push([from + place, counts[place] as number]);
    return list;
  }

  toBytes(): Uint8Array {
    const sorted = this.sorted();
    const bits = new BitWriter();
    bits.writeSized(this.zeros);
    bits.writeSized(sorted.length);
    if (sorted.length) {
      bits.writeSized((sorted[0] as [number, number])[0] + 100_000);
      bits.writeRice(
        Float64Array.from(sorted.slice(1), ([index], place) => index - (sorted[place] as [number, number])[0] - 1),
        sorted.length - 1,
      );
      bits.writeRice(
        Float64Array.from(sorted, ([, count]) => count - 1),
        sorted.length,
      );
    }
    return bits.toBytes();
  }

  /** Adds what was packed before. Throws a RangeError when the bytes end too early. */
  mergeBytes(bytes: Uint8Array): void {
    const bits = new BitReader(bytes);
    const zeros = bits.readSized();
    this.zeros += zeros;
    this.count += zeros;
    const length = bits.readSized();
    if (!length) return;
    let index = bits.readSized() - 100_000;
    const steps = bits.readRice(length - 1);
    const counts = bits.readRice(length);
    for (let place = 0; place < length; place++) {
      if (place > 0) index += (steps[place - 1] as number) + 1;
      const count = (counts[place] as number) + 1;
      this.put(index, count);
      this.count += count;
    }
  }

  static fromBytes(bytes: Uint8Array): Sketch {
    const sketch = new Sketch();
    sketch.mergeBytes(bytes);
    return sketch;
  }
}

const middle = (index: number) => (2 * GAMMA ** index) / (GAMMA + 1);
