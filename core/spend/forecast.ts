import { DAY_MS } from "../time/windows";

/** What a period will come to, with the range that holds it with the given probability. */
export interface Forecast {
  total: number;
  low: number;
  high: number;
  /** Days that it was learned from. */
  days: number;
}

/** Days before that are learned from. */
export const LEARN_DAYS = 56;
/** Fewer days say nothing. */
const LEAST_DAYS = 14;
/** Of a normal distribution: a tenth on either side. */
const EIGHTY = 1.2816;

export const median = (values: readonly number[]): number => {
  if (values.length === 0) return 0;
  const sorted = [...values].sort((a, b) => a - b);
  const middle = sorted.length >> 1;
  return sorted.length % 2
    ? (sorted[middle] as number)
    : ((sorted[middle - 1] as number) + (sorted[middle] as number)) / 2;
};

/** Slope by Theil and Sen: the median of the slopes of all pairs; what is odd for a day does not move it. */
export function slopeOf(values: readonly number[]): number {
  const count = (values.length * (values.length - 1)) / 2;
  if (count === 0) return 0;
  // Numbers in a row sort without a comparison of ours: there are some fifteen hundred of them.
  const slopes = new Float64Array(count);
  let at = 0;
  for (let a = 0; a < values.length; a++)
    for (let b = a + 1; b < values.length; b++)
      slopes[at++] = ((values[b] as number) - (values[a] as number)) / (b - a);
  slopes.sort();
  const middle = count >> 1;
  return count % 2 ? (slopes[middle] as number) : ((slopes[middle - 1] as number) + (slopes[middle] as number)) / 2;
}

interface Learned {
  /** Level at the last day learned from, and change a day. */
  level: number;
  slope: number;
  /** What each day of the week adds, Sunday first. */
  weekday: number[];
  /** Standard deviation of a day round that. */
  spread: number;
  /** What the last days are away from it since it moved to another level; 0 where it did not. */
  moved: number;
}

/** As many days one after the other that are all outliers to one side are a new level, not chance. */
const MOVED_DAYS = 3;

/** What a series that moved to another level lately is away from where it was. */
function movedBy(left: readonly number[]): number {
  const sign = Math.sign(left.at(-1) ?? 0);
  let days = 0;
  while (days < left.length / 2 && sign * modifiedZ(left[left.length - 1 - days] as number, left) > OUTLIER_SCORE)
    days++;
  return days >= MOVED_DAYS ? median(left.slice(-days)) : 0;
}

const weekdayOf = (dayMs: number) => new Date(dayMs).getUTCDay();

/** Level, trend and days of the week of a daily series that ends with the day of `lastMs`; undefined where it is too short. */
function learn(days: readonly number[], lastMs: number): Learned | undefined {
  const past = days.slice(-LEARN_DAYS);
  if (past.length < LEAST_DAYS) return undefined;
  const dayOf = (index: number) => weekdayOf(lastMs - (past.length - 1 - index) * DAY_MS);
  const centre = (past.length - 1) / 2;
  // Trend and days of the week one after the other, twice: each is learned from what the other leaves.
  const weekday = Array.from({ length: 7 }, () => 0);
  let slope = 0;
  let level = 0;
  for (let round = 0; round < 2; round++) {
    const rest = past.map((value, index) => value - (weekday[dayOf(index)] as number));
    slope = slopeOf(rest);
    level = median(rest.map((value, index) => value - slope * (index - centre)));
    for (let day = 0; day < 7; day++)
      weekday[day] = median(
        past.flatMap((value, index) => (dayOf(index) === day ? [value - level - slope * (index - centre)] : [])),
      );
  }
  const left = past.map((value, index) => value - level - slope * (index - centre) - (weekday[dayOf(index)] as number));
  // Eight values were learned, so that what is left is smaller than what is to be expected.
  const spread = Math.sqrt(left.reduce((sum, one) => sum + one * one, 0) / Math.max(1, left.length - 8));
  return { level: level + slope * centre, slope, weekday, spread, moved: movedBy(left) };
}

/**
 * What the days from the day after `lastMs` to before `endMs` will add to what was spent. Trend by Theil and Sen, days of
 * the week by medians, both from up to eight weeks; the range takes days as independent and adds what the trend may be
 * off by (variance of a slope, 12 s²/n³, over the days ahead). What has moved to another level for three days stays there. It holds the truth in eight of ten cases.
 * @param days what each day cost, the last one being that of `lastMs`
 */
export function forecast(
  days: readonly number[],
  spent: number,
  { lastMs, endMs }: { lastMs: number; endMs: number },
): Forecast | undefined {
  const known = learn(days, lastMs);
  const ahead = Math.max(0, Math.round((endMs - lastMs) / DAY_MS) - 1);
  if (!known) return ahead === 0 ? { total: spent, low: spent, high: spent, days: days.length } : undefined;
  let total = spent;
  for (let day = 1; day <= ahead; day++)
    total +=
      known.level + known.moved + known.slope * day + (known.weekday[weekdayOf(lastMs + day * DAY_MS)] as number);
  const n = Math.min(days.length, LEARN_DAYS);
  // How far the middle of the days ahead lies from the middle of those learned from.
  const reach = n / 2 + ahead / 2;
  const variance = known.spread ** 2 * (ahead + ahead ** 2 * (1 / n + (12 * reach ** 2) / n ** 3));
  const range = EIGHTY * Math.sqrt(variance);
  return { total, low: total - range, high: total + range, days: n };
}

/** A day that cost much more or less than its kind of day does. */
export interface OddDay {
  dayMs: number;
  value: number;
  usual: number;
  /** Modified z-score (Iglewicz and Hoaglin 1993; NIST/SEMATECH e-Handbook 1.3.5.17). */
  score: number;
}

/** Beyond it a value is taken for an outlier (NIST/SEMATECH e-Handbook 1.3.5.17). */
export const OUTLIER_SCORE = 3.5;
/** A tenth of what is usual is never odd, however steady it was. */
const LEAST_SHARE = 0.1;

/** 0.6745 (x − median) / MAD; where the deviation is 0 the mean deviation takes its place (the same source). */
export function modifiedZ(value: number, among: readonly number[]): number {
  const middle = median(among);
  const away = among.map((one) => Math.abs(one - middle));
  const mad = median(away);
  if (mad > 0) return (0.6745 * (value - middle)) / mad;
  const mean = away.reduce((sum, one) => sum + one, 0) / Math.max(1, away.length);
  return mean > 0 ? (value - middle) / (1.253314 * mean) : value === middle ? 0 : Math.sign(value - middle) * Infinity;
}

/** Days one after the other that are odd in the same way are one thing: the first of them, and how many there were. */
export function oddRuns(odd: readonly OddDay[]): (OddDay & { days: number })[] {
  const runs: (OddDay & { days: number })[] = [];
  for (const one of odd) {
    const before = runs.at(-1);
    const follows =
      before !== undefined &&
      one.dayMs === before.dayMs + before.days * DAY_MS &&
      Math.sign(one.score) === Math.sign(before.score);
    if (follows) {
      before.days++;
      before.value += one.value;
      before.usual += one.usual;
    } else runs.push({ ...one, days: 1 });
  }
  return runs;
}

/**
 * Days of the last `recent` ones that stand out of the eight weeks before them: against their trend and the day of the
 * week, by the modified z-score of what those weeks left unexplained.
 * @param least amounts below it are no news, in the currency of the series
 */
export function oddDays(days: readonly number[], lastMs: number, recent: number, least: number): OddDay[] {
  const first = Math.max(LEAST_DAYS, days.length - recent);
  const before = days.slice(Math.max(0, first - LEARN_DAYS), first);
  const dayOf = (index: number) => lastMs - (days.length - 1 - index) * DAY_MS;
  const known = learn(before, dayOf(first - 1));
  if (!known) return [];
  const expected = (index: number) =>
    known.level + known.slope * (index - first + 1) + (known.weekday[weekdayOf(dayOf(index))] as number);
  const left = before.map((value, at) => value - expected(first - before.length + at));
  const odd: OddDay[] = [];
  for (let index = first; index < days.length; index++) {
    const value = days[index] as number;
    const usual = expected(index);
    const away = value - usual;
    const score = modifiedZ(away, left);
    if (Math.abs(score) > OUTLIER_SCORE && Math.abs(away) >= Math.max(least, LEAST_SHARE * Math.abs(usual)))
      odd.push({ dayMs: dayOf(index), value, usual, score });
  }
  return odd;
}
