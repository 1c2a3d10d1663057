import { medianOf } from "../stats/select";
import { groupBy } from "../units/group";

/** Calls between one caller and one that it calls, over a line: how much longer each was for the caller, in milliseconds. */
export interface Crossing {
  line: string;
  /** Since it began, and in the hour before. */
  nowMs: readonly number[];
  beforeMs: readonly number[];
}

export interface LateLine {
  line: string;
  nowMs: number;
  beforeMs: number;
}

/** Of fewer calls nothing can be said. */
const LEAST_CALLS = 4;
/** Late is what is so many times as long on its way as before, and so much longer. */
const TIMES = 3;
const LEAST_MS = 50;
/** So much of the calls over it must be late: what waits at one of those called is that one's trouble. */
const MOST_OF_IT = 0.6;

/**
 * Lines on which calls spend far more time than before: a call is longer for who makes it than for who answers it by the
 * time that it is on its way, there and back. Clocks need not agree, since each measures a duration of its own.
 */
export function lateLines(crossings: readonly Crossing[]): LateLine[] {
  return [...groupBy(crossings, (one) => one.line)].flatMap(([line, own]) => {
    const now = own.flatMap((one) => one.nowMs);
    const before = own.flatMap((one) => one.beforeMs);
    if (now.length < LEAST_CALLS || before.length < LEAST_CALLS) return [];
    const beforeMs = medianOf(Float64Array.from(before));
    const lateMs = Math.max(TIMES * beforeMs, beforeMs + LEAST_MS);
    if (now.filter((one) => one >= lateMs).length < MOST_OF_IT * now.length) return [];
    return [{ line, nowMs: medianOf(Float64Array.from(now)), beforeMs }];
  });
}
