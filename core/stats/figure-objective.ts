import { DAY_MS, MINUTE_MS } from "../time/windows";
import type { Kept } from "./objective";
import { usualOf } from "./usual";

/** A figure is held against its usual by quarters of an hour: a minute's count is too small to tell anything. */
export const SLOT_MS = 15 * MINUTE_MS;
const SLOTS_A_DAY = DAY_MS / SLOT_MS;

/**
 * Means of a day by quarters of an hour, epoch milliseconds to values; a quarter without a sample is missing.
 * @param times in any order, all of one day
 */
export function slotMeans(times: ArrayLike<number>, values: ArrayLike<number>): Map<number, number> {
  const sums = new Map<number, { sum: number; count: number }>();
  for (let index = 0; index < times.length; index++) {
    const slot = Math.floor((times[index] as number) / SLOT_MS);
    const value = values[index] as number;
    if (!Number.isFinite(value)) continue;
    const own = sums.get(slot) ?? { sum: 0, count: 0 };
    own.sum += value;
    own.count++;
    sums.set(slot, own);
  }
  return new Map([...sums].map(([slot, { sum, count }]) => [slot, sum / count]));
}

/** How a figure is held against its usual: it has to reach a share of it, or of one of which more is worse, stay below. */
export interface FigureGoal {
  /** Share of the usual, above 0. */
  share: number;
  isMost: boolean;
}

/**
 * Counts the quarters of an hour that are over and for which something is usual, and those in which the figure was on
 * the wrong side of a share of it. Usual is the same quarter of the same weekday of the four weeks before, else of the seven days before.
 * @param meanOf mean of a quarter, by its number since the epoch; undefined where nothing was measured
 * @param nowMs quarters that are not over by then are not counted
 */
export function keptOfFigure(
  meanOf: (slot: number) => number | undefined,
  { share, isMost }: FigureGoal,
  { fromMs, toMs, nowMs }: { fromMs: number; toMs: number; nowMs: number },
): Kept {
  const kept = { calls: 0, bad: 0 };
  // A quarter belongs to the window in which it begins, so that windows side by side share none.
  const last = Math.min(Math.floor(toMs / SLOT_MS), Math.floor(nowMs / SLOT_MS) - 1);
  // A window shorter than a quarter of an hour tells by the last one that is over.
  const first = Math.min(last, Math.ceil(fromMs / SLOT_MS));
  for (let slot = first; slot <= last; slot++) {
    const value = meanOf(slot);
    const usual = usualOf((days) => meanOf(slot - days * SLOTS_A_DAY));
    // Nothing can be less than none.
    if (value === undefined || !usual || (!isMost && usual.value <= 0)) continue;
    kept.calls++;
    const goal = usual.value * share;
    if (isMost ? value > goal : value < goal) kept.bad++;
  }
  return kept;
}
