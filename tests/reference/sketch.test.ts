import fc from "fast-check";
import { expect, it } from "vitest";
import { Sketch, SKETCH_ERROR } from "#core/telemetry/sketch";

// Source: Masson, Rim and Lee, VLDB 2019, proposition 3: every quantile is within the stated relative error of the
// exact one.
const values = fc.array(fc.oneof(fc.double({ min: 1e-6, max: 1e9, noNaN: true }), fc.constant(0)), {
  minLength: 1,
  maxLength: 400,
});
const of = (list: readonly number[]) => {
  const sketch = new Sketch();
  for (const value of list) sketch.add(value);
  return sketch;
};
const near = (found: number, exact: number) => Math.abs(found - exact) <= SKETCH_ERROR * exact * (1 + 1e-9) + 1e-12;

it("answers p50, p95 and p99 within the stated error of the exact ones", () => {
  fc.assert(
    fc.property(values, fc.constantFrom(0, 0.5, 0.9, 0.95, 0.99, 1), (list, share) => {
      const sorted = [...list].sort((a, b) => a - b);
      const exact = sorted[Math.max(1, Math.ceil(share * sorted.length)) - 1] as number;
      return near(of(list).quantile(share), exact);
    }),
    { numRuns: 400 },
  );
});

it("says the same merged as from all values at once, and after being packed", () => {
  fc.assert(
    fc.property(values, values, (a, b) => {
      const merged = of(a);
      merged.merge(Sketch.fromBytes(of(b).toBytes()));
      const whole = of([...a, ...b]);
      expect(merged.ranges()).toEqual(whole.ranges());
      expect(merged.count).toBe(a.length + b.length);
      expect(Sketch.fromBytes(whole.toBytes()).ranges()).toEqual(whole.ranges());
    }),
  );
});

it("says nothing of nothing", () => {
  expect(new Sketch().quantile(0.5)).toBeNaN();
  expect(Sketch.fromBytes(new Sketch().toBytes()).count).toBe(0);
});
