import { exponentialError, quantileOfBuckets, quantileOfExponential } from "#core/telemetry/histogram";
import type { ExponentialPoint, HistogramPoint } from "./otlp-types";

/** Buckets of a histogram as they were counted up to an instant. */
export interface Counted {
  startMs: number;
  atMs: number;
  counts: number[];
  bounds: number[];
  zero: number;
  negative: number[];
  scale: number;
  offset: number;
  negativeOffset: number;
}

const QUANTILES = [0.5, 0.95, 0.99] as const;
const MOST_BUCKETS = 2000;

export const countedOf = (point: HistogramPoint | ExponentialPoint): Counted =>
  "scale" in point
    ? {
        startMs: point.startMs,
        atMs: point.atMs,
        counts: point.positive.counts,
        bounds: [],
        zero: point.zeroCount,
        negative: point.negative.counts,
        scale: point.scale,
        offset: point.positive.offset,
        negativeOffset: point.negative.offset,
      }
    : {
        startMs: point.startMs,
        atMs: point.atMs,
        counts: point.counts,
        bounds: point.bounds,
        zero: 0,
        negative: [],
        scale: 0,
        offset: 0,
        negativeOffset: 0,
      };

/** Why a histogram's buckets cannot be taken, or undefined. */
export function wrongBuckets(point: HistogramPoint | ExponentialPoint, now: Counted): string | undefined {
  if (now.counts.length > MOST_BUCKETS || now.negative.length > MOST_BUCKETS)
    return "A histogram has more than 2,000 buckets.";
  if (!("scale" in point) && now.counts.length && now.counts.length !== now.bounds.length + 1)
    return "A histogram must have one more count than bounds.";
  return undefined;
}

/**
 * What was counted between two cumulative readings; all of it after a restart: the buckets changed, a count fell, or
 * the sender says so.
 */
export function sinceBefore(before: Counted | undefined, now: Counted): Counted | undefined {
  if (!before) return undefined;
  if (now.startMs > before.atMs) return now;
  const same =
    before.scale === now.scale &&
    before.offset === now.offset &&
    before.negativeOffset === now.negativeOffset &&
    before.bounds.length === now.bounds.length &&
    before.bounds.every((bound, index) => bound === now.bounds[index]) &&
    before.counts.length <= now.counts.length;
  if (!same) return now;
  const counts = now.counts.map((count, index) => count - (before.counts[index] ?? 0));
  if (counts.some((count) => count < 0)) return now;
  return {
    ...now,
    counts,
    zero: Math.max(0, now.zero - before.zero),
    negative: now.negative.map((count, index) => Math.max(0, count - (before.negative[index] ?? 0))),
  };
}

/**
 * Quantiles of what was counted, by what is added to the metric's name.
 * @param isDelta whether the point's own extremes are those of what was counted
 */
export function quantilesOf(
  point: HistogramPoint | ExponentialPoint,
  counted: Counted,
  isDelta: boolean,
): { suffix: string; value: number }[] {
  if (counted.counts.every((count) => count === 0)) return [];
  // What lies below the stated error is not in the data.
  const digits = "scale" in point && exponentialError(point.scale) > 0.001 ? 4 : 6;
  return QUANTILES.flatMap((quantile) => {
    const value =
      "scale" in point
        ? quantileOfExponential(
            counted.scale,
            counted.zero,
            { offset: counted.offset, counts: counted.counts },
            { offset: counted.negativeOffset, counts: counted.negative },
            quantile,
          )
        : quantileOfBuckets(
            counted.bounds,
            counted.counts,
            quantile,
            isDelta ? point.min : null,
            isDelta ? point.max : null,
          );
    return Number.isNaN(value) ? [] : [{ suffix: `.p${quantile * 100}`, value: Number(value.toPrecision(digits)) }];
  });
}
