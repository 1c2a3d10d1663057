import fc from "fast-check";
import { DateTime } from "luxon";
import { describe, expect, it } from "vitest";
import { nextTime, times, timesTrigger } from "./times";

const at = (text: string) => Date.parse(text);
const trigger = (more: object) => timesTrigger.parse({ type: "times", ...more });
const next = (more: object, after: string) => new Date(nextTime(trigger(more), at(after))).toISOString();

describe("times of a chore", () => {
  it("comes on the same day where its time is still to come, else on the next that fits", () => {
    expect(next({ at: "06:00" }, "2026-03-17T05:59:59Z")).toBe("2026-03-17T06:00:00.000Z");
    expect(next({ at: "06:00" }, "2026-03-17T06:00:00Z")).toBe("2026-03-18T06:00:00.000Z");
    expect(next({ at: "03:30", days: [7] }, "2026-03-17T10:00:00Z")).toBe("2026-03-22T03:30:00.000Z");
  });

  it("knows the first and the last of a month", () => {
    expect(next({ at: "02:00", days: [7], weeks: "first" }, "2026-03-17T10:00:00Z")).toBe("2026-04-05T02:00:00.000Z");
    expect(next({ at: "02:00", days: [1], weeks: "last" }, "2026-02-01T00:00:00Z")).toBe("2026-02-23T02:00:00.000Z");
    expect(next({ at: "02:00", days: [1], weeks: "last" }, "2026-02-23T02:00:00Z")).toBe("2026-03-30T02:00:00.000Z");
  });

  it("goes by the clock of its place when the clock is changed", () => {
    const lisbon = { at: "01:30", zone: "Europe/Lisbon" };
    // Left out by the change: an hour later. Repeated by the change: once.
    expect(next(lisbon, "2026-03-28T12:00:00Z")).toBe("2026-03-29T01:30:00.000Z");
    expect(next(lisbon, "2026-10-24T12:00:00Z")).toBe("2026-10-25T00:30:00.000Z");
    expect(next(lisbon, "2026-10-25T00:30:00Z")).toBe("2026-10-26T01:30:00.000Z");
  });

  it("is always after, at its time of day on one of its days, and never skips a day that fits", () => {
    fc.assert(
      fc.property(
        fc.integer({ min: at("2025-01-01T00:00:00Z"), max: at("2027-12-31T00:00:00Z") }),
        fc.uniqueArray(fc.integer({ min: 1, max: 7 }), { minLength: 1, maxLength: 7 }),
        fc.constantFrom("UTC", "Europe/Lisbon", "Pacific/Auckland", "America/St_Johns", "Asia/Kathmandu"),
        // Away from the hours that changes of the clock leave out or repeat.
        fc.constantFrom("06:00", "12:15", "22:45"),
        (afterMs, days, zone, clock) => {
          const found = nextTime({ days, weeks: "every", at: clock, zone }, afterMs);
          const local = DateTime.fromMillis(found, { zone });
          expect(found).toBeGreaterThan(afterMs);
          expect(local.toFormat("HH:mm")).toBe(clock);
          expect(days).toContain(local.weekday);
          let day = DateTime.fromMillis(afterMs, { zone }).plus({ days: 1 }).startOf("day");
          for (; day < local.startOf("day"); day = day.plus({ days: 1 })) expect(days).not.toContain(day.weekday);
        },
      ),
    );
  });

  it("is said in words", () => {
    expect(times.words(trigger({ at: "06:00" }))).toBe("every day at 06:00 (UTC)");
    expect(times.words(trigger({ at: "03:30", days: [6, 7] }))).toBe("Sat, Sun at 03:30 (UTC)");
    expect(times.words(trigger({ at: "03:30", days: [7], weeks: "first" }))).toBe(
      "the first Sun of a month at 03:30 (UTC)",
    );
  });

  it("refuses what is no time", () => {
    expect(timesTrigger.safeParse({ type: "times", at: "24:00" }).success).toBe(false);
    expect(timesTrigger.safeParse({ type: "times", days: [] }).success).toBe(false);
    expect(timesTrigger.safeParse({ type: "times", zone: "Mars/North" }).success).toBe(false);
  });
});
