import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { DAY_MS, HOUR_MS, MINUTE_MS } from "../time/windows";
import { loadOf, type CountedAlarm } from "./load";

const alarm = (minute: number, changes: Partial<CountedAlarm> = {}): CountedAlarm => ({
  key: `k${minute}`,
  ruleId: 1,
  severity: "minor",
  raisedMs: minute * MINUTE_MS,
  clearedMs: (minute + 5) * MINUTE_MS,
  ...changes,
});

describe("the load on people", () => {
  it("is counted by hour and day, with the worst ten minutes", () => {
    const load = loadOf(
      [0, 1, 2, 3, 30, 50].map((minute) => alarm(minute)),
      0,
      HOUR_MS,
    );
    expect(load).toMatchObject({ count: 6, perHour: 6, perDay: 144, peak: { count: 4, atMs: 0 }, floods: [] });
  });
  it("knows a flood: more than ten in ten minutes, until it ebbs", () => {
    const burst = Array.from({ length: 30 }, (_, at) => alarm(at / 2, { key: `b${at}` }));
    const load = loadOf([...burst, alarm(40)], 0, HOUR_MS);
    expect(load.floods).toMatchObject([{ fromMs: 0, toMs: 14.5 * MINUTE_MS, count: 30 }]);
    expect(load.floodedShare).toBeCloseTo(14.5 / 60);
  });
  it("tells what chatters, what is fleeting, and what is stale", () => {
    const chatter = [0, 10, 20].map((minute) => alarm(minute, { key: "door", clearedMs: minute * MINUTE_MS + 20_000 }));
    const old = alarm(-3 * 24 * 60, { key: "old", clearedMs: null });
    const load = loadOf([...chatter, old], 0, HOUR_MS);
    expect(load).toMatchObject({ fleeting: 3, standing: 1, stale: 1, chattering: [{ key: "door", count: 3 }] });
    expect(load.worstRules).toEqual([{ ruleId: 1, count: 3, fleeting: 3, chattering: 3 }]);
  });
  it("has shares that add up, and never counts more than came (property)", () => {
    const severity = fc.constantFrom("critical" as const, "major" as const, "minor" as const, "warning" as const);
    fc.assert(
      fc.property(fc.array(fc.tuple(fc.integer({ min: 0, max: 2880 }), severity), { maxLength: 80 }), (list) => {
        const load = loadOf(
          list.map(([minute, one], at) => alarm(minute, { key: `p${at % 7}`, severity: one })),
          0,
          2 * DAY_MS,
        );
        const { low, middle, high } = load.shares;
        expect(low + middle + high).toBeCloseTo(list.length ? 1 : 0);
        expect(load.peak.count).toBeLessThanOrEqual(list.length);
        return load.floods.every((one) => one.count <= list.length && one.toMs >= one.fromMs);
      }),
    );
  });
});
