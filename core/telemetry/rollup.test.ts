import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { DAY_MS, HOUR_MS, MINUTE_MS } from "../time/windows";
import { cutSamples, mergeSamples, sortSamples } from "./merge";
import { decodeSpans, encodeSpans, joinSpans, rollSamples, rollSpans, sliceSpans } from "./rollup";

const START = Date.parse("2026-03-17T10:00:00Z");
const samples = fc
  .array(
    fc.tuple(
      fc.integer({ min: 1, max: 20 * MINUTE_MS }),
      fc.oneof(
        fc.integer({ min: -1000, max: 1000 }).map((whole) => whole / 10),
        fc.constantFrom(Number.NaN, Number.POSITIVE_INFINITY),
      ),
    ),
    { minLength: 1, maxLength: 200 },
  )
  .map((steps) => {
    let at = START;
    return sortSamples(
      steps.map(([step]) => (at += step)),
      steps.map(([, value]) => value),
    );
  });
const plain = (spans: ReturnType<typeof rollSamples>) =>
  Object.fromEntries(Object.entries(spans).map(([name, column]) => [name, [...(column as Float64Array)]]));

describe("spans", () => {
  it("sum samples up by time", () => {
    const spans = rollSamples(sortSamples([START, START + MINUTE_MS, START + 7 * MINUTE_MS], [4, 2, 9]), 5 * MINUTE_MS);
    expect(plain(spans)).toEqual({
      starts: [START, START + 5 * MINUTE_MS],
      count: [2, 1],
      min: [2, 9],
      max: [4, 9],
      sum: [6, 9],
      last: [2, 9],
    });
  });

  it("by way of shorter ones say the same as at once", () => {
    fc.assert(
      fc.property(samples, (given) => {
        const direct = rollSamples(given, DAY_MS);
        const stepped = rollSpans(rollSpans(rollSamples(given, 5 * MINUTE_MS), HOUR_MS), DAY_MS);
        expect([...stepped.starts]).toEqual([...direct.starts]);
        for (const column of ["count", "min", "max", "last"] as const)
          expect([...stepped[column]]).toEqual([...direct[column]]);
        stepped.sum.forEach((sum, index) => expect(sum).toBeCloseTo(direct.sum[index] as number, 6));
      }),
    );
  });

  it("lose no extreme and no sample", () => {
    fc.assert(
      fc.property(samples, (given) => {
        const real = [...given.values].filter((value) => !Number.isNaN(value));
        const spans = rollSamples(given, 5 * MINUTE_MS);
        expect(spans.count.reduce((sum, count) => sum + count, 0)).toBe(real.length);
        if (!real.length) return;
        expect(Math.min(...spans.min)).toBe(Math.min(...real));
        expect(Math.max(...spans.max)).toBe(Math.max(...real));
      }),
    );
  });

  it("come back from their packing, and join up again after a cut", () => {
    fc.assert(
      fc.property(samples, fc.nat({ max: 50 }), (given, at) => {
        const spans = rollSamples(given, 5 * MINUTE_MS);
        const length = spans.starts.length;
        if (!length) return;
        expect(plain(decodeSpans(encodeSpans(spans), length))).toEqual(plain(spans));
        expect(plain(decodeSpans(encodeSpans(spans), length, false))).toEqual({
          ...plain(spans),
          last: Array.from({ length }, () => 0),
        });
        // Room that was used before is written over, and no more of it than is asked for.
        const room = joinSpans([spans, spans, spans]);
        decodeSpans(encodeSpans(spans), length, true, sliceSpans(room, length, 2 * length));
        expect(plain(room)).toEqual(plain(joinSpans([spans, spans, spans])));
        const filled = sliceSpans(room, 0, length);
        for (const column of Object.values(filled)) column.fill(7);
        expect(plain(decodeSpans(encodeSpans(spans), length, true, filled))).toEqual(plain(spans));
        const cut = Math.min(length, at);
        expect(plain(joinSpans([sliceSpans(spans, 0, cut), sliceSpans(spans, cut, length)]))).toEqual(plain(spans));
      }),
    );
  });
});

describe("merging samples", () => {
  const lists = fc.tuple(
    fc.array(fc.tuple(fc.nat({ max: 50 }), fc.integer())),
    fc.array(fc.tuple(fc.nat({ max: 50 }), fc.integer())),
  );
  it("is what a table by instant would hold, later arrivals on top", () => {
    fc.assert(
      fc.property(lists, ([first, second]) => {
        const sorted = (rows: [number, number][]) =>
          sortSamples(
            rows.map(([at]) => at),
            rows.map(([, value]) => value),
          );
        const merged = mergeSamples(sorted(first), sorted(second));
        const table = new Map([...first, ...second]);
        expect([...merged.times]).toEqual([...table.keys()].sort((a, b) => a - b));
        merged.times.forEach((at, index) => expect(merged.values[index]).toBe(table.get(at)));
      }),
    );
  });

  it("cuts windows with both ends included", () => {
    const given = sortSamples([1, 2, 3, 4], [1, 2, 3, 4]);
    expect([...cutSamples(given, 2, 3).values]).toEqual([2, 3]);
    expect([...cutSamples(given, 5, 9).values]).toEqual([]);
  });
});
