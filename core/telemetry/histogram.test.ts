import fc from "fast-check";
import { expect, it } from "vitest";
import { exponentialError, quantileOfBuckets, quantileOfExponential } from "./histogram";

const values = fc.array(fc.double({ min: 0.001, max: 1e6, noNaN: true }), { minLength: 1, maxLength: 300 });
/** The value of the rank that a bucket walk looks for: the smallest with at least this share at or below it. */
const exact = (sorted: readonly number[], quantile: number) =>
  sorted[Math.max(0, Math.ceil(quantile * sorted.length) - 1)] as number;

it("from an exponential histogram is within its stated relative error", () => {
  fc.assert(
    fc.property(
      values,
      fc.integer({ min: -2, max: 6 }),
      fc.constantFrom(0.5, 0.9, 0.95, 0.99),
      (given, scale, quantile) => {
        const indices = given.map((value) => Math.ceil(Math.log2(value) * 2 ** scale) - 1);
        const offset = Math.min(...indices);
        const counts = Array.from({ length: Math.max(...indices) - offset + 1 }, () => 0);
        for (const index of indices) counts[index - offset] = (counts[index - offset] as number) + 1;
        const found = quantileOfExponential(scale, 0, { offset, counts }, { offset: 0, counts: [] }, quantile);
        const wanted = exact(
          [...given].sort((a, b) => a - b),
          quantile,
        );
        expect(Math.abs(found - wanted) / wanted).toBeLessThanOrEqual(exponentialError(scale) + 1e-9);
      },
    ),
  );
});

it("from explicit buckets lies in the bucket of the true value", () => {
  const bounds = [1, 5, 10, 50, 100, 1000];
  fc.assert(
    fc.property(
      fc.array(fc.double({ min: 0, max: 2000, noNaN: true }), { minLength: 1, maxLength: 200 }),
      fc.constantFrom(0.5, 0.95, 0.99),
      (given, quantile) => {
        const counts = Array.from({ length: bounds.length + 1 }, () => 0);
        const bucketOf = (value: number) => bounds.findIndex((bound) => value <= bound);
        for (const value of given) {
          const bucket = bucketOf(value) < 0 ? bounds.length : bucketOf(value);
          counts[bucket] = (counts[bucket] as number) + 1;
        }
        const sorted = [...given].sort((a, b) => a - b);
        const found = quantileOfBuckets(bounds, counts, quantile, sorted[0] as number, sorted.at(-1) as number);
        const wanted = exact(sorted, quantile);
        const at = bucketOf(wanted) < 0 ? bounds.length : bucketOf(wanted);
        expect(found).toBeGreaterThanOrEqual((bounds[at - 1] ?? 0) - 1e-9);
        expect(found).toBeLessThanOrEqual((bounds[at] ?? 2000) + 1e-9);
      },
    ),
  );
});

it("takes zeros and negative values in their order, and says nothing of nothing", () => {
  expect(quantileOfExponential(0, 5, { offset: 0, counts: [1] }, { offset: 0, counts: [1] }, 0.5)).toBe(0);
  expect(quantileOfExponential(0, 0, { offset: 0, counts: [] }, { offset: 1, counts: [4] }, 0.5)).toBeCloseTo(
    -8 / 3,
    9,
  );
  expect(quantileOfBuckets([1], [0, 0], 0.5, null, null)).toBeNaN();
  expect(quantileOfBuckets([], [4], 0.5, 2, 6)).toBe(4);
});

it("a histogram whose counts are no numbers has no quantiles, and breaks nothing", () => {
  const none = { offset: 0, counts: [] };
  expect(quantileOfExponential(3, Number.NaN, none, none, 0.5)).toBeNaN();
  expect(quantileOfExponential(3, 0, { offset: 1, counts: [Number.NaN, 2] }, none, 0.5)).toBeNaN();
  expect(quantileOfBuckets([1], [Number.NaN, Number.NaN], 0.5, null, null)).toBeNaN();
});
