import fc from "fast-check";
import { expect, it } from "vitest";
import { HALF_HOUR_MS, HOUR_MS, MINUTE_MS } from "#core/time/windows";
import type { Db } from "./database";
import { cameBetween, countLogs, minutesWith, patternIdsIn, talliesIn } from "./log-tallies";
import { useStore } from "../../tests/store";

const AT = Date.parse("2026-03-17T10:07:00Z");
let db: Db;
useStore((opened) => (db = opened));

const records = fc.array(
  fc.record({
    atMs: fc.nat({ max: 4 * HOUR_MS }).map((ms) => AT + ms),
    patternId: fc.integer({ min: 1, max: 3 }),
    resourceId: fc.integer({ min: 1, max: 3 }),
    severity: fc.constantFrom(9, 17),
  }),
  { maxLength: 60 },
);
const window = fc
  .tuple(fc.integer({ min: -HOUR_MS, max: 4 * HOUR_MS }), fc.nat({ max: 4 * HOUR_MS }))
  .map(([from, length]) => ({ fromMs: AT + from, toMs: AT + from + length }));
const minute = (atMs: number) => Math.floor(atMs / MINUTE_MS) * MINUTE_MS;

it("counts, finds and dates the same from half hours and minutes as from the records", () => {
  fc.assert(
    fc.property(
      fc.array(records, { maxLength: 3 }),
      window,
      fc.constantFrom(MINUTE_MS, 5 * MINUTE_MS, HALF_HOUR_MS, 6 * HALF_HOUR_MS),
      (batches, { fromMs, toMs }, stepMs) => {
        db.exec("DELETE FROM log_tally; DELETE FROM log_tally_half");
        for (const batch of batches) db.transaction(() => countLogs(db, batch))();
        const all = batches.flat();
        const inside = all.filter((one) => minute(one.atMs) >= minute(fromMs) && minute(one.atMs) <= toMs);

        const counts = (
          list: Iterable<{ patternId: number; resourceId: number; severity: number; count?: number }>,
        ) => {
          const sums: Record<string, number> = {};
          for (const { patternId, resourceId, severity, count = 1 } of list)
            sums[`${patternId} ${resourceId} ${severity}`] =
              (sums[`${patternId} ${resourceId} ${severity}`] ?? 0) + count;
          return sums;
        };
        expect(counts(talliesIn(db, fromMs, toMs, stepMs))).toEqual(counts(inside));
        // What a drawing in such steps shows is in its step.
        const steps = (list: Iterable<{ atMs: number; count?: number }>) => {
          const sums: Record<number, number> = {};
          for (const { atMs, count = 1 } of list)
            sums[Math.floor(atMs / stepMs)] = (sums[Math.floor(atMs / stepMs)] ?? 0) + count;
          return sums;
        };
        expect(steps(talliesIn(db, fromMs, toMs, stepMs))).toEqual(steps(inside));

        expect([...patternIdsIn(db, fromMs, toMs)].sort()).toEqual(
          [...new Set(inside.map((one) => one.patternId))].sort(),
        );
        for (const id of [1, 2, 3]) {
          const times = all.filter((one) => one.patternId === id).map((one) => one.atMs);
          if (times.length)
            expect(
              cameBetween(db, { id, first_at: Math.min(...times) - 6 * HOUR_MS }, minute(fromMs), minute(toMs)),
            ).toBe(times.some((at) => minute(at) >= minute(fromMs) && minute(at) < minute(toMs)));
        }
        const wanted = new Set([1, 3]);
        const minutes = inside
          .filter((one) => wanted.has(one.resourceId) && one.severity >= 17)
          .map((one) => minute(one.atMs));
        expect([...minutesWith(db, wanted, fromMs, toMs, 17)]).toEqual([...new Set(minutes)].sort((a, b) => b - a));
      },
    ),
    { numRuns: 200 },
  );
});
