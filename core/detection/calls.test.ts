import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { MINUTE_MS } from "../time/windows";
import { alikeOver, learnCalls, learnShare, untroubled, type CallPoint } from "./call-usual";
import { calls, callSettings } from "./calls";
import type { CallDetector } from "./detector";
import { alarmsIn, replayCalls } from "./replay";

const minute = (at: number, count: number, failed = 0, slow = 0): CallPoint => ({
  atMs: at * MINUTE_MS,
  calls: count,
  failed,
  slow,
});
const judged = { instance: "GET /slots", unit: "" };
const failing = callSettings.parse({ condition: "failing", minor: 5, major: 20 });
const slow = callSettings.parse({ condition: "slow", minor: 30, major: 60 });
/** A day of 20 calls a minute, of which one in a hundred fails and one in twenty is slow. */
const usual = learnCalls(
  Array.from({ length: 1440 }, (_, at) => minute(at, 20, at % 5 === 0 ? 1 : 0, 1)),
  400_000,
  1440,
);
const told = (settings: typeof failing, points: readonly CallPoint[], known = usual) =>
  replayCalls(calls as CallDetector, settings, points, known, (points.at(-1)?.atMs ?? 0) + MINUTE_MS, judged);

describe("what is usual of calls", () => {
  it("is the share that was so, and calls a minute", () => {
    expect(usual.failed.share).toBeCloseTo(0.01, 3);
    expect(usual.slow.share).toBeCloseTo(0.05, 2);
    expect(usual.perMinute.mean).toBeCloseTo(20);
    expect(usual.calls).toBe(28_800);
  });
  it("takes what never failed for seldom, not for impossible", () => {
    const never = learnCalls([minute(0, 200)], 1, 1);
    expect(never.failed.share).toBeGreaterThan(0);
    expect(never.failed.share).toBeLessThan(0.01);
  });
  it("leaves the oddest moments out", () => {
    const calm = Array.from({ length: 200 }, () => ({ n: 20, x: 1 }));
    const withBurst = [...calm, ...Array.from({ length: 4 }, () => ({ n: 20, x: 20 }))];
    expect(learnShare(withBurst, 20).share).toBeCloseTo(learnShare(calm, 20).share, 2);
  });
  it("finds how much more alike calls of a moment are than chance has it", () => {
    // Half of the moments are wholly so, half not at all: as alike as can be.
    const moments = Array.from({ length: 400 }, (_, at) => ({ n: 10, x: at % 2 ? 10 : 0 }));
    expect(learnShare(moments, 20).alike).toBe(0.3);
    // Shares that differ only as chance has it.
    let seed = 1;
    const chance = () => (seed = (seed * 16807) % 2147483647) / 2147483647;
    const drawn = Array.from({ length: 2000 }, () => ({
      n: 30,
      x: Array.from({ length: 30 }, chance).filter((one) => one < 0.2).length,
    }));
    expect(learnShare(drawn, 20).alike).toBeLessThan(0.02);
  });
  it("learns of longer whiles for themselves: whether one moment says anything of the next", () => {
    const day = (x: (at: number) => number) =>
      learnCalls(
        Array.from({ length: 1440 }, (_, at) => minute(at, 100, x(at))),
        400_000,
        1440,
      ).failed;
    // A tenth of the minutes have eight failures: in turn with others, or half an hour together.
    const scattered = day((at) => (at % 10 === 0 ? 8 : 0));
    const lumped = day((at) => (at % 300 < 30 ? 8 : 0));
    expect(scattered.alike).toBeCloseTo(lumped.alike, 2);
    expect(scattered.alikeLong).toBeLessThan(scattered.alike / 3);
    expect(lumped.alikeLong).toBeGreaterThan(lumped.alike * 0.8);
    expect(alikeOver(scattered, 1)).toBe(scattered.alike);
    expect(alikeOver(scattered, 9)).toBeCloseTo(scattered.alikeLong ?? 0, 9);
    expect(alikeOver(scattered, 3)).toBeCloseTo((scattered.alike + (scattered.alikeLong ?? 0)) / 2);
    // An hour tells nothing of it.
    expect(learnCalls([minute(0, 100, 1), minute(60, 100, 1)], 1, 60).failed.alikeLong).toBeUndefined();
  });
});

describe("a past in which alarms stood", () => {
  const hour = Array.from({ length: 60 }, (_, minute) => ({ atMs: minute * 60_000 }));
  it("is learned from without them", () => {
    const known = untroubled(hour, [{ fromMs: 10 * 60_000, toMs: 20 * 60_000 }]);
    expect(known).toHaveLength(49);
    expect(known.some(({ atMs }) => atMs >= 10 * 60_000 && atMs <= 20 * 60_000)).toBe(false);
  });
  it("is all there is where none stood", () => expect(untroubled(hour, [])).toEqual(hour));
  it("is none where an alarm stood over all of it", () => {
    expect(untroubled(hour, [{ fromMs: 0, toMs: 9e15 }])).toEqual([]);
    expect(untroubled([], [{ fromMs: 0, toMs: 9e15 }])).toEqual([]);
  });
});

describe("calls that fail", () => {
  it("are told of where a few of many fail for five minutes on end, though one minute would be nothing", () => {
    // Of five hundred calls two fail; now and then, for a minute, twenty.
    const day = Array.from({ length: 1440 }, (_, at) => minute(at, 500, at % 97 === 0 ? 20 : 2));
    const known = learnCalls(day, 400_000, 1440);
    const few = callSettings.parse({ condition: "failing", minor: 2 });
    expect(told(few, [minute(0, 500, 2), minute(1, 500, 25), minute(2, 500, 2)], known)).toEqual([]);
    const lasting = Array.from({ length: 6 }, (_, at) => minute(at, 500, 35));
    expect(told(few, lasting, known)).toMatchObject([{ severity: "minor" }]);
  });
  it("are told of with the first minute that cannot be chance, since when, and what is usual", () => {
    const points = [minute(0, 20), minute(1, 20), minute(2, 20, 9), minute(3, 20, 14)];
    expect(told(failing, points)).toMatchObject([
      {
        severity: "major",
        atMs: 2 * MINUTE_MS,
        onsetMs: 2 * MINUTE_MS,
        text: "9 of 20 calls failed within 1 min (1.0 % usually)",
      },
    ]);
  });
  it("are not over by what was well before they began", () => {
    const known = learnCalls(
      Array.from({ length: 1440 }, (_, at) => minute(at, 60, at % 50 === 0 ? 1 : 0)),
      400_000,
      1440,
    );
    const half = callSettings.parse({ condition: "failing", major: 50 });
    const points = [minute(0, 60), minute(1, 57), minute(2, 20, 11)];
    const state = calls.fresh();
    const at = (ms: number) => calls.evaluate(half, state, { atMs: ms, points, usual: known }, judged)?.severity;
    expect(at(2 * MINUTE_MS)).toBe("major");
    // Seen over two minutes they are few.
    expect(at(2 * MINUTE_MS + 6000)).toBeUndefined();
    points.push(minute(3, 60), minute(4, 60));
    expect(at(4 * MINUTE_MS)).toBe("cleared");
  });
  it("are messages where nobody waits for them", () => {
    const points = [minute(0, 20), minute(1, 20), minute(2, 20, 9)];
    const taken = { ...judged, unit: "messages" };
    const [first] = replayCalls(calls as CallDetector, failing, points, usual, 3 * MINUTE_MS, taken);
    expect(first?.text).toBe("9 of 20 messages failed within 1 min (1.0 % usually)");
  });
  it("are not told of by one failure of three, but by what adds up over five minutes", () => {
    expect(told(failing, [minute(0, 3, 1)])).toEqual([]);
    const rare = Array.from({ length: 8 }, (_, at) => minute(at, 2, 2));
    const [first] = told(failing, rare);
    expect(first).toMatchObject({ severity: "major" });
    expect((first?.atMs ?? 0) / MINUTE_MS).toBeLessThan(5);
  });
  it("are over when most succeed again, or nothing comes any more", () => {
    const storm = [minute(0, 20, 12), minute(1, 20, 12)];
    const eased = [...storm, minute(2, 20), minute(3, 20), minute(4, 20)];
    expect(told(failing, eased).map((one) => one.severity)).toEqual(["major", "cleared"]);
    const silent = replayCalls(calls as CallDetector, failing, storm, usual, 60 * MINUTE_MS, judged);
    expect(silent.at(-1)).toMatchObject({ severity: "cleared", text: "No more calls come" });
    expect(alarmsIn(silent, 60 * MINUTE_MS).raised).toBe(1);
  });
  it("are not judged before enough is known", () =>
    expect(told(failing, [minute(0, 20, 20)], learnCalls([minute(0, 20)], 1, 1))).toEqual([]));
});

describe("calls that are slow", () => {
  it("are told of by how many are, not by one that took long", () => {
    expect(told(slow, [minute(0, 20, 0, 3)])).toEqual([]);
    expect(told(slow, [minute(0, 20, 0, 15)])).toMatchObject([
      { severity: "major", text: "15 of 20 calls took longer than 400 ms within 1 min (5.0 % usually)" },
    ]);
  });
  it("bring no alarm while their share stays as it was, however many they are (property)", () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 0, max: 400 }), { minLength: 1, maxLength: 60 }), (counts) => {
        const points = counts.map((count, at) => minute(at, count, 0, Math.round(count * 0.05)));
        return told(slow, points).length === 0;
      }),
    );
  });
  it("are never told of twice in the same way, and only worse in between (property)", () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.nat(30), fc.double({ min: 0, max: 1, noNaN: true })), { maxLength: 80 }),
        (list) => {
          const verdicts = told(
            slow,
            list.map(([count, share], at) => minute(at, count, 0, Math.round(count * share))),
          );
          return verdicts.every(({ severity }, at) => severity !== (at === 0 ? "cleared" : verdicts[at - 1]?.severity));
        },
      ),
    );
  });
});

it("asks for a share from which calls are worth an alarm", () => {
  expect(callSettings.safeParse({ condition: "slow" }).error?.issues[0]?.message).toMatch(/at least one share/);
  expect(callSettings.parse({ condition: "slow", minor: "30", major: "", critical: "", score: "80" })).toMatchObject({
    minor: 30,
    score: 80,
  });
});

describe("calls that take longer on average", () => {
  const told20 = (at: number, times: number, slowOnes = 1): CallPoint => ({
    ...minute(at, 20, 0, slowOnes),
    // Even minutes take a little longer than odd ones.
    tookUs: 20 * 50_000 * times * (at % 2 ? 1.1 : 0.9),
  });
  const known = learnCalls(
    Array.from({ length: 1440 }, (_, at) => told20(at, 1)),
    400_000,
    1440,
  );
  const longer = callSettings.parse({ condition: "slow", minor: 30, longer: 1.4 });
  it("are told of though hardly any passes the limit, and cleared when they take as long as before", () => {
    const points = [told20(0, 1), told20(1, 2.2), told20(2, 2.2), told20(3, 2.2)];
    points.push(...Array.from({ length: 8 }, (_, at) => told20(4 + at, 1)));
    const verdicts = told(longer, points, known);
    expect(verdicts).toMatchObject([
      {
        severity: "minor",
        onsetMs: MINUTE_MS,
        text: expect.stringMatching(
          /^\d+ calls took 1\d\d(\.\d)? ms on average within \d min \(\d\d(\.\d)? ms usually\)$/,
        ),
      },
      { severity: "cleared" },
    ]);
  });
  it("are not judged by rules that do not ask, nor where nobody tells how long calls take", () => {
    const points = Array.from({ length: 6 }, (_, at) => told20(at, 4));
    expect(told(slow, points, known)).toEqual([]);
    const untold = points.map((one) => ({ ...one, tookUs: undefined }));
    expect(told(longer, untold, known)).toEqual([]);
    expect(told(longer, points, { ...known, time: undefined })).toEqual([]);
  });
  it("become worse when so many pass the limit, and stand until both are well", () => {
    const points = [told20(0, 2.5), told20(1, 2.5), told20(2, 2.5, 19), told20(3, 2.5), told20(4, 2.5)];
    expect(told({ ...longer, major: 60 }, points, known).map((one) => one.severity)).toEqual(["minor", "major"]);
  });
  it("a rule may ask for nothing else, but not of failing calls", () => {
    expect(callSettings.safeParse({ condition: "slow", longer: "2" }).success).toBe(true);
    expect(callSettings.safeParse({ condition: "slow", longer: "1" }).error?.issues[0]?.message).toMatch(/1\.1 times/);
    expect(callSettings.safeParse({ condition: "failing", minor: 5, longer: 2 }).error?.issues).toMatchObject([
      { path: ["longer"], message: expect.stringContaining("failing") },
    ]);
  });
});
