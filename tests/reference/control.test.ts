import { describe, expect, it } from "vitest";
import { addToSums, noSums } from "#core/stats/cusum";

describe("cumulative sums (Page 1954), NIST/SEMATECH e-Handbook 6.3.2.3, CUSUM example (values from memory)", () => {
  const values = [
    324.925, 324.675, 324.725, 324.35, 325.35, 325.225, 324.125, 324.525, 325.225, 324.6, 324.625, 325.15, 328.325,
    327.25, 327.825, 328.5, 326.675, 327.775, 326.875, 328.35,
  ];
  const [target, allowance, limit] = [325, 0.3175, 4.1959];

  it("cross the limit with the sums that follow from their definition", () => {
    const sums = noSums();
    let high = 0;
    let low = 0;
    const crossed: number[] = [];
    values.forEach((value, index) => {
      high = Math.max(0, high + value - target - allowance);
      low = Math.max(0, low + target - allowance - value);
      addToSums(sums, value - target, allowance, index);
      expect(sums.high).toBeCloseTo(high, 9);
      expect(sums.low).toBeCloseTo(low, 9);
      if (sums.high > limit) crossed.push(index + 1);
    });
    // The handbook signals at group 14, the second after the shift.
    expect(crossed[0]).toBe(14);
    // Its beginning is where the sum that crossed last left zero: the first group of the new level.
    expect(sums.highSince + 1).toBe(13);
  });
});
