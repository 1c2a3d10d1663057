/** Arithmetic mean; NaN for an empty list. */
export function mean(values: readonly number[]): number {
  if (values.length === 0) return Number.NaN;
  let sum = 0;
  for (const value of values) sum += value;
  return sum / values.length;
}

/** Quantile by linear interpolation between order statistics (Hyndman and Fan 1996, type 7); NaN for an empty list. */
export function quantile(values: readonly number[], q: number): number {
  if (values.length === 0) return Number.NaN;
  const sorted = [...values].sort((a, b) => a - b);
  const place = (sorted.length - 1) * Math.min(1, Math.max(0, q));
  const low = Math.floor(place);
  const below = sorted[low] as number;
  const above = sorted[Math.min(low + 1, sorted.length - 1)] as number;
  return below + (above - below) * (place - low);
}
