import { describe, expect, it } from "vitest";
import { MINUTE_MS } from "../time/windows";
import type { CallPoint, CallUsual } from "./call-usual";
import { callSettings } from "./calls";
import { recoveryOf } from "./call-recovery";

const failing = callSettings.parse({ condition: "failing", minor: 5, major: 20, leastCalls: 3 });
const usual = (alike = 0.01): CallUsual => ({
  limitUs: 400_000,
  slow: { share: 0.05, alike },
  failed: { share: 0.005, alike },
  perMinute: { mean: 4, variance: 4 },
  calls: 1000,
});
/** Minutes with calls, failed ones among them; the first ends with minute 0. */
const minutes = (...all: [calls: number, failed: number][]): CallPoint[] =>
  all.map(([calls, failed], index) => ({ atMs: (index + 1) * MINUTE_MS - 1, calls, failed, slow: 0 }));
const line = (points: CallPoint[], alike?: number) => ({ settings: failing, points, usual: usual(alike) });
/** What was done ended just before minute 3 began. */
const SINCE = 3 * MINUTE_MS - 1000;

describe("how calls go since something was done", () => {
  it("is told by few calls where all failed before, and by more where some did", () => {
    const all: [number, number][] = [[4, 4], [4, 4], [4, 4]]; // prettier-ignore
    expect(recoveryOf([line(minutes(...all, [3, 0]))], SINCE)).toEqual({ calls: 3, bad: 0, isEased: true });
    expect(recoveryOf([line(minutes(...all, [1, 0]))], SINCE)).toBeUndefined();
    const some: [number, number][] = [[4, 1], [4, 1], [4, 1]]; // prettier-ignore
    expect(recoveryOf([line(minutes(...some, [8, 0]))], SINCE)).toBeUndefined();
    // Twenty are told of however it was before.
    expect(recoveryOf([line(minutes(...some, [12, 0], [8, 0]))], SINCE)).toMatchObject({ calls: 20, isEased: true });
  });

  it("asks for more where calls of a moment are much alike", () => {
    const points = minutes([4, 4], [4, 4], [4, 4], [3, 0]);
    expect(recoveryOf([line(points, 0.3)], SINCE)).toBeUndefined();
    expect(recoveryOf([line(minutes([4, 4], [4, 4], [4, 4], [9, 0], [3, 0]), 0.3)], SINCE)).toMatchObject({
      calls: 12,
    });
  });

  it("is told by all lines together, of which each has to be as usual", () => {
    const well = line(minutes([2, 2], [2, 2], [2, 2], [2, 0]));
    expect(recoveryOf([well], SINCE)).toBeUndefined();
    expect(recoveryOf([well, well, well], SINCE)).toEqual({ calls: 6, bad: 0, isEased: true });
    const bad = line(minutes([9, 9], [9, 9], [9, 9], [20, 9]));
    expect(recoveryOf([well, well, bad], SINCE)).toEqual({ calls: 24, bad: 9, isEased: false });
  });

  it("is not told by one line of three that alone is called since", () => {
    const called = line(minutes([4, 4], [4, 4], [4, 4], [6, 0]));
    const silent = line(minutes([4, 4], [4, 4], [4, 4]));
    expect(recoveryOf([called, silent], SINCE)).toMatchObject({ calls: 6 });
    expect(recoveryOf([called, silent, silent], SINCE)).toBeUndefined();
    expect(recoveryOf([silent], SINCE)).toBeUndefined();
    expect(recoveryOf([], SINCE)).toBeUndefined();
  });

  it("takes of the minute in which it was what began after, where that is known", () => {
    const points = minutes([4, 4], [4, 4], [40, 4], [1, 0]);
    const rest = { atMs: 3 * MINUTE_MS - 1, calls: 25, failed: 0, slow: 0 };
    const since = SINCE - MINUTE_MS / 2;
    expect(recoveryOf([{ ...line(points), rest }], since)).toEqual({ calls: 26, bad: 0, isEased: true });
    expect(recoveryOf([{ ...line(points), rest: { ...rest, failed: 20 } }], since)).toEqual({
      calls: 26,
      bad: 20,
      isEased: false,
    });
    // Once the next minute is there, both count.
    const further = [...points, { atMs: 4 * MINUTE_MS + 59_999, calls: 7, failed: 0, slow: 0 }];
    expect(recoveryOf([{ ...line(further), rest }], since)).toMatchObject({ calls: 33 });
  });

  it("leaves a minute out that began before", () => {
    const points = minutes([4, 4], [4, 4], [40, 4], [1, 0]);
    expect(recoveryOf([line(points)], SINCE - MINUTE_MS / 2)).toBeUndefined();
  });
});
