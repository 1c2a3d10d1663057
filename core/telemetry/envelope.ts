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
 * Puts gaps into a drawing: where two points lie further apart than `factor` times the usual distance (the median),
 * a point of NaN is set between them, so that missing data shows as missing.
 */
export function withGaps(points: readonly EnvelopePoint[], factor = 3): EnvelopePoint[] {
  if (points.length < 3) return [...points];
  const distances = points.slice(1).map((point, index) => point.atMs - (points[index] as EnvelopePoint).atMs);
  const usual = [...distances].sort((a, b) => a - b)[Math.floor(distances.length / 2)] as number;
  // A window can hold two paces (a slow history, then a fast present), so the wider quarter counts as usual too.
  const wide = [...distances].sort((a, b) => a - b)[Math.floor(distances.length * 0.9)] as number;
  const limit = Math.max(usual * factor, wide * 1.5);
  const result: EnvelopePoint[] = [];
  points.forEach((point, index) => {
    const before = points[index - 1];
    if (before && point.atMs - before.atMs > limit)
      result.push({ atMs: (before.atMs + point.atMs) / 2, min: Number.NaN, mean: Number.NaN, max: Number.NaN, count: 0 });
    result.push(point);
  });
  return result;
}
