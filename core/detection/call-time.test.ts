import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { MINUTE_MS } from "../time/windows";
import { learnTime, longerThanUsual, timeTogether, type UsualTime } from "./call-time";

/** Draws in (0, 1), the same each time. */
function chance(seed: number): () => number {
  let state = seed;
  return () => (state = (state * 16807) % 2147483647) / 2147483647;
}

/** Minutes with so many calls whose times fall off exponentially around a mean. */
function minutes(count: number, calls: number, meanUs: number, draw: () => number) {
  return Array.from({ length: count }, (_, at) => {
    let tookUs = 0;
    for (let call = 0; call < calls; call++) tookUs -= meanUs * Math.log(draw());
    return { atMs: at * MINUTE_MS, calls, tookUs };
  });
}
const usual = (more: Partial<UsualTime> = {}): UsualTime => ({ meanUs: 1000, single: 1, apart: 0.0004, ...more });
const judged = (calls: number, times: number, time = usual()) =>
  longerThanUsual([{ calls, tookUs: calls * times * 1000, usualUs: calls * 1000 }], time);

describe("how long calls usually take", () => {
  it("is their mean, and minutes with independent calls are not taken for more alike than they are", () => {
    const learned = learnTime(minutes(1440, 20, 5000, chance(7)));
    expect(learned?.meanUs).toBeGreaterThan(4700);
    expect(learned?.meanUs).toBeLessThan(5300);
    expect(learned?.single).toBeGreaterThan(0.7);
    expect(learned?.apart).toBeLessThan(0.01);
  });
  it("is not moved by the hours in which something was wrong", () => {
    const well = minutes(1440, 20, 5000, chance(7));
    const known = learnTime(well) as UsualTime;
    const hurt = well.map((one, at) => (at >= 200 && at < 480 ? { ...one, tookUs: one.tookUs * 10 } : one));
    const learned = learnTime(hurt) as UsualTime;
    expect(learned.meanUs / known.meanUs).toBeCloseTo(1, 1);
    // A fifth of the minutes is wrong by the factor of ten: their variance would be 13.
    expect(learned.apart).toBeLessThan(0.05);
    expect(judged(100, 3, learned).p).toBeLessThan(1e-6);
  });
  it("varies more where whole minutes do", () => {
    const draw = chance(3);
    const uneven = minutes(1440, 500, 5000, draw).map((one) => ({ ...one, tookUs: one.tookUs * (0.5 + draw()) }));
    expect(learnTime(uneven)?.apart).toBeGreaterThan(0.03);
  });
  it("is taken for wider until a whole day is known: the next hour may be a busier one", () => {
    const draw = chance(5);
    const short = learnTime(minutes(600, 500, 5000, draw)) as UsualTime;
    expect(short.apart).toBeCloseTo(0.04);
    expect(judged(2000, 1.45, short).p).toBeGreaterThan(1e-4);
    expect(judged(2000, 1.45, learnTime(minutes(1440, 500, 5000, draw))).p).toBeLessThan(1e-9);
  });
  it("is known of a whole day with a gap, wherever in it that is", () => {
    const day = minutes(1440, 500, 5000, chance(5));
    for (const from of [0, 600, 1320])
      expect(learnTime(day.filter((_, at) => at < from || at >= from + 120))?.apart).toBeLessThan(0.001);
    expect(learnTime(day.filter((_, at) => at >= 300))?.apart).toBeCloseTo(0.04);
  });
  it("is not known where nothing tells", () => {
    expect(learnTime([])).toBeUndefined();
    expect(learnTime([{ atMs: 0, calls: 5 }])).toBeUndefined();
    expect(learnTime([{ atMs: 0, calls: 5, tookUs: Number.NaN }])).toBeUndefined();
    expect(learnTime([{ atMs: 0, calls: 0, tookUs: 0 }])).toBeUndefined();
  });
});

describe("calls that take longer", () => {
  it("are as unlikely as the gamma law has it: one exponential call longer than three means, e to the minus three", () =>
    expect(judged(1, 3, usual({ apart: 0 })).p).toBeCloseTo(Math.exp(-3), 10));
  it("are the less likely by chance the more of them there are and the longer they take", () =>
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 5000 }), fc.double({ min: 1, max: 5, noNaN: true }), (calls, times) => {
        const { p } = judged(calls, times);
        expect(p).toBeGreaterThan(0);
        expect(p).toBeLessThanOrEqual(1);
        expect(judged(calls, times + 0.5).p).toBeLessThanOrEqual(p);
      }),
    ));
  it("are judged each beside its own usual, so that more of the slow kind is nothing", () => {
    const mixed = longerThanUsual(
      [
        { calls: 10, tookUs: 10_000, usualUs: 10_000 },
        { calls: 90, tookUs: 900_000, usualUs: 900_000 },
      ],
      usual(),
    );
    expect(mixed.times).toBe(1);
    expect(mixed.p).toBeGreaterThan(0.3);
  });
  it("say nothing without calls", () => expect(longerThanUsual([], usual())).toMatchObject({ p: 1, calls: 0 }));
});

it("of several lines vary together by how much of the time each takes", () => {
  const one = { time: usual({ apart: 0.04 }), usualUs: 300 };
  const other = { time: usual({ apart: 0.0004, single: 0.5 }), usualUs: 100 };
  expect(timeTogether([])).toBeUndefined();
  expect(timeTogether([one, other])?.single).toBe(1);
  expect(timeTogether([one, other])?.apart).toBeCloseTo(((300 * 0.2 + 100 * 0.02) / 400) ** 2);
  // Without calls of late, what is known of the first.
  expect(timeTogether([{ ...one, usualUs: 0 }])?.apart).toBe(0.04);
});
