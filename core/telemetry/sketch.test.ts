import fc from "fast-check";
import { expect, it } from "vitest";
import { Sketch } from "./sketch";

/** Values near each other, spread out, and so far apart that no row of counts could hold them. */
const value = fc.oneof(
  { weight: 6, arbitrary: fc.double({ min: 1, max: 1e4, noNaN: true }) },
  { weight: 2, arbitrary: fc.double({ min: 1e-6, max: 1e9, noNaN: true }) },
  { weight: 1, arbitrary: fc.constantFrom(0, 1e-8, 1e200, 1e-3, 3e80) },
);
const sketchOf = (values: readonly number[]) => {
  const sketch = new Sketch();
  for (const one of values) sketch.add(one);
  return sketch;
};

it("says the same however its values came together, few or many, near or far apart", () => {
  fc.assert(
    fc.property(
      fc.array(value, { maxLength: 200 }),
      fc.array(value, { maxLength: 200 }),
      fc.array(value, { maxLength: 20 }),
      (one, two, three) => {
        const all = sketchOf([...one, ...two, ...three]);
        const merged = sketchOf(two);
        merged.merge(sketchOf(one));
        const packed = Sketch.fromBytes(sketchOf(three).toBytes());
        // Asked in between, it must not go on saying what it said.
        if (packed.count) packed.quantile(0.5);
        packed.mergeBytes(merged.toBytes());
        expect(packed.count).toBe(one.length + two.length + three.length);
        expect(packed.ranges()).toEqual(all.ranges());
        for (const share of [0, 0.5, 0.95, 1]) expect(packed.quantile(share)).toEqual(all.quantile(share));
        expect(all.ranges().reduce((sum, [, , count]) => sum + count, 0)).toBe(all.count);
      },
    ),
    { numRuns: 300 },
  );
});

it("has every value in a bucket whose middle is within the stated error of it", () => {
  fc.assert(
    fc.property(
      fc.array(fc.double({ min: 1e-6, max: 1e12, noNaN: true }), { minLength: 1, maxLength: 120 }),
      fc.double({ min: 0, max: 1, noNaN: true }),
      (values, share) => {
        const sorted = [...values].sort((a, b) => a - b);
        const exact = sorted[Math.max(1, Math.ceil(share * values.length)) - 1] as number;
        expect(Math.abs(sketchOf(values).quantile(share) - exact)).toBeLessThanOrEqual(exact * 0.01 * (1 + 1e-9));
      },
    ),
    { numRuns: 300 },
  );
});

it("counts values up to a limit, right but for those within the error of it", () => {
  fc.assert(
    fc.property(fc.array(value, { maxLength: 200 }), fc.double({ min: 1e-6, max: 1e9, noNaN: true }), (list, limit) => {
      const counted = sketchOf(list).atMost(limit);
      const least = list.filter((one) => one <= limit).length;
      const most = list.filter((one) => one <= limit * 1.021).length;
      expect(counted).toBeGreaterThanOrEqual(least);
      expect(counted).toBeLessThanOrEqual(most);
    }),
  );
});
