import { MINUTE_MS } from "../time/windows";
import { learnTime, type UsualTime } from "./call-time";

/** Calls of one minute, or of one report of a histogram. */
export interface CallPoint {
  /** When it began. */
  atMs: number;
  calls: number;
  failed: number;
  /** Calls that took longer than the usual limit; a lower bound where only quantiles are known. */
  slow: number;
  /** How long they took together, µs; left out where it is not told. */
  tookUs?: number | undefined;
  /** How long they would usually take together, µs, where not all calls beside them are of one kind. */
  usualUs?: number | undefined;
}

/** A share of calls, and how much more alike calls of one moment are than chance has it (0 to 1). */
export interface UsualShare {
  share: number;
  alike: number;
  /** The same of the calls of five minutes: less, where one moment says little of the next. */
  alikeLong?: number | undefined;
}

/** Calls of so many minutes count as a long while. */
const LONG_MINUTES = 5;

/** How much more alike the calls of some minutes are than chance has it; between those of one and of five in proportion. */
export function alikeOver({ alike, alikeLong = alike }: UsualShare, minutes: number): number {
  const part = Math.min(1, Math.max(0, (minutes - 1) / (LONG_MINUTES - 1)));
  return alike + (alikeLong - alike) * part;
}

/** What is usual of some calls. */
export interface CallUsual {
  /** Time that calls seldom take longer than, microseconds. */
  limitUs: number;
  slow: UsualShare;
  failed: UsualShare;
  /** How long they take; undefined where it is not told. */
  time?: UsualTime | undefined;
  /** Calls a minute. */
  perMinute: { mean: number; variance: number };
  /** Calls that it rests on. */
  calls: number;
}

/** Calls that must be known before any are judged. */
export const LEAST_KNOWN = 60;
/**
 * Of the moments that are learned from, at most this share was out of the ordinary and is left out: what is so many
 * standard deviations out.
 */
const TRIMMED = 0.03;
const ODD = 5;
/** Calls of one moment are never taken for quite independent: they share processors, disks and lines. */
const LEAST_ALIKE = 0.01;
const MOST_ALIKE = 0.3;
/** Nor those of five minutes, of which so many (six hours) must be known to tell. */
const LEAST_ALIKE_LONG = 0.003;
const LEAST_LONG = 72;

/** A stretch of time, epoch milliseconds, both ends included. */
export interface Stretch {
  fromMs: number;
  toMs: number;
}

/** Moments of the past to learn from: what an alarm stood over is not what is usual. */
export function untroubled<Of extends { atMs: number }>(moments: readonly Of[], troubles: readonly Stretch[]): Of[] {
  return moments.filter(({ atMs }) => !troubles.some(({ fromMs, toMs }) => atMs >= fromMs && atMs <= toMs));
}

/** Calls of a moment, and how many of them were so. */
interface Moment {
  n: number;
  x: number;
  /** Left out where it is not known when that was: then nothing is told of longer whiles. */
  atMs?: number;
}

/**
 * The usual share of some calls, from moments with `n` calls of which `x` were so: pooled over all moments but the
 * oddest ones, and the correlation within a moment, and within five minutes, by the method of moments (that of the
 * beta-binomial law: the variance of x is n·p·(1 − p)·(1 + (n − 1)·ρ)). Half a call in `caution` calls is added, so that
 * what never happened yet is seldom, not impossible.
 */
export function learnShare(moments: readonly Moment[], caution: number): UsualShare {
  const all = pooled(moments, caution);
  const odd = (one: Moment) => (one.x - one.n * all) / Math.sqrt(one.n * all * (1 - all));
  const sure = Math.ceil(moments.length * (1 - TRIMMED));
  const kept = [...moments].sort((a, b) => odd(a) - odd(b)).filter((one, at) => at < sure || odd(one) < ODD);
  const share = pooled(kept, caution);
  const alike = Math.min(MOST_ALIKE, Math.max(LEAST_ALIKE, alikeOf(kept, share)));
  const long = together(kept);
  return long.length < LEAST_LONG
    ? { share, alike }
    : { share, alike, alikeLong: Math.min(alike, Math.max(LEAST_ALIKE_LONG, alikeOf(long, share))) };
}

/** How much more alike the calls of one moment are than chance has it. */
function alikeOf(moments: readonly Moment[], share: number): number {
  let beyond = 0;
  let pairs = 0;
  for (const { n, x } of moments) {
    const variance = n * share * (1 - share);
    beyond += (x - n * share) ** 2 - variance;
    pairs += variance * (n - 1);
  }
  return pairs > 0 ? beyond / pairs : 0;
}

/** Moments of five minutes as one. */
function together(moments: readonly Moment[]): Moment[] {
  const long = new Map<number, Moment>();
  for (const { n, x, atMs } of moments) {
    if (atMs === undefined) continue;
    const at = Math.floor(atMs / (LONG_MINUTES * MINUTE_MS));
    const known = long.get(at);
    if (known) {
      known.n += n;
      known.x += x;
    } else long.set(at, { n, x });
  }
  return [...long.values()];
}

function pooled(moments: readonly Moment[], caution: number): number {
  let n = caution;
  let x = 0.5;
  for (const one of moments) {
    n += one.n;
    x += one.x;
  }
  return Math.min(0.95, x / n);
}

/**
 * What is usual, from the moments of the past.
 * @param points moments with calls; those without count for nothing but the rate
 * @param minutes length of the past in minutes
 */
export function learnCalls(points: readonly CallPoint[], limitUs: number, minutes: number): CallUsual {
  const moments = points.filter((one) => one.calls > 0);
  const calls = moments.reduce((sum, one) => sum + one.calls, 0);
  const mean = calls / Math.max(1, minutes);
  const spread = moments.reduce((sum, one) => sum + (one.calls - mean) ** 2, 0);
  const silent = Math.max(0, minutes - moments.length);
  return {
    limitUs,
    slow: learnShare(
      moments.map(({ atMs, calls: n, slow: x }) => ({ n, x, atMs })),
      20,
    ),
    failed: learnShare(
      moments.map(({ atMs, calls: n, failed: x }) => ({ n, x, atMs })),
      100,
    ),
    time: learnTime(moments),
    perMinute: { mean, variance: (spread + silent * mean ** 2) / Math.max(1, minutes) },
    calls,
  };
}
