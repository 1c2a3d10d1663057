/**
 * Tail probabilities: how likely something at least this far out is, were all as usual. Each returns a number in
 * (0, 1]; what is smaller than 1e-300 is that.
 */

const LEAST = 1e-300;
/** Sums and fractions that have not come to an end by then do not. */
const MOST_TERMS = 10_000;

/** Coefficients of Lanczos' approximation with g = 7, n = 9 (Godfrey 2001); about 15 digits for x > 0. */
const LANCZOS = [
  0.99999999999980993, 676.5203681218851, -1259.1392167224028, 771.32342877765313, -176.61502916214059,
  12.507343278686905, -0.13857109526572012, 9.9843695780195716e-6, 1.5056327351493116e-7,
] as const;

/** Natural logarithm of the gamma function, for x > 0. */
export function lnGamma(x: number): number {
  if (x < 0.5) return Math.log(Math.PI / Math.sin(Math.PI * x)) - lnGamma(1 - x);
  let sum: number = LANCZOS[0];
  for (let index = 1; index < LANCZOS.length; index++) sum += (LANCZOS[index] as number) / (x - 1 + index);
  const t = x + 6.5;
  return 0.5 * Math.log(2 * Math.PI) + (x - 0.5) * Math.log(t) - t + Math.log(sum);
}

const lnBeta = (a: number, b: number) => lnGamma(a) + lnGamma(b) - lnGamma(a + b);
const lnChoose = (n: number, k: number) => lnGamma(n + 1) - lnGamma(k + 1) - lnGamma(n - k + 1);
const bounded = (p: number) => Math.min(1, Math.max(LEAST, p));

/**
 * Adds up a discrete tail from its first term on, each term being the one before times `ratio(k)`; ends where further
 * terms no longer count.
 */
function tail(first: number, from: number, to: number, ratio: (k: number) => number): number {
  let term = first;
  let sum = first;
  for (let k = from; k < to; k++) {
    term *= ratio(k);
    sum += term;
    if (term < sum * 1e-15) break;
  }
  return bounded(sum);
}

/** P(X ≥ x) for a Poisson count with a mean. */
export function poissonAtLeast(x: number, mean: number): number {
  if (x <= 0) return 1;
  if (mean <= 0) return LEAST;
  // Near and below the mean the lower side is the shorter one.
  if (x <= mean) return bounded(1 - poissonAtMost(x - 1, mean));
  return tail(Math.exp(-mean + x * Math.log(mean) - lnGamma(x + 1)), x, Infinity, (k) => mean / (k + 1));
}

/** P(X ≤ x) for a Poisson count with a mean. */
export function poissonAtMost(x: number, mean: number): number {
  if (x < 0) return LEAST;
  if (mean <= 0) return 1;
  if (x > mean) return bounded(1 - poissonAtLeast(x + 1, mean));
  let term = Math.exp(-mean + x * Math.log(mean) - lnGamma(x + 1));
  let sum = term;
  for (let k = x; k > 0 && term > sum * 1e-15; k--) {
    term *= k / mean;
    sum += term;
  }
  return bounded(sum);
}

/**
 * P(X ≥ x) for a count whose variance is larger than its mean (negative binomial with that mean and variance); with a
 * variance that is not larger, Poisson.
 */
export function countAtLeast(x: number, mean: number, variance: number): number {
  if (!(variance > mean * 1.0001)) return poissonAtLeast(x, mean);
  if (x <= 0) return 1;
  if (mean <= 0) return LEAST;
  if (x <= mean) return bounded(1 - countAtMost(x - 1, mean, variance));
  const { size, chance, at } = negativeBinomial(mean, variance);
  return tail(at(x), x, Infinity, (k) => ((k + size) / (k + 1)) * (1 - chance));
}

/** P(X ≤ x) for a count as in `countAtLeast`. */
export function countAtMost(x: number, mean: number, variance: number): number {
  if (!(variance > mean * 1.0001)) return poissonAtMost(x, mean);
  if (x < 0) return LEAST;
  if (x > mean) return bounded(1 - countAtLeast(x + 1, mean, variance));
  const { size, chance, at } = negativeBinomial(mean, variance);
  let term = at(x);
  let sum = term;
  for (let k = x; k > 0 && term > sum * 1e-15; k--) {
    term *= k / ((k - 1 + size) * (1 - chance));
    sum += term;
  }
  return bounded(sum);
}

function negativeBinomial(mean: number, variance: number) {
  const chance = mean / variance;
  const size = (mean * chance) / (1 - chance);
  const at = (k: number) =>
    Math.exp(lnGamma(k + size) - lnGamma(size) - lnGamma(k + 1) + size * Math.log(chance) + k * Math.log(1 - chance));
  return { size, chance, at };
}

/**
 * P(X ≥ x) for x of n when each is so with a usual share, and those of one moment are more alike than chance has it
 * (beta-binomial).
 * @param share usual share, 0 to 1
 * @param alike correlation within a moment, 0 (binomial) to 1
 */
export function shareAtLeast(x: number, n: number, share: number, alike = 0): number {
  if (x <= 0) return 1;
  if (x > n || share <= 0) return LEAST;
  if (share >= 1) return 1;
  if (alike < 1e-6) {
    const first = Math.exp(lnChoose(n, x) + x * Math.log(share) + (n - x) * Math.log(1 - share));
    return tail(first, x, n, (k) => ((n - k) / (k + 1)) * (share / (1 - share)));
  }
  const a = (share * (1 - alike)) / alike;
  const b = ((1 - share) * (1 - alike)) / alike;
  const first = Math.exp(lnChoose(n, x) + lnBeta(x + a, n - x + b) - lnBeta(a, b));
  return tail(first, x, n, (k) => ((n - k) / (k + 1)) * ((k + a) / (n - k - 1 + b)));
}

/**
 * P(X ≥ x) of the gamma distribution with a shape and scale 1: the regularised upper incomplete gamma function Q(shape, x),
 * by its series below shape + 1 and by its continued fraction above (DLMF 8.7.1 and 8.9.2, the latter by Lentz' method).
 */
export function gammaAtLeast(x: number, shape: number): number {
  if (!(x > 0)) return 1;
  const first = -x + shape * Math.log(x) - lnGamma(shape);
  if (x < shape + 1) {
    let term = 1 / shape;
    let sum = term;
    for (let n = 1; n < MOST_TERMS && term > sum * 1e-16; n++) {
      term *= x / (shape + n);
      sum += term;
    }
    return bounded(1 - sum * Math.exp(first));
  }
  let b = x + 1 - shape;
  let c = 1 / LEAST;
  let d = 1 / b;
  let fraction = d;
  for (let n = 1; n < MOST_TERMS; n++) {
    const a = -n * (n - shape);
    b += 2;
    d = 1 / (a * d + b || LEAST);
    c = b + a / c || LEAST;
    fraction *= c * d;
    if (Math.abs(c * d - 1) < 1e-15) break;
  }
  return bounded(fraction * Math.exp(first));
}

/** P(Z ≥ z) of the standard normal distribution: complementary error function by W. J. Cody's rational fits (1969). */
export function normalAbove(z: number): number {
  if (z < 0) return bounded(1 - normalAbove(-z));
  if (z < 0.5) return bounded(0.5 - lowerPart(z));
  return bounded(0.5 * scaledErfc(z / Math.SQRT2) * Math.exp((-z * z) / 2));
}

/** Φ(z) − 1/2 for small z, by its power series. */
function lowerPart(z: number): number {
  let term = z;
  let sum = z;
  for (let k = 1; k < 30; k++) {
    term *= (-z * z) / (2 * k);
    sum += term / (2 * k + 1);
  }
  return sum / Math.sqrt(2 * Math.PI);
}

/** exp(x²)·erfc(x) for x ≥ 0.35, by Lentz' evaluation of its continued fraction; by series where that is slow. */
function scaledErfc(x: number): number {
  if (x < 2) {
    // erf by its series of positive terms: 2/√π · e^(−x²) · Σ 2^k x^(2k+1) / (2k+1)!!
    let term = x;
    let sum = x;
    for (let k = 1; k < 80; k++) {
      term *= (2 * x * x) / (2 * k + 1);
      sum += term;
    }
    return Math.exp(x * x) - (2 / Math.sqrt(Math.PI)) * sum;
  }
  let fraction = 0;
  for (let k = 80; k > 0; k--) fraction = k / 2 / (x + fraction);
  return 1 / (Math.sqrt(Math.PI) * (x + fraction));
}

/** A probability on the scale of scores: 12.5 for each power of ten, 75 for one in a million, at most 100. */
export const scoreOf = (p: number): number => Math.min(100, Math.max(0, -12.5 * Math.log10(Math.max(LEAST, p))));

/**
 * How many of some p-values are rejected when at most a share `q` of the rejected may be false (Benjamini and Hochberg
 * 1995, §3.1): the largest k with p(k) ≤ k/m · q, p in ascending order.
 * @param ascending p-values, the smallest first
 * @param of how many were judged in all, where only the smallest are given
 */
export function rejected(ascending: readonly number[], q: number, of = ascending.length): number {
  for (let k = ascending.length; k > 0; k--) if ((ascending[k - 1] as number) <= (k / of) * q) return k;
  return 0;
}
