import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { compareSiblings, type Sibling } from "./siblings";

const sibling = (id: number, traits: Record<string, Record<string, string>>): Sibling => ({
  id,
  traits: new Map(Object.entries(traits).map(([group, items]) => [group, new Map(Object.entries(items))])),
});

describe("things that ought to be alike", () => {
  it("show what one lacks that the others have, first of all", () => {
    const well = { processes: { front: "yes", relay: "yes" }, facts: { version: "4.2" } };
    const { rows, odd, alike, differs } = compareSiblings([
      sibling(1, well),
      sibling(2, well),
      sibling(3, { processes: { front: "yes" }, facts: { version: "4.2" }, ports: { "9": "yes" } }),
    ]);
    expect(odd).toBe(2);
    expect(alike).toBe(2);
    expect(differs).toEqual([0, 0, 2]);
    expect(rows.map(({ item, values, usual, odd: who }) => [item, values, usual, who])).toEqual([
      ["relay", ["yes", "yes", null], "yes", [2]],
      ["9", [null, null, "yes"], null, [2]],
    ]);
  });
  it("name no odd one of two, nor where all differ", () => {
    const [a, b, c] = ["1", "2", "3"].map((version, id) => sibling(id, { facts: { version } })) as [
      Sibling,
      Sibling,
      Sibling,
    ];
    expect(compareSiblings([a, b])).toMatchObject({ odd: null, differs: [0, 0] });
    expect(compareSiblings([a, b, c])).toMatchObject({ odd: null, rows: [{ usual: undefined, odd: [] }] });
  });
  it("count each item once, and say the same whatever the order of siblings", () => {
    const items = fc.dictionary(fc.constantFrom("a", "b", "c", "d"), fc.constantFrom("1", "2"));
    fc.assert(
      fc.property(fc.array(items, { minLength: 1, maxLength: 6 }), (list) => {
        const all = list.map((facts, id) => sibling(id, { facts }));
        const one = compareSiblings(all);
        const other = compareSiblings(all.toReversed());
        const known = new Set(list.flatMap((facts) => Object.keys(facts)));
        expect(one.alike + one.rows.length).toBe(known.size);
        expect(other.differs.toReversed()).toEqual(one.differs);
        expect(other.odd === null ? null : all.length - 1 - other.odd).toBe(one.odd);
        for (const row of one.rows) for (const place of row.odd) expect(row.values[place]).not.toBe(row.usual);
      }),
    );
  });
});
