import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { roundStep, valueAxis } from "./axis";

const GIB = 1024 ** 3;

describe("an axis of values", () => {
  it("of percentages ends at 100, unless they go beyond", () => {
    expect(valueAxis(3, 42, "%", 5)).toEqual({ min: 0, max: 100, ticks: [0, 25, 50, 75, 100] });
    expect(valueAxis(3, 380, "%", 5)).toEqual({ min: 0, max: 400, ticks: [0, 100, 200, 300, 400] });
  });
  it("of bytes has marks on round binary values", () =>
    expect(valueAxis(0, 3.4 * GIB, "By", 5).ticks.map((tick) => tick / GIB)).toEqual([0, 1, 2, 3, 4]));
  it("of states is yes or no", () => expect(valueAxis(0, 1, "0/1", 5).ticks).toEqual([0, 1]));
  it("reaches below zero where values do", () =>
    expect(valueAxis(-7, 12, "1", 5)).toEqual({ min: -10, max: 15, ticks: [-10, -5, 0, 5, 10, 15] }));
  it("of nothing is still an axis", () =>
    expect(valueAxis(Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY, "ms", 5)).toEqual({
      min: 0,
      max: 1,
      ticks: [0, 1],
    }));
  it.each([
    [0.3, "s", 0.5],
    [7, "ms", 10],
    [23, "1", 25],
    [700, "By", 1024],
    [3 * 1024, "By", 4096],
    [600 * 1024 ** 2, "By", GIB],
  ])("takes for a step of at least %d %s the round step %d", (least, unit, step) =>
    expect(roundStep(least, unit)).toBe(step),
  );
  const value = fc.integer({ min: -1e9, max: 1e9 }).map((whole) => whole / 1000);
  it("holds all values, with marks at equal distances and not many more than asked for", () =>
    fc.assert(
      fc.property(
        value,
        value,
        fc.constantFrom("By", "%", "ms", "1"),
        fc.integer({ min: 3, max: 9 }),
        (a, b, unit, most) => {
          const [low, high] = a < b ? [a, b] : [b, a];
          const { min, max, ticks } = valueAxis(low, high, unit, most);
          const size = Math.max(Math.abs(min), Math.abs(max));
          expect(min).toBeLessThanOrEqual(low + size * 1e-9);
          expect(max).toBeGreaterThanOrEqual(high - size * 1e-9);
          expect(ticks.length).toBeLessThanOrEqual(most + 2);
          const step = (ticks[1] as number) - (ticks[0] as number);
          ticks
            .slice(1)
            .forEach((tick, index) => expect(tick - (ticks[index] as number)).toBeCloseTo(step, -Math.log10(size) + 6));
        },
      ),
    ));
});
