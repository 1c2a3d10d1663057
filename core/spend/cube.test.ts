import fc from "fast-check";
import { expect, it } from "vitest";
import { DAY_MS } from "../time/windows";
import { SpendCube, type Dimension, type Filter, type SpendItem } from "./cube";

const item = fc.record({
  provider: fc.constantFrom("p", "q"),
  account: fc.constantFrom("one", "two"),
  service: fc.constantFrom("s", "t", "u"),
  currency: fc.constantFrom("EUR", "GBP", "XYZ"),
  tags: fc.constantFrom({}, { app: "gate" }, { app: "rail", owner: "x" }),
  componentId: fc.constantFrom(null, 1, 2),
});
const sum = fc.record({
  item: fc.nat(5),
  day: fc.integer({ min: 100, max: 160 }),
  effective: fc.integer({ min: -500, max: 500 }),
  billed: fc.integer({ min: -500, max: 500 }),
});
const RATES = new Map([
  ["EUR", 1],
  ["GBP", 2],
]);

it("adds up what a plain loop adds up, by any dimension, in any span, under any filter", () =>
  fc.assert(
    fc.property(
      fc.array(item, { minLength: 6, maxLength: 6 }),
      fc.array(sum, { maxLength: 80 }),
      fc.constantFrom<Dimension>("provider", "service", "tag:app", "component"),
      fc.integer({ min: 90, max: 170 }),
      fc.integer({ min: 0, max: 80 }),
      fc.constantFrom<Filter[]>([], [{ dimension: "account", value: "one" }], [{ dimension: "tag:owner", value: "" }]),
      (given, sums, by, fromDay, length, filters) => {
        const items: SpendItem[] = given.map((one, id) => ({
          ...one,
          id,
          subaccount: "",
          category: "",
          region: "",
          resource: "",
          charge: "Usage",
          tags: one.tags as Record<string, string>,
        }));
        const rows = [...sums].sort((a, b) => a.day - b.day);
        const cube = new SpendCube(
          items,
          {
            item: Uint32Array.from(rows, (one) => one.item),
            day: Uint16Array.from(rows, (one) => one.day),
            effective: Float64Array.from(rows, (one) => one.effective),
            billed: Float64Array.from(rows, (one) => one.billed),
          },
          RATES,
        );
        const valueOf = (one: SpendItem, dimension: Dimension) =>
          dimension === "component"
            ? one.componentId === null
              ? ""
              : String(one.componentId)
            : dimension.startsWith("tag:")
              ? (one.tags[dimension.slice(4)] ?? "")
              : one[dimension as "provider"];
        const span = { fromMs: fromDay * DAY_MS, toMs: (fromDay + length) * DAY_MS };
        const expected = new Map<string, number>();
        let apart = 0;
        for (const row of rows) {
          const one = items[row.item] as SpendItem;
          if (row.day < fromDay || row.day >= fromDay + length) continue;
          const rate = RATES.get(one.currency);
          if (rate === undefined) apart += row.effective;
          else if (filters.every((filter) => valueOf(one, filter.dimension) === filter.value))
            expected.set(valueOf(one, by), (expected.get(valueOf(one, by)) ?? 0) + row.effective * rate);
        }
        const groups = cube.groups(by, [span], filters);
        expect(new Map(groups.map((one) => [one.value, one.sums[0]]))).toEqual(expected);
        const days = cube.daily(
          by,
          groups.map((one) => one.value),
          span,
          filters,
        );
        for (const [index, group] of groups.entries())
          expect([...(days[index] as Float64Array)].reduce((all, one) => all + one, 0)).toBeCloseTo(
            group.sums[0] as number,
            9,
          );
        expect([...cube.total(span, filters)].reduce((all, one) => all + one, 0)).toBeCloseTo(
          [...expected.values()].reduce((all, one) => all + one, 0),
          9,
        );
        expect(cube.apart(span).reduce((all, one) => all + one.sum, 0)).toBe(apart);
      },
    ),
    { numRuns: 300 },
  ));
