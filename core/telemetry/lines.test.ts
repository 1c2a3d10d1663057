import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { HOUR_MS, MINUTE_MS } from "../time/windows";
import {
  differences,
  aggregateLines,
  lineOf,
  niceStep,
  pickBest,
  quantileSorted,
  shiftLine,
  summaryOf,
  totalsOfSpans,
  transformSamples,
  type Line,
} from "./lines";
import { sortSamples } from "./merge";
import { rollSamples } from "./rollup";
import { readSelection, writeSelection, type Selection } from "./selection";

const line = (values: readonly (number | null)[]): Line => {
  const at = values.flatMap((value, index) => (value === null ? [] : [index]));
  const column = Float64Array.from(at, (index) => values[index] as number);
  return {
    starts: Float64Array.from(at, (index) => index * 1000),
    min: column.map((value) => value - 1),
    mean: column,
    max: column.map((value) => value + 1),
  };
};

describe("counters", () => {
  it("that begin anew count from zero", () => {
    expect([...differences(sortSamples([0, 1, 2, 3], [10, 15, 4, 6])).values]).toEqual([5, 4, 2]);
  });

  it("have a rate from the sample before the window on", () => {
    const samples = sortSamples([0, 10_000, 20_000, 40_000], [100, 150, 200, 240]);
    const rate = transformSamples(samples, "total", "rate", 10_000, 40_000);
    expect([[...rate.times], [...rate.values]]).toEqual([
      [10_000, 20_000, 40_000],
      [5, 5, 2],
    ]);
  });

  describe("read from what was summed up", () => {
    const counted = (values: readonly number[]) =>
      differences(
        sortSamples(
          values.map((_, index) => index * MINUTE_MS),
          values,
        ),
      ).values.reduce((sum, value) => sum + value, 0);
    /** The same, from spans of an hour of sixty readings each; the first reading stands in a span of its own. */
    const summedUp = (values: readonly number[]) => {
      const samples = sortSamples(
        values.map((_, index) => (index === 0 ? HOUR_MS - 1 : HOUR_MS + (index - 1) * MINUTE_MS)),
        values,
      );
      return differences(totalsOfSpans(rollSamples(samples, HOUR_MS), HOUR_MS)).values.reduce(
        (sum, value) => sum + value,
        0,
      );
    };
    it("lose nothing while they only rise, and nothing by one new beginning in an hour that ends lower than it was", () => {
      fc.assert(
        fc.property(fc.array(fc.nat({ max: 50 }), { minLength: 4, maxLength: 120 }), fc.nat(), (steps, place) => {
          const restart = 2 + (place % (steps.length - 2));
          const values: number[] = [];
          steps.forEach((step, index) => values.push(index === restart ? 0 : (values[index - 1] ?? 1_000_000) + step));
          expect(summedUp(values)).toBe(counted(values));
        }),
      );
    });
    it("see a new beginning that rose above where it was before", () =>
      expect([summedUp([5, 6, 0, 40]), counted([5, 6, 0, 40])]).toEqual([40, 41]));
    it("never count more than there was", () =>
      fc.assert(
        fc.property(fc.array(fc.nat({ max: 1000 }), { minLength: 2, maxLength: 150 }), (values) => {
          expect(summedUp(values)).toBeLessThanOrEqual(counted(values));
        }),
      ));
  });

  it("kept as deltas have one too, and gauges may fall", () => {
    const samples = sortSamples([0, 10_000, 20_000], [30, 20, 10]);
    expect([...transformSamples(samples, "delta", "rate", 0, 20_000).values]).toEqual([2, 1]);
    expect([...transformSamples(samples, "gauge", "change", 0, 20_000).values]).toEqual([-10, -10]);
  });

  it("lose nothing between samples, however they are cut into spans", () => {
    fc.assert(
      fc.property(fc.array(fc.nat({ max: 1000 }), { minLength: 2, maxLength: 60 }), (steps) => {
        let total = 0;
        const samples = sortSamples(
          steps.map((_, index) => index * MINUTE_MS),
          steps.map((step) => (total += step)),
        );
        const counted = rollSamples(transformSamples(samples, "total", "change", 0, HOUR_MS), 5 * MINUTE_MS);
        expect(counted.sum.reduce((sum, value) => sum + value, 0)).toBe(total - (steps[0] as number));
      }),
    );
  });
});

describe("aggregating", () => {
  it("takes in each span what has a value there", () => {
    const combined = aggregateLines([line([1, 2, null]), line([3, null, 8])], "mean");
    expect([[...combined.starts], [...combined.mean], [...combined.min], [...combined.max]]).toEqual([
      [0, 1000, 2000],
      [2, 2, 8],
      [0, 1, 7],
      [4, 3, 9],
    ]);
    expect([...aggregateLines([line([1, 2]), line([3, 4])], "sum").mean]).toEqual([4, 6]);
    expect([...aggregateLines([line([1]), line([3]), line([9])], "p50").mean]).toEqual([3]);
    expect(aggregateLines([], "sum").starts).toHaveLength(0);
  });

  it("keeps the last value of a line until its next is due, where asked to, and no longer", () => {
    // Every second, and every other second between them: the sum must not jump.
    const every = line([1, 1, 1, 1, 1, 1]);
    const other = line([5, null, 5, null, 5, null]);
    expect([...aggregateLines([every, other], "sum", true).mean]).toEqual([6, 6, 6, 6, 6, 6]);
    expect([...aggregateLines([every, other], "sum").mean]).toEqual([6, 1, 6, 1, 6, 1]);
    const gap = line([5, 5, null, null, null, 5]);
    expect([...aggregateLines([every, gap], "sum", true).mean]).toEqual([6, 6, 6, 1, 1, 6]);
  });

  it("never loses an extreme of any line", () => {
    fc.assert(
      fc.property(
        fc.array(fc.array(fc.option(fc.integer({ min: -99, max: 99 })), { minLength: 1, maxLength: 20 }), {
          minLength: 1,
          maxLength: 6,
        }),
        (all) => {
          const lines = all.map(line);
          const combined = aggregateLines(lines, "mean");
          const every = lines.flatMap((one) => [...one.max]);
          if (every.length) expect(Math.max(...combined.max)).toBe(Math.max(...every));
        },
      ),
    );
  });

  it("of the same line at other days gives that line again", () => {
    const one = line([1, 2, 3]);
    const again = aggregateLines([one, shiftLine(shiftLine(one, -5000), 5000)], "mean");
    expect([...again.mean]).toEqual([1, 2, 3]);
  });
});

describe("drawing", () => {
  it("takes spans that lie on round instants, no more than fit", () => {
    expect(niceStep(HOUR_MS, 240)).toBe(15_000);
    expect(niceStep(30 * 24 * HOUR_MS, 800)).toBe(HOUR_MS);
    fc.assert(
      fc.property(
        fc.integer({ min: 1000, max: 4e10 }),
        fc.integer({ min: 10, max: 2000 }),
        (span, width) => span / niceStep(span, width) <= width,
      ),
    );
  });

  it("keeps the mean of samples, not of spans", () => {
    const spans = rollSamples(sortSamples([0, 1, 2, 60_000], [1, 1, 1, 9]), MINUTE_MS);
    expect(summaryOf(spans)).toEqual({ min: 1, mean: 3, max: 9, last: 9, count: 4 });
    expect([...lineOf(spans).mean]).toEqual([1, 9]);
  });

  it("picks the highest and the lowest", () => {
    expect(pickBest([3, 1, Number.NaN, 2], (value) => value, "highest", 2)).toEqual([3, 2]);
    expect(pickBest([3, 1, 2], (value) => value, "lowest", 5)).toEqual([1, 2, 3]);
  });
});

// Hyndman and Fan 1996, type 7; R: quantile(c(1, 2, 3, 4, 10), c(.5, .9, .95)) gives 3.0, 7.6, 8.8.
it("interpolates quantiles as R does", () => {
  [0.5, 0.9, 0.95].forEach((at, index) =>
    expect(quantileSorted([1, 2, 3, 4, 10], at)).toBeCloseTo([3, 7.6, 8.8][index] as number, 12),
  );
});

describe("selections", () => {
  it("come back from an address", () => {
    const text = fc.string({ unit: "grapheme", minLength: 1, maxLength: 20 });
    const selection = fc.record<Selection>(
      {
        metric: text,
        kind: text,
        site: text,
        instance: text,
        component: fc.integer({ min: 1, max: 1e9 }),
        transform: fc.constantFrom("rate", "change"),
        aggregate: fc.constantFrom("sum", "p95"),
        by: fc.constantFrom("site", "kind"),
        pick: fc.constantFrom("highest"),
        count: fc.integer({ min: 1, max: 50 }),
        rank: fc.constantFrom("max"),
        axis: fc.constantFrom("right"),
      },
      { requiredKeys: ["metric"] },
    );
    fc.assert(
      fc.property(selection, (one) => {
        expect(readSelection(writeSelection(one))).toEqual(one);
      }),
    );
  });

  it("that cannot be understood are none", () => {
    for (const text of [
      "",
      "metric",
      "metric~",
      "kind~host.linux",
      "series~0",
      "series~x",
      "metric~a;aggregate~best",
      "metric~a;fold~best",
      "metric~a;else~b",
      "metric~%E0%A4%A",
      `metric~${"a".repeat(300)}`,
    ])
      expect(readSelection(text)).toBeUndefined();
  });
});
