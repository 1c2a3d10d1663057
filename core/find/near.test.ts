import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { isNear, nearMatcher } from "./near";

const word = fc.string({ unit: fc.constantFrom(..."abcd"), maxLength: 7 });

/** The same distance by its definition, slowly. */
function distance(a: string, b: string): number {
  if (!a || !b) return a.length + b.length;
  const rest = Math.min(
    distance(a.slice(1), b) + 1,
    distance(a, b.slice(1)) + 1,
    distance(a.slice(1), b.slice(1)) + (a[0] === b[0] ? 0 : 1),
  );
  return a.length > 1 && b.length > 1 && a[0] === b[1] && a[1] === b[0]
    ? Math.min(rest, distance(a.slice(2), b.slice(2)) + 1)
    : rest;
}

describe("typing errors", () => {
  it("are counted as the definition says", () => {
    fc.assert(
      fc.property(word, word, fc.integer({ min: 0, max: 3 }), (a, b, most) => {
        expect(isNear(a, b, most)).toBe(distance(a, b) <= most);
        expect(isNear(b, a, most)).toBe(isNear(a, b, most));
      }),
      { numRuns: 300 },
    );
  });
  it("are forgiven in longer words only, and every word must be there", () => {
    expect(nearMatcher("manfiest")("Manifest Exchange")).toBe(true);
    expect(nearMatcher("manifest exhange")("Manifest Exchange")).toBe(true);
    expect(nearMatcher("manifest billing")("Manifest Exchange")).toBe(false);
    expect(nearMatcher("nq-gaet")("nq-gate-app-01")).toBe(true);
    expect(nearMatcher("sq-gate")("nq-gate-app-01")).toBe(false);
    expect(nearMatcher("")("anything")).toBe(false);
  });
});
