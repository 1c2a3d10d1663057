import { describe, expect, it } from "vitest";
import { DAY_MS, HOUR_MS, MINUTE_MS } from "../time/windows";
import { keptOfFigure, SLOT_MS, slotMeans } from "./figure-objective";

const NOW = Date.parse("2026-03-17T10:00:00Z");
const slotOf = (atMs: number) => Math.floor(atMs / SLOT_MS);

describe("a figure against its usual", () => {
  it("is averaged by quarters of an hour; what is no number does not count", () => {
    const means = slotMeans([NOW, NOW + MINUTE_MS, NOW + SLOT_MS, NOW + SLOT_MS + 1], [2, 4, Number.NaN, 7]);
    expect([...means]).toEqual([
      [slotOf(NOW), 3],
      [slotOf(NOW) + 1, 7],
    ]);
  });

  /** Ten a minute by day, none by night; this Tuesday it fell to a half from 08:00 to 09:00. */
  const meanOf = (slot: number): number | undefined => {
    const atMs = slot * SLOT_MS;
    if (atMs < NOW - 15 * DAY_MS || atMs >= NOW) return undefined;
    const hour = new Date(atMs).getUTCHours();
    if (hour < 6 || hour >= 22) return 0;
    return atMs >= NOW - 2 * HOUR_MS && atMs < NOW - HOUR_MS ? 5 : 10;
  };
  const least = (share: number) => ({ share, isMost: false });
  const kept = (fromMs: number, share = 0.8, toMs = NOW) =>
    keptOfFigure(meanOf, least(share), { fromMs, toMs, nowMs: NOW });

  it("counts the quarters that fell short, and none for which nothing is usual", () => {
    expect(kept(NOW - DAY_MS)).toEqual({ calls: 64, bad: 4 });
    expect(kept(NOW - HOUR_MS)).toEqual({ calls: 4, bad: 0 });
    expect(kept(NOW - DAY_MS, 0.5)).toEqual({ calls: 64, bad: 0 });
  });
  it("counts those that exceed it where more is worse, also where there usually is none", () => {
    const rest = (slot: number) => {
      const value = meanOf(slot);
      return value === undefined ? undefined : 20 - value;
    };
    const most = (share: number, fromMs = NOW - DAY_MS) =>
      keptOfFigure(rest, { share, isMost: true }, { fromMs, toMs: NOW, nowMs: NOW });
    expect(most(1.2)).toEqual({ calls: 96, bad: 4 });
    expect(most(1.5)).toEqual({ calls: 96, bad: 0 });
    const rejected = (slot: number) => (slot === slotOf(NOW) - 1 ? 3 : 0);
    expect(
      keptOfFigure(rejected, { share: 1.2, isMost: true }, { fromMs: NOW - HOUR_MS, toMs: NOW, nowMs: NOW }),
    ).toEqual({ calls: 4, bad: 1 });
  });
  it("compares with the same weekday first, else with the days before", () => {
    const weekly = (slot: number) => {
      const days = (slotOf(NOW) - 1 - slot) / (DAY_MS / SLOT_MS);
      return days === 0 ? 10 : days % 7 === 0 ? 11 : 99;
    };
    expect(keptOfFigure(weekly, least(0.8), { fromMs: NOW - SLOT_MS, toMs: NOW, nowMs: NOW }).bad).toBe(0);
    const daily = (slot: number) =>
      slot === slotOf(NOW) - 1 ? 10 : slot === slotOf(NOW - DAY_MS) - 1 ? 20 : undefined;
    expect(keptOfFigure(daily, least(0.8), { fromMs: NOW - SLOT_MS, toMs: NOW, nowMs: NOW }).bad).toBe(1);
  });
  it("tells of a short window by the last quarter that is over, and of none that is not", () => {
    expect(kept(NOW - 5 * MINUTE_MS)).toEqual({ calls: 1, bad: 0 });
    const early = { fromMs: NOW - 5 * MINUTE_MS, toMs: NOW + 5 * MINUTE_MS, nowMs: NOW + 5 * MINUTE_MS };
    expect(keptOfFigure(meanOf, least(0.8), early)).toEqual({ calls: 1, bad: 0 });
  });
  it("is nothing before there is a past", () => {
    expect(keptOfFigure(() => undefined, least(0.8), { fromMs: NOW - DAY_MS, toMs: NOW, nowMs: NOW })).toEqual({
      calls: 0,
      bad: 0,
    });
  });
});
