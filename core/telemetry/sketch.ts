import { BitReader, BitWriter } from "./bits";

/**
 * Quantiles of many positive values in little room, with a stated relative error, after Masson, Rim and Lee, "DDSketch: a
 * fast and fully-mergeable quantile sketch with relative-error guarantees" (VLDB 2019). Values fall into buckets
 * (γ^(i−1), γ^i] with γ = (1+α)/(1−α); a quantile is answered by 2γ^i/(γ+1), which is within α of every value in the bucket.
 */

/** Relative error α of every quantile. */
export const SKETCH_ERROR = 0.01;
const GAMMA = (1 + SKETCH_ERROR) / (1 - SKETCH_ERROR);
const LOG_GAMMA = Math.log(GAMMA);
/** Values at or below this count as zero. */
const LEAST = 1e-9;

export class Sketch {
  private readonly buckets = new Map<number, number>();
  zeros = 0;
  count = 0;

  add(value: number, times = 1): void {
    this.count += times;
    if (!(value > LEAST)) {
      this.zeros += times;
      return;
    }
    const index = Math.ceil(Math.log(value) / LOG_GAMMA);
    this.buckets.set(index, (this.buckets.get(index) ?? 0) + times);
  }

  merge(other: Sketch): void {
    this.count += other.count;
    this.zeros += other.zeros;
    for (const [index, count] of other.buckets) this.buckets.set(index, (this.buckets.get(index) ?? 0) + count);
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

  /** Buckets as [lower end, upper end, count], lowest first. */
  ranges(): [from: number, to: number, count: number][] {
    const list = this.sorted().map(([index, count]): [number, number, number] => [GAMMA ** (index - 1), GAMMA ** index, count]);
    return this.zeros ? [[0, LEAST, this.zeros], ...list] : list;
  }

  private order: { count: number; sorted: [number, number][] } | undefined;

  /** Buckets from the lowest; sorted anew when something was added since. */
  private sorted(): [number, number][] {
    if (this.order?.count !== this.count) this.order = { count: this.count, sorted: [...this.buckets].sort((a, b) => a[0] - b[0]) };
    return (this.order as { sorted: [number, number][] }).sorted;
  }

  toBytes(): Uint8Array {
    const sorted = this.sorted();
    const bits = new BitWriter();
    bits.writeSized(this.zeros);
    bits.writeSized(sorted.length);
    if (sorted.length) {
      bits.writeSized((sorted[0] as [number, number])[0] + 100_000);
      bits.writeRice(Float64Array.from(sorted.slice(1), ([index], place) => index - (sorted[place] as [number, number])[0] - 1), sorted.length - 1);
      bits.writeRice(Float64Array.from(sorted, ([, count]) => count - 1), sorted.length);
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
      this.buckets.set(index, (this.buckets.get(index) ?? 0) + count);
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
