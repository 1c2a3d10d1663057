import type { Samples } from "./chunk";
import { pickBest, type Summary } from "./lines";

/** A chunk that reaches into a window only in part, or holds what is no number; its extremes are then unknown. */
export interface PartChunk {
  count: number;
  min: number | null;
  max: number | null;
}

/**
 * What is known of a window before anything is unpacked: the sum of what lies in it whole, and the chunks that do not.
 */
export interface RoughSummary {
  whole: RunningSummary;
  parts: PartChunk[];
}

/** Sums up samples and chunks one after another, in the order of their instants. NaN counts as missing. */
export class RunningSummary {
  min = Number.POSITIVE_INFINITY;
  max = Number.NEGATIVE_INFINITY;
  last = Number.NaN;
  count = 0;
  total = 0;

  take({ values }: Samples): this {
    for (let index = 0; index < values.length; index++) {
      const value = values[index] as number;
      if (Number.isNaN(value)) continue;
      if (value < this.min) this.min = value;
      if (value > this.max) this.max = value;
      if (Number.isFinite(value)) this.total += value;
      this.count++;
      this.last = value;
    }
    return this;
  }

  takeChunk(count: number, min: number, max: number, sum: number, last: number): void {
    if (min < this.min) this.min = min;
    if (max > this.max) this.max = max;
    this.total += sum;
    this.count += count;
    this.last = last;
  }

  get summary(): Summary {
    return { min: this.min, mean: this.total / this.count, max: this.max, last: this.last, count: this.count };
  }
}

/** One figure to rank by: NaN, which has no rank, where there is no sample. */
export const figureOf = (summary: Summary, rank: Exclude<keyof Summary, "count">): number =>
  summary.count ? summary[rank] : Number.NaN;

/** Between which numbers a figure lies; `certain` where the window surely has a sample. */
export interface Bounds {
  low: number;
  high: number;
  certain: boolean;
}

/**
 * Between which numbers one figure of a summary lies, whatever of its partial chunks is in the window; undefined
 * without any sample.
 */
export function boundsOf({ whole, parts }: RoughSummary, rank: Exclude<keyof Summary, "count">): Bounds | undefined {
  const certain = whole.count > 0;
  if (parts.length === 0) {
    const exact = whole.summary[rank];
    return certain ? { low: exact, high: exact, certain } : undefined;
  }
  if (parts.some(({ min, max }) => min === null || max === null))
    return { low: Number.NEGATIVE_INFINITY, high: Number.POSITIVE_INFINITY, certain };
  const lowest = Math.min(...parts.map(({ min }) => min as number));
  const highest = Math.max(...parts.map(({ max }) => max as number));
  if (!certain) return { low: lowest, high: highest, certain };
  switch (rank) {
    case "min":
      return { low: Math.min(lowest, whole.min), high: whole.min, certain };
    case "max":
      return { low: whole.max, high: Math.max(highest, whole.max), certain };
    case "last":
      return { low: Math.min(lowest, whole.last), high: Math.max(highest, whole.last), certain };
    case "mean":
      return { low: meanWith(whole, parts, "min"), high: meanWith(whole, parts, "max"), certain };
  }
}

/** The lowest or highest mean there can be: every part that draws it that way is taken whole, at its extreme. */
function meanWith(whole: RunningSummary, parts: readonly PartChunk[], extreme: "min" | "max"): number {
  let { total, count } = whole;
  const sign = extreme === "max" ? -1 : 1;
  for (const part of [...parts].sort((a, b) => sign * ((a[extreme] as number) - (b[extreme] as number)))) {
    const value = part[extreme] as number;
    if (sign * (value - total / count) >= 0) break;
    total += value * part.count;
    count += part.count;
  }
  return total / count;
}

/**
 * The `count` best of many by one figure of their summaries, best first. `exact` is asked only for those whose bounds
 * do not rule them out, so that little is unpacked.
 */
export function pickBestOf<Item>(
  items: readonly Item[],
  roughOf: (item: Item) => RoughSummary,
  exact: (item: Item) => Summary,
  rank: Exclude<keyof Summary, "count">,
  which: "highest" | "lowest",
  count: number,
): Item[] {
  const hopes = items.flatMap((item) => {
    const bounds = boundsOf(roughOf(item), rank);
    if (!bounds) return [];
    // Seen so that more is better, whichever way is asked for. One that may have no sample must not push others out.
    const [sure, hoped] = which === "highest" ? [bounds.low, bounds.high] : [-bounds.high, -bounds.low];
    return [{ item, sure: bounds.certain ? sure : Number.NEGATIVE_INFINITY, hoped }];
  });
  const least = hopes.map(({ sure }) => sure).sort((a, b) => b - a)[count - 1] ?? Number.NEGATIVE_INFINITY;
  // Sums made in another order differ by a hair.
  const margin = Number.isFinite(least) ? Math.abs(least) * 1e-9 : 0;
  const left = hopes
    .filter(({ hoped }) => hoped >= least - margin)
    .map(({ item }) => ({ item, figure: figureOf(exact(item), rank) }));
  return pickBest(left, ({ figure }) => figure, which, count).map(({ item }) => item);
}
