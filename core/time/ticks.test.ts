import fc from "fast-check";
import { expect, it } from "vitest";
import { tickLabel, timeTicks } from "./ticks";
import { DAY_MS, HOUR_MS } from "./windows";

it("puts ticks on round instants inside the window, no more than fit", () => {
  const at = Date.parse("2026-03-17T14:03:20Z");
  expect(timeTicks(at - HOUR_MS, at, 6).map((tick) => tickLabel(tick, HOUR_MS))).toEqual([
    "13:10",
    "13:20",
    "13:30",
    "13:40",
    "13:50",
    "14:00",
  ]);
  expect(timeTicks(at - 30 * DAY_MS, at, 6).map((tick) => tickLabel(tick, 30 * DAY_MS))).toEqual([
    "Mon 16 Feb",
    "Mon 23 Feb",
    "Mon 2 Mar",
    "Mon 9 Mar",
    "Mon 16 Mar",
  ]);
  fc.assert(
    fc.property(fc.integer({ min: 0, max: 2e12 }), fc.integer({ min: 1000, max: 4e10 }), (from, span) => {
      const ticks = timeTicks(from, from + span, 8);
      return ticks.length <= 9 && ticks.every((tick) => tick >= from && tick <= from + span);
    }),
  );
});
