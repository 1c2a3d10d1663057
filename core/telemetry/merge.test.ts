import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { Samples } from "./chunk";
import { cutSamples, lowerBound, mergeSamples, sortSamples } from "./merge";

type Pair = [at: number, value: number];
const pairs = fc.array(fc.tuple(fc.integer({ min: 0, max: 60 }), fc.integer()), { maxLength: 40 });
const listed = ({ times, values }: Samples): Pair[] => Array.from(times, (at, index) => [at, values[index] as number]);
const sorted = (list: readonly Pair[]) =>
  sortSamples(
    list.map(([at]) => at),
    list.map(([, value]) => value),
  );
/** The plain way: a map in which the later to arrive takes the place of the earlier. */
const plainly = (...lists: readonly (readonly Pair[])[]): Pair[] =>
  [...new Map(lists.flat())].sort(([a], [b]) => a - b);

describe("samples put in order", () => {
  it("rise, and of several at one instant the last given stays", () =>
    fc.assert(fc.property(pairs, (list) => void expect(listed(sorted(list))).toEqual(plainly(list)))));
  it("are left as they are when they rise already", () => {
    const times = [1, 2, 3];
    expect(listed(sortSamples(times, [7, 8, 9]))).toEqual([
      [1, 7],
      [2, 8],
      [3, 9],
    ]);
    expect(listed(sortSamples([], []))).toEqual([]);
  });
});

describe("two lists of samples", () => {
  it("become one as if the later had been written over the earlier", () =>
    fc.assert(
      fc.property(
        pairs,
        pairs,
        (earlier, later) =>
          void expect(listed(mergeSamples(sorted(earlier), sorted(later)))).toEqual(
            plainly(plainly(earlier), plainly(later)),
          ),
      ),
    ));
  it("are one of them when the other is empty, without a copy", () => {
    const some = sorted([[1, 1]]);
    const none = sorted([]);
    expect(mergeSamples(some, none)).toBe(some);
    expect(mergeSamples(none, some)).toBe(some);
  });
});

describe("the part of samples in a window", () => {
  it("holds both its ends and nothing else", () =>
    fc.assert(
      fc.property(
        pairs,
        fc.integer({ min: -5, max: 65 }),
        fc.integer({ min: 0, max: 70 }),
        (list, from, span) =>
          void expect(listed(cutSamples(sorted(list), from, from + span))).toEqual(
            plainly(list).filter(([at]) => at >= from && at <= from + span),
          ),
      ),
    ));
  it("shares its memory with the whole", () => {
    const whole = sorted([
      [1, 1],
      [2, 2],
      [3, 3],
    ]);
    expect(cutSamples(whole, 2, 2).values.buffer).toBe(whole.values.buffer);
  });
});

it("the first instant that is not before one is found by halving", () =>
  fc.assert(
    fc.property(pairs, fc.integer({ min: -5, max: 65 }), (list, at) => {
      const { times } = sorted(list);
      const found = lowerBound(times, at);
      expect(times.subarray(0, found).every((one) => one < at)).toBe(true);
      expect(times.subarray(found).every((one) => one >= at)).toBe(true);
    }),
  ));
