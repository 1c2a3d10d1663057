import { DAY_MS, HOUR_MS, MINUTE_MS } from "../time/windows";
import { countAtLeast } from "./tails";

/** Calls and those that did not keep to the objective. */
export interface Kept {
  calls: number;
  bad: number;
}

/**
 * Windows in which a budget that burns is noticed: so many times the even rate, over a long window and over a twelfth of
 * it, which says whether it still burns. The rates spend 2 %, 5 % and 10 % of a budget of 30 days (common practice,
 * published with the method of multi-window, multi-burn-rate alerts).
 */
export const BURN_WINDOWS = [
  { longMs: HOUR_MS, shortMs: 5 * MINUTE_MS, rate: 14.4, spends: 0.02 },
  { longMs: 6 * HOUR_MS, shortMs: 30 * MINUTE_MS, rate: 6, spends: 0.05 },
  { longMs: 3 * DAY_MS, shortMs: 6 * HOUR_MS, rate: 1, spends: 0.1 },
] as const;

export const BUDGET_MS = 30 * DAY_MS;

const shareOf = ({ calls, bad }: Kept): number => (calls > 0 ? bad / calls : 0);

/** How many times as fast as evenly a budget is spent: 1 spends it in exactly its period. */
export function burnRate(kept: Kept, target: number): number {
  const allowed = 1 - target;
  const share = shareOf(kept);
  return allowed > 0 ? share / allowed : share > 0 ? Number.POSITIVE_INFINITY : 0;
}

/** Rarer than this among calls that keep just to their objective, so many bad ones are no chance. */
const RARE = 0.001;

/**
 * The same, but 0 where so many bad calls may be chance (Poisson) though the objective is kept: one of six calls of a
 * quiet hour is no budget that burns.
 */
export function sureBurnRate(kept: Kept, target: number): number {
  return kept.bad > 0 && countAtLeast(kept.bad, kept.calls * (1 - target), 0) < RARE ? burnRate(kept, target) : 0;
}

/** Share of the budget that is left, 1 to 0, and below it where more was spent than there was. */
export function budgetLeft(kept: Kept, target: number): number {
  return 1 - burnRate(kept, target);
}

/**
 * Share of a whole budget that some bad calls used up; undefined where there is no budget to use.
 * @param calls all calls of the budget's period
 */
export function budgetBurnt(bad: number, calls: number, target: number): number | undefined {
  const budget = (1 - target) * calls;
  return budget > 0 ? bad / budget : undefined;
}

/** Time until nothing is left at a rate, milliseconds; undefined where none is being spent, 0 where nothing is left. */
export function timeLeft(left: number, rate: number, periodMs = BUDGET_MS): number | undefined {
  if (left <= 0) return 0;
  return rate > 0 ? (left / rate) * periodMs : undefined;
}

/** Whether a budget burns by a window: over its rate both long and short. */
export const isBurning = (long: number, short: number, rate: number): boolean => long > rate && short > rate;
