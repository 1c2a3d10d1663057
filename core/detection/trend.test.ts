import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { trendOf } from "../stats/trend";
import { MINUTE_MS } from "../time/windows";
import { trend, trendSettings } from "./trend";

const settings = trendSettings.parse({ metric: "disk.used", critical: 0.5, major: 4, minor: 24, leastMove: 1 });
function feed(valueAt: (minute: number) => number, minutes: number, stepMinutes = 0.25) {
  const state = trend.fresh();
  const verdicts = [];
  for (let minute = 0; minute <= minutes; minute += stepMinutes) {
    const verdict = trend.evaluate(
      settings,
      state,
      { atMs: minute * MINUTE_MS, value: valueAt(minute) },
      { instance: "/srv", unit: "%" },
    );
    if (verdict) verdicts.push({ minute, ...verdict });
  }
  return verdicts;
}

describe("the trend of values", () => {
  it("is the median of the slopes of all pairs, whatever one value says", () => {
    const times = [0, 1, 2, 3, 4, 5, 6, 7];
    expect(trendOf(times, [0, 2, 4, 6, 8, 10, 12, 14])?.slope).toBe(2);
    expect(trendOf(times, [0, 2, 4, 600, 8, 10, 12, 14])?.slope).toBeCloseTo(2, 1);
    expect(trendOf([0, 1], [0, 1])).toBeUndefined();
  });
  it("is sure of what rises steadily, and not of noise", () => {
    const times = Array.from({ length: 24 }, (_, at) => at);
    expect(trendOf(times, times)?.sure).toBeGreaterThan(6);
    expect(
      Math.abs(
        trendOf(
          times,
          times.map((at) => Math.sin(at * 12.9898)),
        )?.sure ?? 9,
      ),
    ).toBeLessThan(2);
  });
});

describe("time until full", () => {
  it("is told of by the time that is left: soon, sooner, now", () => {
    const verdicts = feed((minute) => Math.min(100, 60 + minute), 45);
    expect(verdicts.map((one) => one.severity)).toEqual(["major", "critical"]);
    expect(verdicts[0]).toMatchObject({ onsetMs: 0 });
    expect(verdicts[0]?.text).toMatch(
      /^Disk usage of \/srv at 61\.\d % reaches 100 % in 3\d min at the present trend$/,
    );
    expect(verdicts[0]?.minute).toBeLessThan(3);
  });
  it("is found for what takes days, by its hours", () => {
    const verdicts = feed((minute) => 60 + (minute / 60) * 2, 8 * 60);
    expect(verdicts.map((one) => one.severity)).toEqual(["minor"]);
  });
  it("says nothing of a level, however high, that does not move", () => {
    expect(feed(() => 96, 6 * 60)).toEqual([]);
    expect(feed((minute) => 91 + 0.3 * Math.sin(minute), 6 * 60)).toEqual([]);
  });
  it("is over when it stands still again, and stays while it is full", () => {
    const emptied = feed((minute) => (minute < 20 ? 60 + minute : 40), 60);
    expect(emptied.map((one) => one.severity)).toEqual(
      ["major", "critical", "cleared"].filter((one) => emptied.some((e) => e.severity === one)),
    );
    expect(emptied.at(-1)?.severity).toBe("cleared");
    const full = feed((minute) => Math.min(100, 70 + minute), 120);
    expect(full.at(-1)?.severity).toBe("critical");
  });
  it("is over as soon as room is made, wherever that falls between the points of the long trend", () => {
    for (let phase = 0; phase < 10; phase++) {
      const [fills, emptied] = [180 + phase, 210 + phase];
      const at = (minute: number) =>
        40 + minute * 0.02 + (minute < fills || minute >= emptied ? 0 : Math.min(54, (minute - fills) * 4));
      const last = feed((minute) => Math.min(100, at(minute)), emptied + 12).at(-1);
      expect(last?.severity).toBe("cleared");
      expect(last?.minute).toBeLessThan(emptied + 1);
    }
  });
  it("says nothing of what warms up far below its limit, where a level is asked for", () => {
    const state = trend.fresh();
    const asked = trendSettings.parse({ metric: "memory.used", limit: 97, major: 1, leastMove: 4, onlyFrom: 70 });
    for (let minute = 0; minute < 20; minute += 0.25)
      expect(
        trend.evaluate(
          asked,
          state,
          { atMs: minute * MINUTE_MS, value: 30 + minute * 1.5 },
          { instance: "", unit: "%" },
        ),
      ).toBeUndefined();
  });
  it("never alarms of what falls (property)", () => {
    fc.assert(
      fc.property(
        fc.double({ min: 0.001, max: 1, noNaN: true }),
        fc.double({ min: 10, max: 99, noNaN: true }),
        (fall, start) => feed((minute) => Math.max(0, start - fall * minute), 90).length === 0,
      ),
    );
  });
});

it("asks for a time that is worth an alarm", () =>
  expect(trendSettings.safeParse({ metric: "disk.used" }).error?.issues[0]?.message).toMatch(/within how many hours/));
