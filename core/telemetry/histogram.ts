/**
 * Quantiles of what was counted by buckets. Both return NaN when nothing was counted.
 */

/** Lower and upper end of a bucket, and how much it counted. */
interface Bucket {
  from: number;
  to: number;
  count: number;
}

function valueAt(
  buckets: readonly Bucket[],
  quantile: number,
  within: (bucket: Bucket, share: number) => number,
): number {
  const total = buckets.reduce((sum, bucket) => sum + bucket.count, 0);
  // Counts that are no numbers make a total that is none.
  if (!(total > 0)) return Number.NaN;
  const rank = quantile * total;
  let before = 0;
  for (const bucket of buckets) {
    if (bucket.count > 0 && before + bucket.count >= rank)
      return within(bucket, Math.max(0, (rank - before) / bucket.count));
    before += bucket.count;
  }
  const last = buckets.findLast((bucket) => bucket.count > 0) as Bucket;
  return within(last, 1);
}

/**
 * Quantile from buckets with explicit upper bounds, by straight line inside the bucket; its error is at most the width
 * of that bucket. The open ends are closed by the lowest and highest value where those are known, else by the nearest
 * bound.
 * @param bounds upper bounds, rising; one fewer than `counts`
 */
export function quantileOfBuckets(
  bounds: readonly number[],
  counts: readonly number[],
  quantile: number,
  min: number | null,
  max: number | null,
): number {
  const buckets = counts.map((count, index): Bucket => {
    const from = bounds[index - 1] ?? min ?? Math.min(0, bounds[0] ?? 0);
    const to = bounds[index] ?? max ?? bounds.at(-1) ?? from;
    return {
      from: min === null ? from : Math.max(from, Math.min(min, to)),
      to: max === null ? to : Math.min(to, Math.max(max, from)),
      count,
    };
  });
  return valueAt(buckets, quantile, ({ from, to }, share) => from + (to - from) * share);
}

/** Relative error of `quantileOfExponential` for a scale: the value lies within this share of the true one. */
export function exponentialError(scale: number): number {
  const base = 2 ** (2 ** -scale);
  return (base - 1) / (base + 1);
}

/**
 * Quantile from an exponential histogram (OpenTelemetry data model, "ExponentialHistogram"): bucket i of scale s holds
 * values in (base^i, base^(i+1)] with base = 2^(2^-s). The middle of the bucket in the harmonic sense,
 * 2·base^(i+1)/(base+1), is within (base−1)/(base+1) of every value in it (as in DDSketch, Masson et al., VLDB 2019,
 * §2.1).
 */
export function quantileOfExponential(
  scale: number,
  zeroCount: number,
  positive: { offset: number; counts: readonly number[] },
  negative: { offset: number; counts: readonly number[] },
  quantile: number,
): number {
  const base = 2 ** (2 ** -scale);
  const middle = (index: number) => (2 * base ** (index + 1)) / (base + 1);
  const buckets: Bucket[] = [];
  for (let index = negative.counts.length - 1; index >= 0; index--) {
    const value = -middle(negative.offset + index);
    buckets.push({ from: value, to: value, count: negative.counts[index] as number });
  }
  buckets.push({ from: 0, to: 0, count: zeroCount });
  positive.counts.forEach((count, index) => {
    const value = middle(positive.offset + index);
    buckets.push({ from: value, to: value, count });
  });
  return valueAt(buckets, quantile, ({ from }) => from);
}
