import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { pickBest, SUMMARY_NAMES, type Summary } from "./lines";
import { boundsOf, figureOf, pickBestOf, RunningSummary, type RoughSummary } from "./summaries";

const summaryOfValues = (values: readonly number[]) =>
  new RunningSummary().take({ times: new Float64Array(values.length), values: Float64Array.from(values) }).summary;

/** Chunks of values of which the middle ones are in the window whole and those at the ends in part. */
const series = fc
  .record({
    chunks: fc.array(
      fc.array(
        fc.oneof(
          { weight: 9, arbitrary: fc.integer({ min: -50, max: 50 }) },
          { weight: 1, arbitrary: fc.constant(Number.NaN) },
        ),
        { minLength: 1, maxLength: 8 },
      ),
      { maxLength: 5 },
    ),
    skip: fc.nat({ max: 8 }),
    leave: fc.nat({ max: 8 }),
  })
  .map(({ chunks, skip, leave }) => {
    const whole = new RunningSummary();
    const parts: RoughSummary["parts"] = [];
    const inside: number[] = [];
    chunks.forEach((values, index) => {
      const plain = values.every(Number.isFinite);
      const kept = values.slice(
        index === 0 ? skip : 0,
        index === chunks.length - 1 ? Math.max(0, values.length - leave) : values.length,
      );
      inside.push(...kept);
      const all = summaryOfValues(values);
      if (kept.length === values.length && plain)
        whole.takeChunk(all.count, all.min, all.max, all.mean * all.count, all.last);
      else parts.push({ count: values.length, min: plain ? all.min : null, max: plain ? all.max : null });
    });
    return { rough: { whole, parts }, exact: summaryOfValues(inside) };
  });

const rank = fc.constantFrom(...SUMMARY_NAMES);

describe("what is known before anything is unpacked", () => {
  it("never rules out the exact figure", () => {
    fc.assert(
      fc.property(series, rank, ({ rough, exact }, figure) => {
        const bounds = boundsOf(rough, figure);
        if (!exact.count) return bounds === undefined || !bounds.certain;
        return bounds !== undefined && bounds.low <= exact[figure] + 1e-9 && exact[figure] <= bounds.high + 1e-9;
      }),
      { numRuns: 500 },
    );
  });

  it("is enough to find the best, asking for exact figures of no more than could be among them", () => {
    fc.assert(
      fc.property(
        fc.array(series, { maxLength: 30 }),
        rank,
        fc.constantFrom("highest" as const, "lowest" as const),
        fc.integer({ min: 1, max: 6 }),
        (all, figure, which, count) => {
          const best = pickBestOf(
            all,
            ({ rough }) => rough,
            ({ exact }) => exact,
            figure,
            which,
            count,
          );
          const direct = pickBest(all, ({ exact }) => figureOf(exact, figure), which, count);
          expect(best.map(({ exact }) => exact[figure])).toEqual(direct.map(({ exact }) => exact[figure]));
        },
      ),
      { numRuns: 500 },
    );
  });

  it("leaves most alone where they lie far apart", () => {
    const many = Array.from({ length: 1000 }, (_, index) => ({
      whole: new RunningSummary().take({ times: new Float64Array(4), values: new Float64Array(4).fill(index) }),
      parts: [{ count: 1, min: index - 2, max: index + 2 }],
    }));
    let asked = 0;
    const exact = ({ whole }: RoughSummary): Summary => (asked++, whole.summary);
    expect(pickBestOf(many, (one) => one, exact, "mean", "highest", 10).map(({ whole }) => whole.last)).toEqual([
      999, 998, 997, 996, 995, 994, 993, 992, 991, 990,
    ]);
    expect(asked).toBeLessThan(20);
  });
});
