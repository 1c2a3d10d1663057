/**
 * The slope of a series of values: the median of the slopes of all pairs (Theil 1950, Sen 1968), which a third of
 * outliers does not move; and how sure it is that it rises at all (Mann 1945, Kendall 1975).
 */
export interface Trend {
  /** Per millisecond. */
  slope: number;
  /** Standard deviations from no trend; 3 and more is a sure rise. */
  sure: number;
}

/**
 * @param times epoch milliseconds, rising; at most a few hundred: every pair is looked at
 * @returns undefined for fewer than four values
 */
export function trendOf(times: ArrayLike<number>, values: ArrayLike<number>): Trend | undefined {
  const n = times.length;
  if (n < 4) return undefined;
  const slopes = new Float64Array((n * (n - 1)) / 2);
  let place = 0;
  let s = 0;
  for (let i = 0; i < n; i++)
    for (let j = i + 1; j < n; j++) {
      const rise = (values[j] as number) - (values[i] as number);
      const run = (times[j] as number) - (times[i] as number);
      if (run <= 0) continue;
      s += Math.sign(rise);
      slopes[place++] = rise / run;
    }
  if (place === 0) return undefined;
  const sorted = slopes.subarray(0, place).sort();
  const half = place >> 1;
  const slope = place % 2 ? (sorted[half] as number) : ((sorted[half - 1] as number) + (sorted[half] as number)) / 2;
  const variance = (n * (n - 1) * (2 * n + 5)) / 18;
  return { slope, sure: (s - Math.sign(s)) / Math.sqrt(variance) };
}
