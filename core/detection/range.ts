import { largestOf, medianOf, medianOfSorted, putInOrder } from "../stats/select";
import { normalAbove } from "../stats/tails";
import { DAY_MS, HOUR_MS } from "../time/windows";

/**
 * What is usual of a series by the hour: for each part of the week a middle and a spread, and how far beyond them its
 * own values go (see docs, “Methods”). Levels from fine to coarse: 168 hours of the week, 24 hours of workdays and 24
 * of other days, 24 hours of any day, one for all.
 */
export const LEVELS = ["week", "workday", "day", "one"] as const;
export type Level = (typeof LEVELS)[number];

const BUCKETS: Readonly<Record<Level, number>> = { week: 168, workday: 48, day: 24, one: 1 };

/** Beyond so many spreads a share `over` of the values went, and how those thin out (generalised Pareto). */
export interface Tail {
  /** In spreads. */
  from: number;
  over: number;
  /** Scale and shape; a shape over 0 has a heavy tail. */
  scale: number;
  shape: number;
}

export interface Range {
  level: Level;
  /** By bucket, in the unit of the series; NaN where nothing was measured. */
  middle: Float32Array;
  spread: Float32Array;
  up: Tail;
  down: Tail;
  /** Five-minute spans that it rests on. */
  count: number;
  /** A lasting change of level that was taken over since: added to every middle. */
  shift: number;
}

/** Spans of five minutes of a series: when each began, lowest, mean and highest. */
export interface Spans {
  times: ArrayLike<number>;
  min: ArrayLike<number>;
  mean: ArrayLike<number>;
  max: ArrayLike<number>;
}

/** Fewer spans than these (six hours) tell nothing of what is usual. */
export const LEAST_SPANS = 72;
/** Values beyond this share on either side make the tail. */
const TAIL_SHARE = 0.02;
/** Fewer values than these beyond it, and the tail is taken for that of a wide normal law. */
const LEAST_BEYOND = 12;
/** MAD of a normal law times this is its standard deviation (NIST/SEMATECH e-Handbook 1.3.5.17). */
const MAD_TO_DEVIATION = 1.4826;
/** A spread is at least this share of the middle. */
const LEAST_SPREAD = 0.01;
/** Until so many days are known, what is usual is taken for so many times as wide. */
const WHOLE_WEEK_DAYS = 6.9;
const UNSURE = 3;
/** A finer level is kept only if it forecasts so much better. */
const BETTER = 0.95;

/** Units in which things are counted: "1", "{message}", "1/h". */
export const isCounted = (unit: string): boolean => /^(1|\{.*\}|1\/(h|min|s|d))$/.test(unit);

/** The bucket of an instant. Hours are those of UTC. */
export function bucketOf(level: Level, atMs: number): number {
  if (level === "one") return 0;
  const hour = Math.floor(atMs / HOUR_MS) % 24;
  if (level === "day") return hour;
  const weekday = (Math.floor(atMs / DAY_MS) + 3) % 7;
  if (level === "week") return weekday * 24 + hour;
  return (weekday < 5 ? 0 : 24) + hour;
}

/** The buckets of many instants. */
function bucketsOf(level: Level, times: ArrayLike<number>): Int16Array {
  const places = new Int16Array(times.length);
  if (level === "one") return places;
  // Instants of one hour are of one bucket.
  let hour = Number.NaN;
  let place = 0;
  for (let index = 0; index < places.length; index++) {
    const own = Math.floor((times[index] as number) / HOUR_MS);
    if (own !== hour) {
      hour = own;
      place = bucketOf(level, times[index] as number);
    }
    places[index] = place;
  }
  return places;
}

/** What is usual at an instant; undefined where nothing was measured at such an hour. */
export function usualAt(range: Range, atMs: number): { middle: number; spread: number } | undefined {
  const at = bucketOf(range.level, atMs);
  const middle = range.middle[at] as number;
  return Number.isNaN(middle) ? undefined : { middle: middle + range.shift, spread: range.spread[at] as number };
}

/** The probability that a value of this series is at least so far out, to one side, at this hour. */
export function chanceOf(range: Range, value: number, atMs: number, side: "above" | "below"): number {
  const usual = usualAt(range, atMs);
  if (!usual) return 1;
  const z = ((value - usual.middle) / usual.spread) * (side === "above" ? 1 : -1);
  return beyond(side === "above" ? range.up : range.down, z);
}

/** The value beyond which only a share `p` of this series' values goes, on one side, at an instant. */
export function edgeOf(range: Range, p: number, atMs: number, side: "above" | "below"): number | undefined {
  const usual = usualAt(range, atMs);
  if (!usual) return undefined;
  const tail = side === "above" ? range.up : range.down;
  const share = Math.min(1, p / tail.over);
  const further =
    Math.abs(tail.shape) < 1e-9
      ? -Math.log(share) * tail.scale
      : ((share ** -tail.shape - 1) / tail.shape) * tail.scale;
  return usual.middle + (side === "above" ? 1 : -1) * (tail.from + further) * usual.spread;
}

function beyond(tail: Tail, z: number): number {
  // Within what is usual the exact probability does not matter: it is never small.
  if (z <= tail.from) return Math.max(tail.over, normalAbove(z));
  const over = (z - tail.from) / tail.scale;
  if (Math.abs(tail.shape) < 1e-9) return Math.max(1e-300, tail.over * Math.exp(-over));
  const base = 1 + tail.shape * over;
  return base <= 0 ? 1e-300 : Math.max(1e-300, tail.over * base ** (-1 / tail.shape));
}

/**
 * Learns what is usual. The finest level is taken whose forecast of the last part of the past, made from what was
 * before, is best; without two days of past there is one level only.
 * @param spans in order of time
 * @param options.counts whether values count things: those spread by their square root at the least (Poisson)
 * @returns undefined where there are too few
 */
export function learnRange(spans: Spans, { counts = false }: { counts?: boolean } = {}): Range | undefined {
  const count = spans.times.length;
  if (count < LEAST_SPANS) return undefined;
  const level = bestLevel(byHours(spans));
  const buckets = bucketsOf(level, spans.times);
  const grouped = groupedBy(level, buckets, spans.mean, count);
  const middle = mediansOf(level, grouped);
  const spread = spreads(level, grouped, spans.mean, middle, counts);
  const room = new Float64Array(count);
  const z = (values: ArrayLike<number>, sign: number) => {
    const list = room;
    let used = 0;
    for (let index = 0; index < count; index++) {
      const at = buckets[index] as number;
      const one = (sign * ((values[index] as number) - (middle[at] as number))) / (spread[at] as number);
      if (!Number.isNaN(one)) list[used++] = one;
    }
    return list.subarray(0, used);
  };
  const up = tailOf(z(spans.max, 1));
  const down = tailOf(z(spans.min, -1));
  // Before every day of a week was met, the next one may be of a kind that is not known: a Monday after a Sunday.
  const days = ((spans.times[count - 1] as number) - (spans.times[0] as number)) / DAY_MS;
  if (days < WHOLE_WEEK_DAYS) for (let at = 0; at < spread.length; at++) spread[at] = (spread[at] as number) * UNSURE;
  return { level, middle, spread, up, down, count, shift: 0 };
}

/** Means of hours: enough to choose among levels of hours, and a twelfth as many. */
function byHours({ times, mean }: Spans): Spans {
  const hours = new Float64Array(times.length);
  const means = new Float64Array(times.length);
  let used = 0;
  let [hour, sum, count] = [Number.NaN, 0, 0];
  for (let index = 0; index < times.length; index++) {
    const value = mean[index] as number;
    if (Number.isNaN(value)) continue;
    const own = Math.floor((times[index] as number) / HOUR_MS);
    if (own !== hour) {
      [hour, sum, count] = [own, 0, 0];
      hours[used++] = own * HOUR_MS;
    }
    sum += value;
    means[used - 1] = sum / ++count;
  }
  const whole = means.subarray(0, used);
  return { times: hours.subarray(0, used), mean: whole, min: whole, max: whole };
}

/** The last third of the past, a week at the most, forecast from what was before. */
function bestLevel(spans: Spans): Level {
  const { times, mean } = spans;
  const count = times.length;
  const first = times[0] as number;
  const last = times[count - 1] as number;
  const days = (last - first) / DAY_MS;
  const cutMs = last - Math.min(7 * DAY_MS, (last - first) / 3);
  let cut = 0;
  while (cut < count && (times[cut] as number) < cutMs) cut++;
  let best: { level: Level; error: number } | undefined;
  // From coarse to fine: what is finer has to be better, not only as good.
  for (const level of [...LEVELS].reverse()) {
    if ((level === "day" && days < 2) || (level === "workday" && days < 4) || (level === "week" && days < 13)) continue;
    const buckets = bucketsOf(level, times);
    const middle = mediansOf(level, groupedBy(level, buckets, mean, cut));
    let error = 0;
    let seen = 0;
    for (let index = cut; index < count; index++) {
      const off = Math.abs((mean[index] as number) - (middle[buckets[index] as number] as number));
      if (Number.isNaN(off)) continue;
      error += off;
      seen++;
    }
    if (seen === 0) continue;
    error /= seen;
    if (!best || error < best.error * BETTER) best = { level, error };
  }
  return best?.level ?? "one";
}

/** The spread of each bucket, from how far its values are off its middle. */
function spreads(
  level: Level,
  grouped: Grouped,
  mean: ArrayLike<number>,
  middle: Float32Array,
  counts: boolean,
): Float32Array {
  let smallest = Number.POSITIVE_INFINITY;
  let before = Number.NaN;
  for (let index = 0; index < mean.length; index++) {
    const value = mean[index] as number;
    const step = Math.abs(value - before);
    if (step > 0 && step < smallest) smallest = step;
    before = value;
  }
  const mad = mediansOf(level, distances(grouped, middle));
  // A series that hardly ever moves has no spread of its own: the smallest step that it took is its grain.
  const grain = Number.isFinite(smallest) ? smallest : 0;
  return Float32Array.from(mad, (one, at) => {
    const size = Math.abs(middle[at] as number);
    const least = Math.max(LEAST_SPREAD * size, grain, counts ? Math.sqrt(size) : 0, 1e-6);
    return Number.isNaN(one) ? Number.NaN : Math.max(MAD_TO_DEVIATION * one, least);
  });
}

/** Values by bucket, one bucket behind the other; each in order where there are several. */
interface Grouped {
  values: Float64Array;
  /** Where each bucket begins, and where the last ends. */
  ends: Int32Array;
}

/**
 * Values put together by bucket; NaN is left out.
 * @param places bucket of each value
 * @param to only values before this place count
 */
function groupedBy(level: Level, places: Int16Array, values: ArrayLike<number>, to: number): Grouped {
  const buckets = BUCKETS[level];
  // Counted first, so that every bucket is a piece of one array.
  const ends = new Int32Array(buckets + 1);
  for (let index = 0; index < to; index++) {
    const at = places[index] as number;
    if (!Number.isNaN(values[index] as number)) ends[at + 1] = (ends[at + 1] as number) + 1;
  }
  for (let at = 0; at < buckets; at++) ends[at + 1] = (ends[at + 1] as number) + (ends[at] as number);
  const next = ends.slice(0, buckets);
  const grouped = new Float64Array(ends[buckets] as number);
  for (let index = 0; index < to; index++) {
    const at = places[index] as number;
    if (Number.isNaN(values[index] as number)) continue;
    grouped[next[at] as number] = values[index] as number;
    next[at] = (next[at] as number) + 1;
  }
  // Each is put in order once, for itself and its neighbours.
  if (buckets > 1) for (let at = 0; at < buckets; at++) putInOrder(grouped, ends[at] as number, ends[at + 1] as number);
  return { values: grouped, ends };
}

/** How far all values are off the middle of their bucket, in order as they are. */
function distances({ values, ends }: Grouped, middle: Float32Array): Grouped {
  const off = new Float64Array(values.length);
  const isOne = middle.length === 1;
  for (let at = 0; at < middle.length; at++) {
    const from = ends[at] as number;
    const to = ends[at + 1] as number;
    const centre = middle[at] as number;
    if (isOne) {
      for (let index = from; index < to; index++) off[index] = Math.abs((values[index] as number) - centre);
      continue;
    }
    // Values in order are farther off the farther they are from where the middle stands among them, on either side.
    let above = from;
    while (above < to && (values[above] as number) < centre) above++;
    let below = above - 1;
    for (let index = from; index < to; index++) {
      const up = above < to ? (values[above] as number) - centre : Number.POSITIVE_INFINITY;
      const down = below >= from ? centre - (values[below] as number) : Number.POSITIVE_INFINITY;
      if (below < from || (above < to && up <= down)) {
        off[index] = up;
        above++;
      } else {
        off[index] = down;
        below--;
      }
    }
  }
  return { values: off, ends };
}

/** The median of each bucket's values and those of the hours before and after; NaN where there are none. */
function mediansOf(level: Level, { values, ends }: Grouped): Float32Array {
  const buckets = BUCKETS[level];
  if (buckets === 1) return Float32Array.of(medianOf(values));
  // Workdays and other days are rings of their own.
  const ring = level === "workday" ? 24 : buckets;
  const endOf = (at: number) => ends[at] as number;
  const medians = new Float32Array(buckets);
  for (let at = 0; at < buckets; at++) {
    const place = at % ring;
    const before = place === 0 ? at + ring - 1 : at - 1;
    const after = place === ring - 1 ? at - ring + 1 : at + 1;
    medians[at] = medianOfSorted(values, [
      endOf(before),
      endOf(before + 1),
      endOf(at),
      endOf(at + 1),
      endOf(after),
      endOf(after + 1),
    ]);
  }
  return medians;
}

/**
 * The tail of some values by peaks over a threshold: a generalised Pareto law by probability-weighted moments (Hosking
 * and Wallis 1987, §2.3), its shape held between that of an exponential and one that still has a variance.
 * @param values in spreads; they are moved about
 */
export function tailOf(values: Float64Array): Tail {
  const count = values.length;
  const place = Math.floor(count * (1 - TAIL_SHARE));
  const beyondCount = count - place;
  // Only the tail itself is put in order, with the value before it.
  const sorted = largestOf(values, Math.min(count, beyondCount + 1));
  const from = Math.max(1, place > 0 ? (sorted[0] as number) : 1);
  // Few values tell little of what is seldom: a law half as wide again as the normal one at that place.
  if (beyondCount < LEAST_BEYOND)
    return { from: Math.max(3, from), over: 1 / Math.max(2, count), scale: 1, shape: 0.1 };
  let a0 = 0;
  let a1 = 0;
  for (let rank = 0; rank < beyondCount; rank++) {
    const excess = Math.max(0, (sorted[sorted.length - beyondCount + rank] as number) - from);
    a0 += excess / beyondCount;
    a1 += (excess * (beyondCount - 1 - rank)) / (beyondCount - 1) / beyondCount;
  }
  const gap = a0 - 2 * a1;
  if (!(gap > 1e-12) || !(a0 > 1e-9)) return { from, over: TAIL_SHARE, scale: Math.max(0.25, a0), shape: 0.1 };
  const shape = Math.min(0.45, Math.max(0, 2 - a0 / gap));
  // With the shape held, the scale keeps the mean of what is beyond.
  return { from, over: beyondCount / count, scale: Math.max(0.05, a0 * (1 - shape)), shape };
}

/** A lasting change is at least so far out, and lasted so long, before it is taken for the new level. */
const SHIFT_SPREADS = 4;
export const SHIFT_MS = 6 * HOUR_MS;

/**
 * The change of level that the last six hours show: all on one side of what was usual, and as even as usual. Undefined
 * where they show none.
 */
export function shiftOf(range: Range, spans: Spans): number | undefined {
  const { times, mean } = spans;
  const count = times.length;
  if (count === 0) return undefined;
  const fromMs = (times[count - 1] as number) - SHIFT_MS;
  const off: number[] = [];
  let spread = 0;
  for (let index = count - 1; index >= 0 && (times[index] as number) >= fromMs; index--) {
    const usual = usualAt(range, times[index] as number);
    if (!usual) continue;
    off.push((mean[index] as number) - usual.middle);
    spread += usual.spread;
  }
  if (off.length < (SHIFT_MS / HOUR_MS) * 10) return undefined;
  spread /= off.length;
  const middle = medianOf(Float64Array.from(off));
  const sign = Math.sign(middle);
  if (Math.abs(middle) < SHIFT_SPREADS * spread || off.some((one) => sign * one < spread)) return undefined;
  const uneven = MAD_TO_DEVIATION * medianOf(Float64Array.from(off, (one) => Math.abs(one - middle)));
  return uneven <= 3 * spread ? middle : undefined;
}

/** Packs a range into at most 1,500 bytes. */
export function packRange(range: Range): Uint8Array {
  const { level, middle, spread, up, down, count, shift } = range;
  const head = Float64Array.from([
    LEVELS.indexOf(level),
    count,
    shift,
    ...[up, down].flatMap(({ from, over, scale, shape }) => [from, over, scale, shape]),
  ]);
  const bytes = new Uint8Array(head.byteLength + middle.byteLength + spread.byteLength);
  bytes.set(new Uint8Array(head.buffer), 0);
  bytes.set(new Uint8Array(middle.buffer, middle.byteOffset, middle.byteLength), head.byteLength);
  bytes.set(new Uint8Array(spread.buffer, spread.byteOffset, spread.byteLength), head.byteLength + middle.byteLength);
  return bytes;
}

const HEAD_NUMBERS = 11;

export function unpackRange(packed: Uint8Array): Range {
  const bytes = packed.slice();
  const head = new Float64Array(bytes.buffer, 0, HEAD_NUMBERS);
  const level = LEVELS[head[0] as number] as Level;
  const buckets = BUCKETS[level];
  const at = (place: number): Tail => ({
    from: head[place] as number,
    over: head[place + 1] as number,
    scale: head[place + 2] as number,
    shape: head[place + 3] as number,
  });
  const start = HEAD_NUMBERS * 8;
  return {
    level,
    count: head[1] as number,
    shift: head[2] as number,
    up: at(3),
    down: at(7),
    middle: new Float32Array(bytes.buffer, start, buckets),
    spread: new Float32Array(bytes.buffer, start + buckets * 4, buckets),
  };
}
