import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { movesTogether } from "./together";

/** Anscombe's first and third sets (Anscombe 1973): both have a correlation of 0.816. Written thrice, to be enough pairs. */
const X = [10, 8, 13, 9, 11, 14, 6, 4, 12, 7, 5];
const FIRST = [8.04, 6.95, 7.58, 8.81, 8.33, 9.96, 7.24, 4.26, 10.84, 4.82, 5.68];
const THIRD = [7.46, 6.77, 12.74, 7.11, 7.81, 8.84, 6.08, 5.39, 8.15, 6.42, 5.73];
const thrice = (values: readonly number[]) => Float64Array.from([...values, ...values, ...values]);
/** A hump of five steps that begins at a place, on a little unrest. */
const hump = (at: number, size = 10) =>
  Float64Array.from(
    { length: 60 },
    (_, index) => (index >= at && index < at + 5 ? size : 0) + ((index * 7919) % 13) / 20,
  );

describe("two figures", () => {
  it.each([
    ["first", FIRST, 0.81642],
    ["third", THIRD, 0.81629],
  ])("are correlated as Anscombe's %s set is", (_, y, expected) =>
    expect(movesTogether(thrice(X), thrice(y), 0, 0)?.r).toBeCloseTo(expected, 4),
  );
  it("move together at the shift by which one is ahead", () => {
    expect(movesTogether(hump(30), hump(32), -1, 5)).toMatchObject({ ahead: 2 });
    expect(movesTogether(hump(30), hump(32), -1, 5)?.r).toBeGreaterThan(0.95);
    expect(movesTogether(hump(31), hump(30), -1, 5)).toMatchObject({ ahead: -1 });
    // What follows from afar is not ahead at any shift.
    expect(movesTogether(hump(40), hump(30), -1, 5)?.r).toBeLessThan(0.3);
  });
  it("that stand still, or of which too little is known, say nothing", () => {
    expect(movesTogether(new Float64Array(60).fill(0.1 + 0.2), hump(30), -1, 5)).toBeUndefined();
    expect(movesTogether(hump(30).subarray(0, 19), hump(30).subarray(0, 19), 0, 0)).toBeUndefined();
    const gaps = hump(30).map((value, index) => (index % 4 === 0 ? value : Number.NaN));
    expect(movesTogether(gaps, hump(30), 0, 0)).toBeUndefined();
  });
  it("move as much together whatever they are measured in, and never more than wholly", () =>
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.integer({ min: -1000, max: 1000 }), fc.integer({ min: -1000, max: 1000 })), {
          minLength: 20,
          maxLength: 80,
        }),
        fc.integer({ min: 1, max: 1000 }),
        fc.integer({ min: -1000, max: 1000 }),
        (pairs, scale, shift) => {
          const x = Float64Array.from(pairs, ([value]) => value);
          const y = Float64Array.from(pairs, ([, value]) => value);
          const plain = movesTogether(x, y, 0, 0);
          const other = movesTogether(
            x.map((value) => value * scale + shift),
            y,
            0,
            0,
          );
          if (plain === undefined) return;
          expect(Math.abs(plain.r)).toBeLessThanOrEqual(1);
          if (other) expect(other.r).toBeCloseTo(plain.r, 6);
          expect(movesTogether(y, x, 0, 0)?.r).toBeCloseTo(plain.r, 9);
        },
      ),
    ));
});
