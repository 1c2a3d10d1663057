/** What a limit should be, and how that is known. */
export interface LimitAdvice {
  /** In the unit of the samples. */
  value: number;
  /** Share of its own history that it would have covered, percent. */
  covers: number;
  /** While it was held back nobody knows what it would have used: the value is the least that makes sense. */
  atLeast: boolean;
}

export interface Usage {
  /** What was used, and, for processors, the percent of time in which it was held back at the same instants. */
  values: ArrayLike<number>;
  held?: ArrayLike<number>;
}

/** From this percent of time on, use says what the limit let through and not what was wanted. */
const HELD_BACK = 2;
/** Share of the history that must be free of that for it to be believed. */
const FREE_SHARE = 0.9;
const FEWEST = 24;
const ROOM = 1.15;
/** Where it is unknown what is wanted, the limit is raised step by step. */
const STEP = 1.5;

/**
 * A limit that would have covered a percentile of what was used, with some room; from all containers of one workload
 * together, because a limit is theirs in common. Undefined where there is too little history.
 * @param percent the percentile that it stands for, common practice 99 for processors and 100 for memory
 * @param limit the present one, in the unit of the samples
 */
export function adviseLimit(
  all: readonly Usage[],
  percent: number,
  limit: number | undefined,
): LimitAdvice | undefined {
  const free: number[] = [];
  let count = 0;
  for (const { values, held } of all)
    for (let index = 0; index < values.length; index++) {
      const value = values[index] as number;
      if (!Number.isFinite(value)) continue;
      count++;
      const back = held?.[index];
      if (back === undefined || !(back > HELD_BACK)) free.push(value);
    }
  if (count < FEWEST) return undefined;
  free.sort((a, b) => a - b);
  const wanted = quantileOf(free, percent / 100) * ROOM;
  if (free.length >= FREE_SHARE * count) return { value: wanted, covers: percent, atLeast: false };
  return { value: Math.max(wanted, (limit ?? 0) * STEP), covers: percent, atLeast: true };
}

/** Linear between ranks (Hyndman & Fan 1996, type 7); 0 of nothing. */
function quantileOf(sorted: readonly number[], share: number): number {
  if (sorted.length === 0) return 0;
  const at = (sorted.length - 1) * share;
  const low = Math.floor(at);
  const from = sorted[low] as number;
  return from + ((sorted[Math.min(low + 1, sorted.length - 1)] as number) - from) * (at - low);
}

/** Rounded up to what people write: two digits of processors, sixteenths of a gibibyte or so of memory. */
export const niceCpus = (value: number): number => Math.max(0.01, Math.ceil(value * 100) / 100);
export const niceBytes = (value: number): number => Math.max(1, Math.ceil(value / 2 ** 24)) * 2 ** 24;
