import fc from "fast-check";
import { expect, it } from "vitest";
import { largestOf, medianOf, medianOfSorted, putInOrder, select } from "./select";

const numbers = fc.array(
  fc.oneof(fc.double({ noNaN: true, noDefaultInfinity: true }), fc.integer({ min: 0, max: 3 })),
  {
    minLength: 1,
    maxLength: 200,
  },
);

it("selects what sorting would put there, whatever repeats (property)", () => {
  fc.assert(
    fc.property(numbers, fc.nat(), (list, any) => {
      const place = any % list.length;
      const sorted = [...list].sort((a, b) => a - b);
      return select(Float64Array.from(list), place) === (sorted[place] as number) + 0 || Object.is(sorted[place], -0);
    }),
  );
});
it("leaves what is smaller before the place, and what is larger behind it (property)", () => {
  fc.assert(
    fc.property(numbers, fc.nat(), (list, any) => {
      const place = any % list.length;
      const values = Float64Array.from(list);
      const at = select(values, place);
      return values.every((value, index) => (index < place ? value <= at : value >= at));
    }),
  );
});
it("has the largest in order, of few and of many, whatever repeats and however they are arranged (property)", () => {
  const many = fc.record({
    length: fc.integer({ min: 1, max: 3000 }),
    count: fc.nat(400),
    grain: fc.constantFrom(1, 7, 1e6),
    period: fc.constantFrom(1, 16, 37, 5000),
  });
  fc.assert(
    fc.property(many, ({ length, count, grain, period }) => {
      // A period of sixteen is that of the sample that is guessed from.
      const values = Float64Array.from({ length }, (_, index) => Math.round(Math.sin(index % period) * grain) + 0);
      const most = Math.min(count, length);
      const sorted = [...values].sort((a, b) => a - b);
      expect([...largestOf(values, most)]).toEqual(sorted.slice(length - most));
    }),
  );
});
it("has the median of an even count between its two middle values", () => {
  expect(medianOf(Float64Array.of(4, 1, 3, 2))).toBe(2.5);
  expect(medianOf(Float64Array.of(5, 1, 3))).toBe(3);
  expect(medianOf(new Float64Array(0))).toBeNaN();
});
it("puts few and many in order, and finds the median of three lists in order as of all together (property)", () => {
  const list = fc.array(fc.double({ noNaN: true, noDefaultInfinity: true }), { maxLength: 120 });
  fc.assert(
    fc.property(list, list, list, (...lists) => {
      const sorted = lists.map((one) => {
        const values = Float64Array.from(one);
        putInOrder(values);
        // Zero is zero, with its sign or without.
        expect([...values].map((value) => value + 0)).toEqual(
          [...Float64Array.from(one).sort()].map((value) => value + 0),
        );
        return values;
      });
      const [a, b, c] = sorted.map((one) => one.length) as [number, number, number];
      const joined = Float64Array.from(sorted.flatMap((one) => [...one]));
      const all = medianOf(Float64Array.from(lists.flat()));
      expect(medianOfSorted(joined, [0, a, a, a + b, a + b, a + b + c]) + 0).toEqual(all + 0);
    }),
  );
});
