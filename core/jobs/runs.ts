import { clockTime, DAY_MS, HOUR_MS, MINUTE_MS, spokenDuration } from "../time/windows";

/** How a run of a job ended; `unknown` where the next began before this one told that it was over. */
export type Outcome = "running" | "done" | "failed" | "unknown";

export interface JobRun {
  startedMs: number;
  endedMs: number | null;
  outcome: Outcome;
}

/** So many runs before the present one tell what is usual. */
export const RUNS_LEARNED = 40;
const LEAST_RUNS = 3;

const quantile = (sorted: readonly number[], share: number): number =>
  sorted[Math.min(sorted.length - 1, Math.floor(share * sorted.length))] as number;

/** How long runs take that ended well. */
export interface UsualRun {
  medianMs: number;
  /** Nine of ten take at most as long. */
  mostMs: number;
  runs: number;
}

/** What is usual of the runs that ended well; undefined for fewer than three. */
export function usualRun(runs: readonly JobRun[]): UsualRun | undefined {
  const lengths = runs
    .flatMap(({ startedMs, endedMs, outcome }) => (outcome === "done" && endedMs !== null ? [endedMs - startedMs] : []))
    .slice(-RUNS_LEARNED)
    .sort((a, b) => a - b);
  if (lengths.length < LEAST_RUNS) return undefined;
  return { medianMs: quantile(lengths, 0.5), mostMs: quantile(lengths, 0.9), runs: lengths.length };
}

/** When a job is due, as its past starts tell. */
export interface Schedule {
  /** The latest instant at or before one at which it was due; undefined where there is none. */
  before(atMs: number): number | undefined;
  /** The next instant after one at which it is due. */
  after(atMs: number): number | undefined;
  /** A start so long before it is due is this one's, ms. */
  earlyMs: number;
  /** It starts so much later than it is due at times, ms. */
  lateMs: number;
  /** “every day at 02:30”, “every 20 min”. */
  words: string;
}

/** A time of day is the same within this: summer time moves it by an hour. */
const SAME_TIME_MS = 75 * MINUTE_MS;
/** What starts more often than so is told by the time between its starts. */
const OFTEN_MS = 20 * HOUR_MS;
/** On so many of the days on which it could have, a job started. */
const REGULAR = 0.75;
/** Days from 1 January 1970 to the first Monday. */
const FIRST_MONDAY = 4;
const WEEKDAYS = ["Mondays", "Tuesdays", "Wednesdays", "Thursdays", "Fridays", "Saturdays", "Sundays"];

/**
 * Learns when a job is due from when it started: what starts several times a day by the time between, other jobs by the
 * time of day (UTC) and the days of the week on which they started in three of four weeks.
 * @param starts when it started, in order
 * @returns undefined where no rhythm is to be seen
 */
export function scheduleOf(starts: readonly number[]): Schedule | undefined {
  if (starts.length <= LEAST_RUNS) return undefined;
  const gaps = starts.slice(1).map((start, index) => start - (starts[index] as number));
  const sorted = [...gaps].sort((a, b) => a - b);
  return quantile(sorted, 0.5) < OFTEN_MS ? byGap(starts, sorted) : byDay(starts);
}

function byGap(starts: readonly number[], sorted: readonly number[]): Schedule | undefined {
  const gap = quantile(sorted, 0.5);
  const spread = quantile(sorted, 0.9) - gap;
  // What starts at will has no time at which it is missed.
  if (gap <= 0 || spread > gap) return undefined;
  const last = starts.at(-1) as number;
  const at = (count: number) => last + count * gap;
  return {
    before: (atMs) => (atMs < at(1) ? last : at(Math.floor((atMs - last) / gap))),
    after: (atMs) => at(Math.max(1, Math.floor((atMs - last) / gap) + 1)),
    earlyMs: gap / 2,
    lateMs: spread,
    words: `every ${spokenDuration(gap)}`,
  };
}

function byDay(starts: readonly number[]): Schedule | undefined {
  const times = starts.map((start) => start % DAY_MS);
  const usual = middleOfDay(times);
  const near = starts.filter((start) => Math.abs(apart(start % DAY_MS, usual)) <= SAME_TIME_MS);
  if (near.length < LEAST_RUNS) return undefined;
  const dayOf = (start: number) => Math.round((start - usual) / DAY_MS);
  const days = new Set(near.map(dayOf));
  const first = Math.min(...days);
  const last = Math.max(...days);
  const weekday = (day: number) => (((day - FIRST_MONDAY) % 7) + 7) % 7;
  const due = WEEKDAYS.map((_name, index) => {
    let could = 0;
    let did = 0;
    for (let day = first; day <= last; day++) {
      if (weekday(day) !== index) continue;
      could++;
      did += Number(days.has(day));
    }
    return { could, did };
  });
  const could = due.reduce((sum, one) => sum + one.could, 0);
  const isDaily = days.size / could >= 0.9 || due.every((one) => one.did / Math.max(1, one.could) >= REGULAR);
  const on = due.map((one) => isDaily || (one.could >= 2 && one.did / one.could >= REGULAR));
  if (!on.includes(true)) return undefined;
  const next = (atMs: number, step: 1 | -1): number | undefined => {
    const from = Math.floor((atMs - usual) / DAY_MS) + (step === 1 ? 1 : 0);
    for (let count = 0; count < WEEKDAYS.length; count++) {
      const day = from + count * step;
      if (on[weekday(day)]) return day * DAY_MS + usual;
    }
    return undefined;
  };
  const late = near.map((start) => Math.max(0, apart(start % DAY_MS, usual))).sort((a, b) => a - b);
  return {
    before: (atMs) => next(atMs, -1),
    after: (atMs) => next(atMs, 1),
    earlyMs: SAME_TIME_MS,
    lateMs: quantile(late, 0.9),
    words: `${wordsOf(on)} at ${clockTime(usual)} UTC`,
  };
}

/** From one time of day to another the shorter way, ms; negative for earlier. */
function apart(time: number, other: number): number {
  const between = (((time - other) % DAY_MS) + DAY_MS) % DAY_MS;
  return between > DAY_MS / 2 ? between - DAY_MS : between;
}

/** The time of day from which others are least away, of those there are. */
function middleOfDay(times: readonly number[]): number {
  let best = times[0] as number;
  let least = Number.POSITIVE_INFINITY;
  for (const time of times) {
    const sum = times.reduce((all, other) => all + Math.min(SAME_TIME_MS * 2, Math.abs(apart(other, time))), 0);
    if (sum < least) [best, least] = [time, sum];
  }
  return best;
}

function wordsOf(on: readonly boolean[]): string {
  const days = on.flatMap((is, index) => (is ? [WEEKDAYS[index] as string] : []));
  if (days.length === 7) return "every day";
  return days.join() === WEEKDAYS.slice(0, 5).join() ? "Mondays to Fridays" : days.join(", ");
}

/** The instant at which a run was due that did not start, and how long that is ago; undefined where none is missed. */
export function missedAt(
  schedule: Schedule,
  starts: readonly number[],
  atMs: number,
  graceMs: number,
): number | undefined {
  const dueMs = schedule.before(atMs - Math.max(graceMs, schedule.lateMs * 1.5));
  const last = starts.at(-1);
  if (dueMs === undefined || last === undefined || last >= dueMs - schedule.earlyMs) return undefined;
  return dueMs;
}
