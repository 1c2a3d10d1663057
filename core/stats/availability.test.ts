import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { atLeast, inSeries } from "./availability";

const shares = fc.array(fc.double({ min: 0, max: 1, noNaN: true }), { minLength: 1, maxLength: 7 });

describe("availability", () => {
  it("is the product in series, and one less the product of failing in parallel", () => {
    fc.assert(
      fc.property(shares, (parts) => {
        expect(atLeast(parts.length, parts)).toBeCloseTo(inSeries(parts), 10);
        expect(atLeast(1, parts)).toBeCloseTo(1 - inSeries(parts.map((part) => 1 - part)), 10);
        expect(atLeast(0, parts)).toBeCloseTo(1, 10);
      }),
    );
  });
  it("of k out of n is the sum over all ways of k or more working", () => {
    fc.assert(
      fc.property(shares, fc.integer({ min: 0, max: 7 }), (parts, least) => {
        let sum = 0;
        for (let mask = 0; mask < 2 ** parts.length; mask++) {
          const working = parts.map((_part, place) => ((mask >> place) & 1) === 1);
          if (working.filter(Boolean).length >= least)
            sum += parts.reduce((product, part, place) => product * (working[place] ? part : 1 - part), 1);
        }
        expect(atLeast(least, parts)).toBeCloseTo(sum, 10);
      }),
    );
  });
  // Common practice: two of 99 % side by side are 99.99 %, two of 99.9 % in a row 99.8 %; 2 of 3 at 0.9 are 0.972.
  it("has the values everybody quotes", () => {
    expect(atLeast(1, [0.99, 0.99])).toBeCloseTo(0.9999, 12);
    expect(inSeries([0.999, 0.999])).toBeCloseTo(0.998001, 12);
    expect(atLeast(2, [0.9, 0.9, 0.9])).toBeCloseTo(0.972, 12);
  });
});
