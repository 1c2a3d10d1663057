/**
 * Availability of what works while at least `least` of its parts do, parts failing independently: the probability of so
 * many working, by convolution (k out of n; series with k = n, parallel with k = 1; Barlow and Proschan 1975).
 * @param parts availability of each, 0 to 1
 */
export function atLeast(least: number, parts: readonly number[]): number {
  // Probability of each count of working parts so far.
  let counts = [1];
  for (const part of parts) {
    const next = Array.from({ length: counts.length + 1 }, () => 0);
    counts.forEach((probability, working) => {
      next[working] = (next[working] as number) + probability * (1 - part);
      next[working + 1] = (next[working + 1] as number) + probability * part;
    });
    counts = next;
  }
  return Math.min(
    1,
    counts.slice(Math.max(0, least)).reduce((sum, probability) => sum + probability, 0),
  );
}

export const inSeries = (parts: readonly number[]): number => parts.reduce((product, part) => product * part, 1);
