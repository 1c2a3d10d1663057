import { shareAtLeast } from "../stats/tails";
import { MINUTE_MS } from "../time/windows";
import type { CallPoint, CallUsual } from "./call-usual";
import { isEased, windowOf, type CallSettings } from "./calls";

/** Calls that hold an alarm up, and what is usual of them. */
export interface HoldingCalls {
  settings: CallSettings;
  points: readonly CallPoint[];
  usual: CallUsual;
  /** Of the minute in which something was done, the calls that began after it, where they are known one by one. */
  rest?: CallPoint | undefined;
}

/** Calls that began after an instant, and how they went. */
export interface CallsSince {
  calls: number;
  bad: number;
  /** Each line of them is as usual again, and that is more than luck. */
  isEased: boolean;
}

/** So many calls are enough to say how they go, whatever went before. */
const ENOUGH = 20;
/** Fewer are enough where so many good ones would come by luck once in a thousand, had nothing changed. */
const BY_LUCK = 0.001;
/** How calls went before is told by the last of them. */
const BEFORE_MS = 3 * MINUTE_MS;
/** However bad they were, one of so many is taken to have gone well all the same. */
const MOST_BAD = 0.95;
/** Of the lines so many must have calls: those that have none say nothing. */
const LINES_HEARD = 0.5;

/**
 * How calls went that began after an instant, over all lines that hold an alarm up; undefined while there are too few of
 * them to say. Points are of a minute at the most.
 */
export function recoveryOf(lines: readonly HoldingCalls[], sinceMs: number): CallsSince | undefined {
  const all: CallsSince = { calls: 0, bad: 0, isEased: true };
  const before = { calls: 0, bad: 0 };
  let heard = 0;
  let alike = 0;
  for (const { settings, points, usual, rest } of lines) {
    const { condition } = settings;
    const earlier = points.filter((one) => one.atMs <= sinceMs);
    const then = windowOf(condition, earlier, usual, sinceMs - BEFORE_MS);
    before.calls += then.calls;
    before.bad += then.bad;
    const later = points.filter((one) => one.atMs > sinceMs + MINUTE_MS);
    const now = windowOf(condition, rest ? [rest, ...later] : later, usual, sinceMs);
    alike = Math.max(alike, usual[condition === "failing" ? "failed" : "slow"].alike);
    if (now.calls === 0) continue;
    heard++;
    all.calls += now.calls;
    all.bad += now.bad;
    all.isEased &&= isEased(settings, now);
  }
  if (all.calls === 0 || heard < lines.length * LINES_HEARD) return undefined;
  if (all.calls >= ENOUGH) return all;
  if (before.calls === 0) return undefined;
  const good = 1 - Math.min(MOST_BAD, before.bad / before.calls);
  return shareAtLeast(all.calls - all.bad, all.calls, good, alike) <= BY_LUCK ? all : undefined;
}
