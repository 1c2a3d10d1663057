import fc from "fast-check";
import { expect, it } from "vitest";
import { partsOf } from "./csv-file";

it("cuts series into parts the server takes, losing and doubling nothing", () => {
  fc.assert(
    fc.property(fc.array(fc.integer({ min: 0, max: 9000 }), { maxLength: 6 }), (lengths) => {
      const series = lengths.map((length, which) => ({
        metric: `m${which}`,
        unit: "1",
        instance: "",
        times: Array.from({ length }, (_, index) => index),
        values: Array.from({ length }, (_, index) => index * 2),
      }));
      const parts = partsOf(series);
      for (const part of parts) {
        const samples = part.reduce((sum, one) => sum + one.times.length, 0);
        expect(samples).toBeLessThanOrEqual(4000);
        expect(samples).toBeGreaterThan(0);
      }
      for (const one of series) {
        const own = parts.flat().filter((part) => part.metric === one.metric);
        expect(own.flatMap((part) => part.times)).toEqual(one.times);
        expect(own.flatMap((part) => part.values)).toEqual(one.values);
      }
    }),
    { numRuns: 30 },
  );
});
it("sends many short series in several parts too", () => {
  const series = Array.from({ length: 900 }, (_, index) => ({
    metric: `m${index}`,
    unit: "1",
    instance: "",
    times: [1],
    values: [2],
  }));
  expect(partsOf(series).map((part) => part.length)).toEqual([400, 400, 100]);
});
