/** The last reading of a counter. */
export interface CounterReading {
  atMs: number;
  value: number;
}

/**
 * Rate of a counter per second between two readings. A 32-bit counter that fell has wrapped when the wrapped
 * difference is plausible (under half its range), else it was reset; a 64-bit counter that fell was reset (RFC 2863
 * §3.1.6).
 * @returns undefined for the first reading, a reset, or readings that are not in order
 */
export function counterRate(
  before: CounterReading | undefined,
  now: CounterReading,
  bits: 32 | 64,
): number | undefined {
  if (!before || now.atMs <= before.atMs) return undefined;
  const seconds = (now.atMs - before.atMs) / 1000;
  let difference = now.value - before.value;
  if (difference < 0) {
    if (bits === 64) return undefined;
    difference += 2 ** 32;
    if (difference < 0 || difference >= 2 ** 31) return undefined;
  }
  return difference / seconds;
}
