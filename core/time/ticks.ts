import { clockTime, DAY_MS, dayName } from "./windows";

const STEPS_S = [
  1, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 10_800, 21_600, 43_200, 86_400, 172_800, 259_200, 604_800,
  1_209_600, 2_419_200,
] as const;
/** Monday, 5 January 1970: weeks are counted from there. */
const MONDAY_MS = 4 * DAY_MS;

/**
 * Round instants in a window, at most `most` of them, at equal distances: every ten minutes, every day at midnight
 * UTC, …
 */
export function timeTicks(fromMs: number, toMs: number, most: number): number[] {
  const least = (toMs - fromMs) / 1000 / Math.max(1, most);
  const step = (STEPS_S.find((seconds) => seconds >= least) ?? Math.ceil(least / 604_800) * 604_800) * 1000;
  const base = step > DAY_MS ? MONDAY_MS : 0;
  const ticks: number[] = [];
  for (let at = Math.ceil((fromMs - base) / step) * step + base; at <= toMs; at += step) ticks.push(at);
  return ticks;
}

/** How an instant is written on an axis: the day at midnight, seconds only where the window is short. */
export function tickLabel(atMs: number, spanMs: number): string {
  if (atMs % DAY_MS === 0) return dayName(atMs);
  return clockTime(atMs, spanMs < 300_000);
}
