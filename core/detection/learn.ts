import type { Spans as Rolled } from "../telemetry/rollup";
import { learnRange, type Range, type Spans } from "./range";

/** Rolled spans with their means, as what is usual is learned from them. */
export function asSpans(spans: Rolled): Spans {
  const mean = new Float64Array(spans.starts.length);
  for (let index = 0; index < mean.length; index++)
    mean[index] = (spans.sum[index] as number) / (spans.count[index] as number);
  return { times: spans.starts, min: spans.min, mean, max: spans.max };
}

/** Spans of `stepMs` but for those in which the series was told to be odd. */
export function without(whole: Spans, odd: readonly { fromMs: number; toMs: number }[], stepMs: number): Spans {
  if (odd.length === 0) return whole;
  const keep: number[] = [];
  for (let index = 0; index < whole.times.length; index++) {
    const at = whole.times[index] as number;
    if (!odd.some((one) => at + stepMs > one.fromMs && at < one.toMs)) keep.push(index);
  }
  const pick = (column: ArrayLike<number>) => Float64Array.from(keep, (index) => column[index] as number);
  return { times: pick(whole.times), min: pick(whole.min), mean: pick(whole.mean), max: pick(whole.max) };
}

/**
 * What is usual, learned from the spans themselves that are to be looked at: for a preview of what nobody judged yet.
 * @param forgiven stretches that say nothing of it
 */
export const learnFrom = (
  spans: Rolled,
  forgiven: readonly { fromMs: number; toMs: number }[],
  stepMs: number,
): Range | undefined => learnRange(without(asSpans(spans), forgiven, stepMs));
