import type { Samples } from "./chunk";

/** One point of a drawing: everything that fell into one span of time, with its extremes kept. */
export interface EnvelopePoint {
  /** Start of the span, epoch milliseconds. */
  atMs: number;
  min: number;
  mean: number;
  max: number;
  count: number;
}

/**
 * Thins samples to at most `width` spans of equal length, keeping minimum and maximum of each, so that every extreme of
 * the window is in the drawing. Spans without a sample are left out; NaN samples are passed over.
 */
export function toEnvelope(samples: Samples, fromMs: number, toMs: number, width: number): EnvelopePoint[] {
  const step = Math.max(1, (toMs - fromMs) / Math.max(1, width));
  const points: EnvelopePoint[] = [];
  let current: EnvelopePoint | undefined;
  let currentSpan = -1;
  let sum = 0;
  for (let index = 0; index < samples.times.length; index++) {
    const at = samples.times[index] as number;
    const value = samples.values[index] as number;
    if (at < fromMs || at > toMs || Number.isNaN(value)) continue;
    const span = Math.min(width - 1, Math.floor((at - fromMs) / step));
    if (!current || span !== currentSpan) {
      current = { atMs: at, min: value, mean: value, max: value, count: 1 };
      points.push(current);
      currentSpan = span;
      sum = value;
      continue;
    }
    sum += value;
    current.count++;
    current.mean = sum / current.count;
    if (value < current.min) current.min = value;
    if (value > current.max) current.max = value;
  }
  return points;
}

/**
 * Puts gaps into a drawing: where two points lie further apart than `factor` times the distances on both sides of them,
 * a point of NaN is set between them, so that missing data shows as missing. Distances are compared with their
 * neighbours because a window can hold two paces of polling, a slow one and a fast one.
 * @param spanMs length of the spans that the points sum up: a point stands anywhere in its span, so shorter distances
 *   say nothing
 */
export function withGaps(points: readonly EnvelopePoint[], spanMs = 0, factor = 2.5): EnvelopePoint[] {
  const distances = points.slice(1).map((point, index) => point.atMs - (points[index] as EnvelopePoint).atMs);
  const result: EnvelopePoint[] = [];
  points.forEach((point, index) => {
    const distance = distances[index - 1];
    const usual = Math.max(distances[index - 2] ?? 0, distances[index] ?? 0);
    const least = factor * Math.max(usual, spanMs);
    const before = points[index - 1];
    if (before && distance !== undefined && usual > 0 && distance > least)
      result.push({
        atMs: (before.atMs + point.atMs) / 2,
        min: Number.NaN,
        mean: Number.NaN,
        max: Number.NaN,
        count: 0,
      });
    result.push(point);
  });
  return result;
}
