import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { everyProblem, mayStartEarly, nextStart, quietProblem, scheduleInWords } from "./schedule";
import { MINUTE_MS } from "./windows";

const at = (text: string) => Date.parse(`${text}Z`);
const iso = (ms: number | undefined) => (ms === undefined ? undefined : new Date(ms).toISOString().slice(0, 16));

describe("schedules", () => {
  it.each([
    ["60", "", "2026-03-17T10:00", "2026-03-17T11:00"],
    ["60", "", "2026-03-17T10:59:59", "2026-03-17T11:00"],
    ["60", "08:00-18:00", "2026-03-17T10:00", "2026-03-17T18:00"],
    ["60", "22:00-05:00", "2026-03-17T22:10", "2026-03-18T05:00"],
    ["60", "22:00-05:00", "2026-03-17T20:10", "2026-03-17T21:00"],
    ["FREQ=DAILY;BYHOUR=3", "", "2026-03-17T10:00", "2026-03-18T03:00"],
    ["FREQ=WEEKLY;BYDAY=MO,TH;BYHOUR=22;BYMINUTE=30", "", "2026-03-17T10:00", "2026-03-19T22:30"],
    ["FREQ=MONTHLY;BYMONTHDAY=1", "", "2026-03-17T10:00", "2026-04-01T00:00"],
    ["FREQ=HOURLY;INTERVAL=6", "", "2026-03-17T10:00", "2026-03-17T12:00"],
    ["", "", "2026-03-17T10:00", undefined],
  ])("“%s” with quiet “%s” after %s is %s", (every, quiet, after, expected) =>
    expect(iso(nextStart({ every, quiet }, 0, at(after)))).toBe(expected),
  );
  it("spreads what has one schedule", () => {
    const starts = [1, 2, 3, 4].map((one) => nextStart({ every: "60", quiet: "" }, one, at("2026-03-17T10:00")));
    expect(new Set(starts).size).toBe(4);
    const daily = [1, 2, 3].map((one) => nextStart({ every: "FREQ=DAILY", quiet: "" }, one, at("2026-03-17T10:00")));
    expect(new Set(daily).size).toBe(3);
    for (const one of daily) expect(one).toBeLessThan(at("2026-03-18T00:05"));
  });
  it("always lies after the instant, outside quiet hours, and no two starts are missed in between", () =>
    fc.assert(
      fc.property(
        fc.integer({ min: 5, max: 3000 }),
        fc.integer({ min: 0, max: 500 }),
        fc.integer({ min: at("2026-01-01T00:00"), max: at("2026-12-31T00:00") }),
        (minutes, number, after) => {
          const next = nextStart({ every: String(minutes), quiet: "" }, number, after) as number;
          expect(next).toBeGreaterThan(after);
          expect(next - after).toBeLessThanOrEqual(minutes * MINUTE_MS);
          const loud = nextStart({ every: String(minutes), quiet: "06:00-20:00" }, number, after) as number;
          expect(new Date(loud).getUTCHours() < 6 || new Date(loud).getUTCHours() >= 20).toBe(true);
        },
      ),
    ));
  it.each([
    ["60", "", "2026-03-17T10:04", false],
    ["60", "", "2026-03-17T10:05", true],
    ["60", "10:10-11:30", "2026-03-17T10:40", false],
    ["60", "10:10-10:30", "2026-03-17T10:30", true],
    ["FREQ=DAILY;BYHOUR=10", "", "2026-03-17T11:59", false],
    ["FREQ=DAILY;BYHOUR=10", "", "2026-03-17T12:00", true],
    ["", "", "2026-03-18T10:00", false],
  ])("“%s” with quiet “%s”, last at ten, may start early at %s: %s", (every, quiet, when, expected) =>
    expect(mayStartEarly({ every, quiet }, 0, at("2026-03-17T10:00"), at(when))).toBe(expected),
  );
  it("says what is wrong", () => {
    for (const every of ["", "5", "60", "FREQ=DAILY;BYHOUR=3", "RRULE:FREQ=WEEKLY;BYDAY=MO"])
      expect(everyProblem(every), every).toBeUndefined();
    for (const every of [
      "1",
      "99999",
      "hourly",
      "FREQ=SECONDLY",
      "FREQ=MINUTELY",
      "FREQ=DAILY;COUNT=3",
      "FREQ=DAILY;X",
    ])
      expect(everyProblem(every), every).toBeDefined();
    expect(quietProblem("08:00-18:00")).toBeUndefined();
    for (const quiet of ["8-18", "25:00-26:00", "08:00-08:00", "08:60-09:00"])
      expect(quietProblem(quiet), quiet).toBeDefined();
  });
  it("is said in words", () => {
    expect(scheduleInWords({ every: "60", quiet: "" })).toBe("every hour");
    expect(scheduleInWords({ every: "90", quiet: "08:00-18:00" })).toBe("every 90 minutes, not 08:00–18:00 UTC");
    expect(scheduleInWords({ every: "", quiet: "" })).toBe("never");
    expect(scheduleInWords({ every: "FREQ=DAILY;BYHOUR=3", quiet: "" })).toContain("every day");
  });
});
