import fc from "fast-check";
import { expect, it } from "vitest";
import {
  BUDGET_MS,
  budgetLeft,
  burnRate,
  BURN_WINDOWS,
  isBurning,
  sureBurnRate,
  timeLeft,
} from "#core/stats/objective";

// The table published with multi-window, multi-burn-rate alerts (from memory; recomputed here): of a budget of 30 days,
// 2 % in 1 hour are a rate of 14.4, 5 % in 6 hours one of 6, 10 % in 3 days one of 1; short windows are a twelfth.
it.each(BURN_WINDOWS.map((one) => [one.longMs / 3_600_000, one] as const))("%d h", (_hours, one) => {
  expect((one.spends * BUDGET_MS) / one.longMs).toBeCloseTo(one.rate, 10);
  expect(one.longMs / one.shortMs).toBe(12);
});

// The same source: at 99.9 % and a rate of 1,000 a budget of 30 days lasts 43 minutes; at a rate of 1, 30 days.
it.each([
  [1, 30 * 24 * 60],
  [2, 15 * 24 * 60],
  [10, 3 * 24 * 60],
  [1000, 43.2],
])("a rate of %d spends all in %d minutes", (rate, minutes) => {
  expect((timeLeft(1, rate) ?? 0) / 60_000).toBeCloseTo(minutes, 6);
});

it("a budget is spent by its bad calls, whatever their number, and left where there are none", () => {
  expect(budgetLeft({ calls: 1_000_000, bad: 500 }, 0.999)).toBeCloseTo(0.5, 10);
  expect(budgetLeft({ calls: 0, bad: 0 }, 0.999)).toBe(1);
  expect(timeLeft(0.5, 0)).toBeUndefined();
  expect(timeLeft(-0.1, 2)).toBe(0);
  expect(burnRate({ calls: 10, bad: 1 }, 1)).toBe(Number.POSITIVE_INFINITY);
  fc.assert(
    fc.property(
      fc.integer({ min: 1, max: 1e6 }),
      fc.double({ min: 0, max: 1, noNaN: true }),
      fc.double({ min: 0.5, max: 0.9999, noNaN: true }),
      (calls, share, target) => {
        const bad = Math.round(calls * share);
        // What is spent at a rate over the period is what is gone of the budget.
        expect(budgetLeft({ calls, bad }, target)).toBeCloseTo(1 - burnRate({ calls, bad }, target), 10);
        expect(isBurning(1, 2, 1)).toBe(false);
      },
    ),
  );
});

it("takes no budget for burning where so few bad calls may be chance (Poisson, exact sums)", () => {
  // P(X ≥ 1 | 0.03) = 1 − e^−0.03 = 0.0296; P(X ≥ 2 | 0.03) = 1 − e^−0.03 · 1.03 = 0.00044.
  expect(sureBurnRate({ calls: 6, bad: 1 }, 0.995)).toBe(0);
  expect(sureBurnRate({ calls: 6, bad: 2 }, 0.995)).toBeCloseTo(2 / 6 / 0.005);
  // As many as the objective allows are never too many.
  expect(sureBurnRate({ calls: 10_000, bad: 50 }, 0.995)).toBe(0);
  expect(sureBurnRate({ calls: 10_000, bad: 90 }, 0.995)).toBeCloseTo(1.8);
  expect(sureBurnRate({ calls: 0, bad: 0 }, 0.995)).toBe(0);
  expect(sureBurnRate({ calls: 10, bad: 1 }, 1)).toBe(Number.POSITIVE_INFINITY);
});
