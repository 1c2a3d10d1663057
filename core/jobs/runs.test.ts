import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { DAY_MS, HOUR_MS, MINUTE_MS } from "../time/windows";
import { missedAt, scheduleOf, usualRun, type JobRun } from "./runs";

/** A Monday. */
const MONDAY = Date.UTC(2026, 2, 2);
const day = (number: number, time: number) => MONDAY + number * DAY_MS + time;
const run = (startedMs: number, minutes: number, outcome: JobRun["outcome"] = "done"): JobRun => ({
  startedMs,
  endedMs: outcome === "unknown" || outcome === "running" ? null : startedMs + minutes * MINUTE_MS,
  outcome,
});

describe("what is usual of runs", () => {
  it("is told by those that ended well", () => {
    const runs = [40, 42, 38].map((minutes, index) => run(day(index, 0), minutes));
    expect(usualRun([...runs, run(day(3, 0), 2, "failed"), run(day(4, 0), 0, "running")])).toEqual({
      medianMs: 40 * MINUTE_MS,
      mostMs: 42 * MINUTE_MS,
      runs: 3,
    });
    expect(usualRun(runs.slice(1))).toBeUndefined();
  });
});

describe("when a job is due", () => {
  const NIGHT = 2.5 * HOUR_MS;

  it("every day at its time, whatever it was off by and whoever started it once by hand", () => {
    const starts = Array.from({ length: 10 }, (_none, index) => day(index, NIGHT + (index % 3) * MINUTE_MS));
    const schedule = scheduleOf([...starts, day(9, 14 * HOUR_MS)]);
    expect(schedule?.words).toBe("every day at 02:31 UTC");
    expect(schedule?.after(day(9, 15 * HOUR_MS))).toBe(day(10, NIGHT + MINUTE_MS));
    expect(schedule?.before(day(9, 15 * HOUR_MS))).toBe(day(9, NIGHT + MINUTE_MS));
  });

  it("on those days of the week on which it starts", () => {
    const starts = [0, 1, 2, 3, 4, 7, 8, 9, 10, 11, 14, 15].map((number) => day(number, NIGHT));
    const schedule = scheduleOf(starts);
    expect(schedule?.words).toBe("Mondays to Fridays at 02:30 UTC");
    expect(schedule?.after(day(18, 3 * HOUR_MS))).toBe(day(21, NIGHT));
  });

  it("once a week", () => {
    const schedule = scheduleOf([0, 7, 14, 21].map((number) => day(number, NIGHT)));
    expect(schedule?.words).toBe("Mondays at 02:30 UTC");
    expect(schedule?.after(day(21, NIGHT))).toBe(day(28, NIGHT));
  });

  it("every so often, where it starts several times a day", () => {
    const starts = Array.from({ length: 30 }, (_none, index) => MONDAY + index * 20 * MINUTE_MS);
    const schedule = scheduleOf(starts);
    expect(schedule?.words).toBe("every 20 min");
    expect(schedule?.after(starts.at(-1) as number)).toBe((starts.at(-1) as number) + 20 * MINUTE_MS);
  });

  it("about midnight as well", () => {
    const starts = Array.from({ length: 8 }, (_none, index) => day(index, (index % 2 ? 2 : -2) * MINUTE_MS));
    expect(scheduleOf(starts)?.words).toMatch(/^every day at (23:58|00:02) UTC$/);
  });

  it("never, where people start it at will", () => {
    expect(scheduleOf([0, 3, 4, 11, 19].map((number, index) => day(number, index * 4 * HOUR_MS)))).toBeUndefined();
    expect(scheduleOf([0, 1, 1.2, 5, 5.1, 9, 30].map((hours) => MONDAY + hours * HOUR_MS))).toBeUndefined();
    expect(scheduleOf([MONDAY, MONDAY + DAY_MS])).toBeUndefined();
  });

  it("lies on either side of any instant, and what started when it was due is not missed", () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 4, max: 40 }),
        fc.integer({ min: 0, max: DAY_MS - 1 }),
        fc.integer({ min: 1, max: 30 * DAY_MS }),
        (count, time, later) => {
          const starts = Array.from({ length: count }, (_none, index) => day(index, time));
          const schedule = scheduleOf(starts);
          if (!schedule) return false;
          const at = (starts.at(-1) as number) + later;
          const [before, after] = [schedule.before(at) as number, schedule.after(at) as number];
          const late = (starts.at(-1) as number) + 5 * MINUTE_MS;
          return before <= at && after > at && missedAt(schedule, starts, late, 0) === undefined;
        },
      ),
    );
  });
});

it("a start is missed once it is due and the grace is over, and not after it came", () => {
  const starts = Array.from({ length: 6 }, (_none, index) => day(index, 2 * HOUR_MS));
  const schedule = scheduleOf(starts);
  if (!schedule) throw new Error("no schedule");
  const due = day(6, 2 * HOUR_MS);
  expect(missedAt(schedule, starts, due + 14 * MINUTE_MS, 15 * MINUTE_MS)).toBeUndefined();
  expect(missedAt(schedule, starts, due + 16 * MINUTE_MS, 15 * MINUTE_MS)).toBe(due);
  expect(missedAt(schedule, [...starts, due + 20 * MINUTE_MS], due + HOUR_MS, 15 * MINUTE_MS)).toBeUndefined();
});
