/** Sums of how far values are above and below a target beyond a allowance, never under zero (Page 1954). */
export interface Sums {
  high: number;
  low: number;
  /** When each last left zero; NaN while it is zero. */
  highSince: number;
  lowSince: number;
}

export const noSums = (): Sums => ({ high: 0, low: 0, highSince: Number.NaN, lowSince: Number.NaN });

/**
 * Takes one deviation from the target into the sums, in place. With deviations in standard deviations a allowance of 0.5
 * and a limit of 5 are common (NIST/SEMATECH e-Handbook 6.3.2.3).
 */
export function addToSums(sums: Sums, deviation: number, allowance: number, atMs: number): void {
  const high = Math.max(0, sums.high + deviation - allowance);
  const low = Math.max(0, sums.low - deviation - allowance);
  sums.highSince = high > 0 ? (sums.high > 0 ? sums.highSince : atMs) : Number.NaN;
  sums.lowSince = low > 0 ? (sums.low > 0 ? sums.lowSince : atMs) : Number.NaN;
  sums.high = high;
  sums.low = low;
}
