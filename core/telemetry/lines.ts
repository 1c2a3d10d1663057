import { cutSamples } from "./merge";
import type { Samples } from "./chunk";
import type { Spans } from "./rollup";

/**
 * A series as it is drawn: for each span of equal length the lowest, the mean and the highest value. Columns have equal
 * length, starts rise, spans without a value are left out.
 */
export interface Line {
  /** Epoch milliseconds. */
  starts: Float64Array;
  min: Float64Array;
  mean: Float64Array;
  max: Float64Array;
}

/** What stands in a legend. */
export interface Summary {
  min: number;
  mean: number;
  max: number;
  last: number;
  /** Samples, or spans where a line was worked out from others. */
  count: number;
}

export const SUMMARY_NAMES = ["min", "mean", "max", "last"] as const;

/**
 * Lengths a span of a drawing may have: each divides the next but one, so that drawings of one day lie on those of
 * another.
 */
const NICE_SECONDS = [
  1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 10_800, 21_600, 43_200, 86_400, 172_800, 604_800,
] as const;

/** The shortest length of a span, milliseconds, with which a window is drawn in at most `width` spans. */
export function niceStep(windowMs: number, width: number): number {
  const least = windowMs / Math.max(1, width) / 1000;
  return (NICE_SECONDS.find((seconds) => seconds >= least) ?? Math.ceil(least / 604_800) * 604_800) * 1000;
}

const NO_LINE: Line = {
  starts: new Float64Array(0),
  min: new Float64Array(0),
  mean: new Float64Array(0),
  max: new Float64Array(0),
};

/** The values themselves. A mean over an infinity is that infinity. */
export function lineOf(spans: Spans): Line {
  const mean = spans.sum.map((sum, index) => {
    if (spans.max[index] === Number.POSITIVE_INFINITY || spans.min[index] === Number.NEGATIVE_INFINITY)
      return spans.last[index] as number;
    return sum / (spans.count[index] as number);
  });
  return { starts: spans.starts, min: spans.min, mean, max: spans.max };
}

export function summaryOf(spans: Spans): Summary {
  const length = spans.starts.length;
  let min = Number.POSITIVE_INFINITY;
  let max = Number.NEGATIVE_INFINITY;
  let sum = 0;
  let count = 0;
  for (let index = 0; index < length; index++) {
    min = Math.min(min, spans.min[index] as number);
    max = Math.max(max, spans.max[index] as number);
    sum += spans.sum[index] as number;
    count += spans.count[index] as number;
  }
  return { min, mean: sum / count, max, last: length ? (spans.last[length - 1] as number) : Number.NaN, count };
}

export function summaryOfLine(line: Line): Summary {
  const length = line.starts.length;
  let min = Number.POSITIVE_INFINITY;
  let max = Number.NEGATIVE_INFINITY;
  let sum = 0;
  for (let index = 0; index < length; index++) {
    min = Math.min(min, line.min[index] as number);
    max = Math.max(max, line.max[index] as number);
    sum += line.mean[index] as number;
  }
  return { min, mean: sum / length, max, last: length ? (line.mean[length - 1] as number) : Number.NaN, count: length };
}

/**
 * Turns readings of a counter into what was counted between them: a reading lower than the one before means that it
 * began anew, so all of it was counted since (OpenMetrics 1.0, "Counter"). The first reading says nothing.
 */
export function differences({ times, values }: Samples): Samples {
  const count = Math.max(0, times.length - 1);
  const result = { times: new Float64Array(count), values: new Float64Array(count) };
  for (let index = 0; index < count; index++) {
    const before = values[index] as number;
    const now = values[index + 1] as number;
    result.times[index] = times[index + 1] as number;
    result.values[index] = now >= before ? now - before : now;
  }
  return result;
}

/**
 * Readings of a counter from what was summed up of it: the last of each span, at its end. Where it began anew within a
 * span, a reading in the middle shows it: the highest when it ended lower, so that what was counted up to then is not
 * lost, or the lowest when it rose above where it was before, so that this is not taken for a small step. More than
 * one new beginning in a span is counted as one.
 */
export function totalsOfSpans(spans: Pick<Spans, "starts" | "min" | "max" | "last">, stepMs: number): Samples {
  const times: number[] = [];
  const values: number[] = [];
  for (let index = 0; index < spans.starts.length; index++) {
    const start = spans.starts[index] as number;
    const last = spans.last[index] as number;
    const max = spans.max[index] as number;
    const min = spans.min[index] as number;
    const before = index > 0 ? (spans.last[index - 1] as number) : Number.NaN;
    if (max > last || min < before) {
      times.push(start + stepMs / 2);
      values.push(max > last ? max : min);
    }
    times.push(start + stepMs - 1);
    values.push(last);
  }
  return { times: new Float64Array(times), values: new Float64Array(values) };
}

/** Differences of a gauge, which may fall. */
export function changes({ times, values }: Samples): Samples {
  const count = Math.max(0, times.length - 1);
  return {
    times: times.slice(1),
    values: Float64Array.from(
      { length: count },
      (_, index) => (values[index + 1] as number) - (values[index] as number),
    ),
  };
}

/** Divides what came with each sample by the seconds since the one before; needs that one, so the first is left out. */
export function perSecond(counted: Samples, times: Float64Array): Samples {
  const offset = times.length - counted.times.length;
  const from = Math.max(0, 1 - offset);
  return {
    times: counted.times.slice(from),
    values: counted.values.slice(from).map((value, index) => {
      const at = index + from + offset;
      return value / (((times[at] as number) - (times[at - 1] as number)) / 1000);
    }),
  };
}

/** How the values of a series are transformed before they are drawn. */
export const TRANSFORMS = ["value", "rate", "change"] as const;
export type Transform = (typeof TRANSFORMS)[number];

/**
 * Samples transformed: `rate` is what came a second, `change` what came since the sample before. `before` is how far
 * samples before the window were read, so that its first sample has one before it.
 */
export function transformSamples(
  samples: Samples,
  instrument: "gauge" | "total" | "delta",
  transform: Transform,
  fromMs: number,
  toMs: number,
): Samples {
  if (transform === "value") return cutSamples(samples, fromMs, toMs);
  const counted = instrument === "delta" ? samples : instrument === "total" ? differences(samples) : changes(samples);
  return cutSamples(transform === "change" ? counted : perSecond(counted, samples.times), fromMs, toMs);
}

/** How several lines become one. */
export const AGGREGATES = ["mean", "sum", "min", "max", "p50", "p90", "p95", "p99"] as const;
export type Aggregate = (typeof AGGREGATES)[number];

/** Quantile of sorted values by linear interpolation (type 7 of Hyndman and Fan 1996, the usual one of R and NumPy). */
export function quantileSorted(sorted: readonly number[] | Float64Array, quantile: number): number {
  const place = (sorted.length - 1) * quantile;
  const low = Math.floor(place);
  const high = Math.min(sorted.length - 1, low + 1);
  return (sorted[low] as number) + ((sorted[high] as number) - (sorted[low] as number)) * (place - low);
}

/** The usual distance between the points of a line, milliseconds: the lower median. */
function usualDistance(starts: Float64Array): number {
  const distances = Float64Array.from(
    { length: Math.max(0, starts.length - 1) },
    (_, index) => (starts[index + 1] as number) - (starts[index] as number),
  ).sort();
  return distances[Math.floor((distances.length - 1) / 2)] ?? 0;
}

/**
 * Aggregates lines of equal step into one, span by span, from those that have a value there. Mean and quantiles are
 * over the means of the lines; the envelope runs from the lowest to the highest value that any of them had, for a sum
 * from the sum of the lowest to the sum of the highest.
 * @param hold lets a line keep its last value until its next is due, one and a half times its usual distance: lines
 *   that are
 *   measured at different instants are then all in every span. Not for counts, which would be counted twice.
 */
export function aggregateLines(lines: readonly Line[], aggregate: Aggregate, hold = false): Line {
  if (lines.length === 0) return NO_LINE;
  const holds = lines.map((line) => (hold ? usualDistance(line.starts) * 1.5 : -1));
  const places = lines.map(() => 0);
  const starts: number[] = [];
  const min: number[] = [];
  const mean: number[] = [];
  const max: number[] = [];
  for (;;) {
    let start = Number.POSITIVE_INFINITY;
    lines.forEach((line, which) => {
      const at = line.starts[places[which] as number];
      if (at !== undefined && at < start) start = at;
    });
    if (start === Number.POSITIVE_INFINITY) break;
    const here: number[] = [];
    let lowest = Number.POSITIVE_INFINITY;
    let highest = Number.NEGATIVE_INFINITY;
    let sumOfLowest = 0;
    let sumOfHighest = 0;
    let sum = 0;
    lines.forEach((line, which) => {
      const place = places[which] as number;
      const isHere = line.starts[place] === start;
      if (isHere) places[which] = place + 1;
      else if (place === 0 || start - (line.starts[place - 1] as number) > (holds[which] as number)) return;
      const at = isHere ? place : place - 1;
      const value = line.mean[at] as number;
      // Of a value that is only kept, the extremes are in the span it was measured in.
      const least = isHere ? (line.min[at] as number) : value;
      const most = isHere ? (line.max[at] as number) : value;
      here.push(value);
      sum += value;
      lowest = Math.min(lowest, least);
      highest = Math.max(highest, most);
      sumOfLowest += least;
      sumOfHighest += most;
    });
    starts.push(start);
    if (aggregate === "sum") {
      min.push(sumOfLowest);
      mean.push(sum);
      max.push(sumOfHighest);
      continue;
    }
    min.push(lowest);
    max.push(highest);
    if (aggregate === "mean") mean.push(sum / here.length);
    else if (aggregate === "min") mean.push(lowest);
    else if (aggregate === "max") mean.push(highest);
    else
      mean.push(
        quantileSorted(
          here.sort((a, b) => a - b),
          Number(aggregate.slice(1)) / 100,
        ),
      );
  }
  return {
    starts: new Float64Array(starts),
    min: new Float64Array(min),
    mean: new Float64Array(mean),
    max: new Float64Array(max),
  };
}

/** The same line at another time. */
export function shiftLine(line: Line, byMs: number): Line {
  return { ...line, starts: line.starts.map((start) => start + byMs) };
}

/** The `count` best of a list by a number, best first; those without one are left out. Ties keep their order. */
export function pickBest<Item>(
  items: readonly Item[],
  by: (item: Item) => number,
  which: "highest" | "lowest",
  count: number,
): Item[] {
  const sign = which === "highest" ? -1 : 1;
  return items
    .map((item, index) => ({ item, index, key: by(item) }))
    .filter(({ key }) => !Number.isNaN(key))
    .sort((a, b) => sign * (a.key - b.key) || a.index - b.index)
    .slice(0, count)
    .map(({ item }) => item);
}
