import { medianOf } from "../stats/select";
import { gammaAtLeast } from "../stats/tails";
import { HOUR_MS, MINUTE_MS } from "../time/windows";

/** What is usual of how long calls take. */
export interface UsualTime {
  /** One call on average, µs. */
  meanUs: number;
  /** Variance of one call over the square of its mean: 1 where times fall off exponentially. */
  single: number;
  /** Variance of a minute's mean, beyond what the variance of its calls makes, over its square. */
  apart: number;
}

/** Calls that took so long together, beside how long they would usually take. */
export interface TimedCalls {
  calls: number;
  tookUs: number;
  usualUs: number;
}

/** Means are taken of so much of the past at a time, and the middle one is what is usual. */
const BLOCK_MS = 10 * MINUTE_MS;
/** Means of minutes are never taken for more alike than this. */
const LEAST_APART = 0.02 ** 2;
const MOST_APART = 10;
const LEAST_SINGLE = 0.1;
/** Until nearly all hours of a day are known, minutes are taken to vary by a fifth at the least: each has its own load. */
const LEAST_HOURS = 21;
const HOURS_OF_DAY = 24;
const MINUTES_OF_HOUR = HOUR_MS / MINUTE_MS;
const UNSURE_APART = 0.2 ** 2;
/** Median of the square of a standard normal variable. */
const MEDIAN_OF_SQUARE = 0.4549;
const STEPS = 40;

/**
 * How long calls usually take. Both the mean and how far it varies go by medians, so that hours in which something was
 * wrong do not make it usual. The variance of a minute with n calls over its square is `single` / n + `apart`; times are
 * taken to fall off exponentially (`single` 1) unless minutes differ less than that.
 * @param points moments with calls, in order of time, µs; those that do not tell how long count for nothing
 * @returns undefined where none tells
 */
export function learnTime(
  points: readonly { atMs: number; calls: number; tookUs?: number | undefined }[],
): UsualTime | undefined {
  const blocks = new Map<number, Told>();
  const minutes = new Map<number, Told>();
  for (const { atMs, calls, tookUs } of points) {
    if (!(calls > 0) || tookUs === undefined || !Number.isFinite(tookUs)) continue;
    put(blocks, Math.floor(atMs / BLOCK_MS), calls, tookUs);
    put(minutes, Math.floor(atMs / MINUTE_MS), calls, tookUs);
  }
  const meanUs = middleMean([...blocks.values()]);
  if (!(meanUs > 0)) return undefined;
  const off = [...minutes.values()].map(({ calls, tookUs }) => ({
    calls,
    square: (tookUs / (calls * meanUs) - 1) ** 2,
  }));
  const isWide = (single: number, apart: number) =>
    medianOf(Float64Array.from(off, ({ calls, square }) => square / (single / calls + apart))) < MEDIAN_OF_SQUARE;
  const least = isWholeDay(minutes.keys()) ? LEAST_APART : UNSURE_APART;
  if (isWide(1, least) && least > LEAST_APART) return { meanUs, single: 1, apart: least };
  if (isWide(1, LEAST_APART))
    return { meanUs, single: narrowed(LEAST_SINGLE, 1, (one) => isWide(one, LEAST_APART)), apart: LEAST_APART };
  return { meanUs, single: 1, apart: narrowed(least, MOST_APART, (one) => isWide(1, one)) };
}

/** A gap says nothing against it, be it at the end of what is looked at or within. */
const isWholeDay = (minutes: Iterable<number>): boolean =>
  new Set(Array.from(minutes, (minute) => Math.floor(minute / MINUTES_OF_HOUR) % HOURS_OF_DAY)).size >= LEAST_HOURS;

interface Told {
  calls: number;
  tookUs: number;
}

function put(into: Map<number, Told>, key: number, calls: number, tookUs: number): void {
  const one = into.get(key);
  if (!one) {
    into.set(key, { calls, tookUs });
    return;
  }
  one.calls += calls;
  one.tookUs += tookUs;
}

/** The mean such that half of all calls lie in blocks with a lower one. */
function middleMean(blocks: readonly Told[]): number {
  const means = blocks
    .map(({ calls, tookUs }) => ({ mean: tookUs / calls, calls }))
    .sort((one, other) => one.mean - other.mean);
  let left = means.reduce((sum, { calls }) => sum + calls, 0) / 2;
  for (const { mean, calls } of means) {
    left -= calls;
    if (left <= 0) return mean;
  }
  return Number.NaN;
}

/** The least number between two for which something holds, by halving; the larger one if it never does. */
function narrowed(from: number, to: number, holds: (one: number) => boolean): number {
  let [low, high] = [from, to];
  for (let step = 0; step < STEPS && high / low > 1.001; step++) {
    const middle = Math.sqrt(low * high);
    if (holds(middle)) high = middle;
    else low = middle;
  }
  return high;
}

/**
 * What is usual of several lines of calls as one; what makes their minutes vary is taken to be the same for all.
 * @param lines each with how long its recent calls would usually take, µs
 */
export function timeTogether(lines: readonly { time: UsualTime; usualUs: number }[]): UsualTime | undefined {
  const [first] = lines;
  if (!first) return undefined;
  const all = lines.reduce((sum, { usualUs }) => sum + usualUs, 0);
  const spread = lines.reduce((sum, { time, usualUs }) => sum + usualUs * Math.sqrt(time.apart), 0);
  return {
    meanUs: Number.NaN,
    single: Math.max(...lines.map(({ time }) => time.single)),
    apart: all > 0 ? (spread / all) ** 2 : first.time.apart,
  };
}

/**
 * How much longer than usual calls took, all together, and how likely that is by chance: their time is taken to follow a
 * gamma law with the usual mean and variance, which is exact for independent exponential times.
 */
export function longerThanUsual(
  calls: readonly TimedCalls[],
  { single, apart }: UsualTime,
): { times: number; p: number; calls: number; tookUs: number; usualUs: number } {
  let [count, took, usual, squares] = [0, 0, 0, 0];
  for (const one of calls) {
    if (!(one.calls > 0)) continue;
    count += one.calls;
    took += one.tookUs;
    usual += one.usualUs;
    squares += one.usualUs ** 2 / one.calls;
  }
  if (!(usual > 0)) return { times: Number.NaN, p: 1, calls: 0, tookUs: 0, usualUs: 0 };
  const shape = usual ** 2 / (single * squares + apart * usual ** 2);
  return {
    times: took / usual,
    p: gammaAtLeast((took / usual) * shape, shape),
    calls: count,
    tookUs: took,
    usualUs: usual,
  };
}
