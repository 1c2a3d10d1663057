import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { byName, sortedSlice } from "./order";

describe("the order of names", () => {
  const collator = new Intl.Collator("en", { numeric: true });
  const sign = (value: number) => Math.sign(value) + 0;
  const agrees = (a: string, b: string) => {
    expect(sign(byName(a, b)), `${a} | ${b}`).toBe(sign(collator.compare(a, b)));
  };

  it("is the collator's, for names as estates have them", () => {
    const piece = fc.constantFrom(
      "web",
      "db",
      "a",
      "ab",
      "-",
      "_",
      ".",
      " ",
      "@",
      "/",
      "0",
      "1",
      "2",
      "10",
      "007",
      "B",
    );
    const name = fc.array(piece, { maxLength: 6 }).map((pieces) => pieces.join(""));
    fc.assert(
      fc.property(name, name, (a, b) => agrees(a, b)),
      { numRuns: 5000 },
    );
  });

  it("is the collator's, for any text", () => {
    const text = fc.oneof(
      fc.string(),
      fc.string({ unit: "grapheme" }),
      fc.string({ unit: fc.constantFrom(..."a1-é\u0301 Z") }),
    );
    fc.assert(
      fc.property(text, text, text, (start, a, b) => agrees(start + a, start + b)),
      { numRuns: 3000 },
    );
  });
});

describe("a page of a sorted list", () => {
  it("is what a sort of all would give, whatever the list and the page", () => {
    const byValue = (a: { value: number }, b: { value: number }) => a.value - b.value;
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 0, max: 20 }), { maxLength: 200 }),
        fc.nat(210),
        fc.nat(60),
        (values, from, size) => {
          const list = values.map((value) => ({ value }));
          const sorted = [...values].sort((a, b) => a - b).slice(from, from + size);
          expect(sortedSlice([...list], byValue, from, from + size).map((one) => one.value)).toEqual(sorted);
        },
      ),
    );
  });

  it("compares a list of names each but a few times", () => {
    const names = Array.from({ length: 5000 }, (_, index) => `vm-${(index * 7919) % 5000}`);
    let count = 0;
    const compare = (a: string, b: string) => (count++, byName(a, b));
    expect(sortedSlice([...names], compare, 100, 103)).toEqual(["vm-100", "vm-101", "vm-102"]);
    expect(count).toBeLessThan(40_000);
    // In order already, which is no worst case.
    count = 0;
    sortedSlice([...names].sort(byName), compare, 2500, 2550);
    expect(count).toBeLessThan(40_000);
  });
});
