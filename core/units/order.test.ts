import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { byName, sortedSlice } from "./order";

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
