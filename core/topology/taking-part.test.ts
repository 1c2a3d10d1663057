import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { takingPart } from "./taking-part";

/** Needs as "who>what" in words, by number. */
const needersOf = (needs: readonly (readonly [number, number])[]) => (ids: readonly number[]) =>
  needs.filter(([, needed]) => ids.includes(needed));

describe("what takes part in an incident", () => {
  it("is the cause, what is hurt, and what lies between", () => {
    // 1 needs 2 needs 3; 4 needs 3 and is well.
    const needs = [
      [1, 2],
      [2, 3],
      [4, 3],
    ] as const;
    expect([...takingPart({ causes: [3], hurt: [1], needersOf: needersOf(needs), most: 10 })].sort()).toEqual([
      1, 2, 3,
    ]);
  });

  it("goes over what is hurt itself where it can choose", () => {
    // From 1 to 9 over 5 or over 6; 6 is hurt.
    const needs = [
      [9, 5],
      [9, 6],
      [5, 1],
      [6, 1],
    ] as const;
    expect([...takingPart({ causes: [1], hurt: [9, 6], needersOf: needersOf(needs), most: 10 })].sort()).toEqual([
      1, 6, 9,
    ]);
  });

  it("shows what is hurt though nothing joins it to the cause", () => {
    expect([...takingPart({ causes: [1], hurt: [2], needersOf: () => [], most: 10 })]).toEqual([1, 2]);
  });

  it("never shows more than there is room for, ends in rings, and always shows the first cause", () => {
    const id = fc.integer({ min: 1, max: 12 });
    fc.assert(
      fc.property(
        fc.array(fc.tuple(id, id), { maxLength: 40 }),
        fc.uniqueArray(id, { minLength: 1, maxLength: 3 }),
        fc.uniqueArray(id, { maxLength: 8 }),
        fc.integer({ min: 1, max: 12 }),
        (needs, causes, hurt, most) => {
          const part = takingPart({ causes, hurt, needersOf: needersOf(needs), most });
          expect(part.size).toBeLessThanOrEqual(most);
          expect(part.has(causes[0] as number)).toBe(true);
          // Whatever was added lies on a way: something that takes part needs it.
          for (const one of part)
            if (!causes.includes(one) && !hurt.includes(one))
              expect(needs.some(([needer, needed]) => needed === one && part.has(needer))).toBe(true);
        },
      ),
    );
  });
});
