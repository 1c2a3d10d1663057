import fc from "fast-check";
import { expect, it } from "vitest";
import { together, topOf } from "./together";

const values = fc.array(fc.record({ id: fc.nat(50), value: fc.integer({ min: -1000, max: 1000 }) }), { minLength: 1 });

it("many as one: sum, mean, highest, and who is worst", () =>
  fc.assert(
    fc.property(values, (list) => {
      const numbers = list.map((one) => one.value);
      const sum = numbers.reduce((all, one) => all + one, 0);
      expect(together(list, { combine: "sum", bad: "high" })).toMatchObject({ count: list.length, value: sum });
      expect(together(list, { combine: "mean", bad: null })?.value).toBeCloseTo(sum / list.length, 9);
      expect(together(list, { combine: "max", bad: "high" })?.value).toBe(Math.max(...numbers));
      expect(together(list, { combine: "mean", bad: "low" })?.worst.value).toBe(Math.min(...numbers));
      const top = topOf(list, 3, "high").map((one) => one.value);
      expect(top).toEqual([...numbers].sort((a, b) => b - a).slice(0, 3));
      expect(topOf(list, 1, "low")[0]?.value).toBe(Math.min(...numbers));
    }),
  ));

it("of nothing is nothing", () => expect(together([], { combine: "sum", bad: null })).toBeUndefined());
