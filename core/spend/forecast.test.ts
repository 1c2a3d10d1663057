import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { DAY_MS } from "../time/windows";
import { forecast, median, modifiedZ, oddDays, oddRuns, slopeOf } from "./forecast";
import { idleVerdict } from "./idle";

/** A Tuesday. */
const LAST_MS = Date.UTC(2026, 2, 17);
const weekdayBefore = (days: number) => new Date(LAST_MS - days * DAY_MS).getUTCDay();
/** Values of the days up to the last one. */
const series = (days: number, of: (before: number, weekday: number) => number) =>
  Array.from({ length: days }, (_, index) => of(days - 1 - index, weekdayBefore(days - 1 - index)));
const END = { lastMs: LAST_MS, endMs: Date.UTC(2026, 3, 1) };

/** A deterministic noise of a normal distribution (Box and Muller 1958). */
function normals(seed: number): () => number {
  let state = seed >>> 0 || 1;
  const next = () => {
    state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
    return (state + 1) / 4_294_967_297;
  };
  return () => Math.sqrt(-2 * Math.log(next())) * Math.cos(2 * Math.PI * next());
}

describe("forecast of a month", () => {
  it("of a level with weekends is exact", () => {
    const days = series(56, (_before, weekday) => (weekday === 0 || weekday === 6 ? 40 : 100));
    // From the 18th to the 31st of March 2026 there are ten weekdays and four days of weekends.
    expect(forecast(days, 1000, END)).toMatchObject({ total: 2160, low: 2160, high: 2160 });
  });

  it("goes on with a trend", () => {
    const days = series(56, (before) => 200 - before);
    const sum = Array.from({ length: 14 }, (_, index) => 200 + index + 1).reduce((all, one) => all + one, 0);
    expect(forecast(days, 0, END)?.total).toBeCloseTo(sum, 6);
  });

  it("is not moved by one day that cost ten times as much", () => {
    const days = series(56, (before) => (before === 9 ? 1000 : 100));
    expect(forecast(days, 0, END)?.total).toBeCloseTo(1400, 6);
  });

  it("follows a level that it moved to", () => {
    const days = series(56, (before) => (before < 4 ? 150 : 100));
    expect(forecast(days, 0, END)?.total).toBeCloseTo(14 * 150, 6);
  });

  it("says nothing from under two weeks, and what was spent where no day is left", () => {
    expect(
      forecast(
        series(13, () => 1),
        5,
        END,
      ),
    ).toBeUndefined();
    expect(forecast([], 5, { lastMs: LAST_MS, endMs: LAST_MS + DAY_MS })).toMatchObject({ total: 5, low: 5, high: 5 });
  });

  it("holds the truth in about eight of ten cases", () => {
    let held = 0;
    const runs = 400;
    for (let run = 0; run < runs; run++) {
      const noise = normals(run * 7919 + 3);
      const value = (_before: number, weekday: number) => 100 + (weekday === 0 ? -30 : 0) + 12 * noise();
      const days = series(56, value);
      let truth = 0;
      for (let day = 1; day <= 14; day++) truth += value(0, new Date(LAST_MS + day * DAY_MS).getUTCDay());
      const made = forecast(days, 0, END);
      if (made && made.low <= truth && truth <= made.high) held++;
    }
    expect(held / runs).toBeGreaterThan(0.7);
    expect(held / runs).toBeLessThan(0.92);
  });
});

describe("unusual days", () => {
  it("finds the day, with what is usual for such a day", () => {
    const noise = normals(5);
    const days = series(70, (before, weekday) => (before === 5 ? 190 : weekday === 6 ? 60 : 100) + noise());
    expect(oddDays(days, LAST_MS, 14, 1)).toEqual([
      expect.objectContaining({ dayMs: LAST_MS - 5 * DAY_MS, score: expect.any(Number) as number }),
    ]);
    expect(oddDays(days, LAST_MS, 14, 1)[0]?.usual).toBeGreaterThan(90);
  });

  it("finds none in plain noise with weekends, nor where it is too little to matter", () => {
    const noise = normals(11);
    const days = series(70, (_before, weekday) => (weekday === 6 ? 60 : 100) + noise());
    expect(oddDays(days, LAST_MS, 14, 1)).toEqual([]);
    expect(
      oddDays(
        series(70, (before) => (before === 3 ? 1.4 : 1)),
        LAST_MS,
        14,
        1,
      ),
    ).toEqual([]);
  });
});

// NIST/SEMATECH e-Handbook 1.3.5.17: M = 0.6745 (x − median) / MAD, outlier beyond 3.5 (Iglewicz and Hoaglin 1993).
describe("modified z-score", () => {
  it("is that of the handbook's formula", () => {
    const values = [2.1, 2.6, 2.4, 2.5, 2.3, 2.1, 2.3, 2.6, 8.2, 8.3];
    expect(median(values)).toBeCloseTo(2.45, 12);
    expect(modifiedZ(8.2, values)).toBeCloseTo((0.6745 * (8.2 - 2.45)) / 0.15, 9);
    expect(Math.abs(modifiedZ(8.3, values))).toBeGreaterThan(3.5);
    expect(Math.abs(modifiedZ(2.6, values))).toBeLessThan(3.5);
  });

  it("knows no value but the usual one where nothing ever moved", () => {
    expect(modifiedZ(5, [5, 5, 5, 5])).toBe(0);
    expect(modifiedZ(6, [5, 5, 5, 5])).toBe(Infinity);
  });

  it("slope by Theil and Sen is that of a line, whatever one point does", () =>
    fc.assert(
      fc.property(
        fc.integer({ min: -50, max: 50 }),
        fc.integer({ min: -1000, max: 1000 }),
        fc.nat(19),
        (slope, start, at) => {
          const values = Array.from({ length: 20 }, (_, index) => start + slope * index);
          values[at] = 1e6;
          expect(slopeOf(values)).toBeCloseTo(slope, 9);
        },
      ),
    ));
});

it("unusual days one after the other are told once", () => {
  const day = (at: number, score: number) => ({ dayMs: at * DAY_MS, value: 5, usual: 2, score });
  expect(oddRuns([day(1, 9), day(2, 8), day(3, -7), day(5, -9)])).toEqual([
    { ...day(1, 9), days: 2, value: 10, usual: 4 },
    { ...day(3, -7), days: 1 },
    { ...day(5, -9), days: 1 },
  ]);
});

describe("idle", () => {
  const figure = (metric: string, highest: number, samples = 1000) => ({
    metric,
    unit: "1",
    mean: highest,
    highest,
    samples,
  });
  const window = { days: 7, cover: 1 };

  it("is what its figures prove", () => {
    expect(
      idleVerdict("db.managed", [figure("database.connections", 0), figure("database.cpu.used", 1.2)], window),
    ).toEqual({ reason: "unused", proof: "In 7 days: no connection, CPU at most 1.2 %." });
    expect(idleVerdict("storage.bucket", [figure("bucket.requests", 0)], window)?.reason).toBe("unused");
  });

  it("is not what did anything once", () => {
    expect(idleVerdict("db.managed", [figure("database.connections", 1)], window)).toBeUndefined();
    expect(
      idleVerdict("host.instance", [figure("guest.cpu.used", 2), figure("guest.net.in", 9e6)], window),
    ).toBeUndefined();
  });

  it("is never what is not measured, or too little", () => {
    expect(idleVerdict("db.managed", [], window)).toBeUndefined();
    expect(idleVerdict("db.managed", [figure("database.connections", 0, 3)], window)).toBeUndefined();
    expect(idleVerdict("db.managed", [figure("database.connections", 0)], { days: 7, cover: 0.3 })).toBeUndefined();
    expect(idleVerdict("db.managed", [figure("database.cpu.used", 0)], window)).toBeUndefined();
    expect(idleVerdict("app.workload", [figure("workload.ready", 0)], window)).toBeUndefined();
  });
});
