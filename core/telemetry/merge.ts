import type { Samples } from "./chunk";

export const NO_SAMPLES: Samples = { times: new Float64Array(0), values: new Float64Array(0) };

/**
 * Merges two lists of samples by their instants. Where both have one at the same instant, that of `later`, which
 * arrived later, takes its place. Both must rise.
 */
export function mergeSamples(earlier: Samples, later: Samples): Samples {
  const a = earlier.times;
  const b = later.times;
  if (b.length === 0) return earlier;
  if (a.length === 0) return later;
  const times = new Float64Array(a.length + b.length);
  const values = new Float64Array(a.length + b.length);
  let i = 0;
  let j = 0;
  let place = 0;
  while (i < a.length || j < b.length) {
    const left = i < a.length ? (a[i] as number) : Number.POSITIVE_INFINITY;
    const right = j < b.length ? (b[j] as number) : Number.POSITIVE_INFINITY;
    if (left < right) {
      times[place] = left;
      values[place++] = earlier.values[i++] as number;
    } else {
      times[place] = right;
      values[place++] = later.values[j++] as number;
      if (left === right) i++;
    }
  }
  return { times: times.subarray(0, place), values: values.subarray(0, place) };
}

/** Puts samples in the order of their instants; of several at one instant the last given stays. */
export function sortSamples(times: ArrayLike<number>, values: ArrayLike<number>): Samples {
  let rises = true;
  for (let index = 1; index < times.length && rises; index++)
    rises = (times[index] as number) > (times[index - 1] as number);
  if (rises) return { times: new Float64Array(times), values: new Float64Array(values) };
  const order = Array.from(times, (_, index) => index).sort(
    (a, b) => (times[a] as number) - (times[b] as number) || a - b,
  );
  const sortedTimes = new Float64Array(order.length);
  const sortedValues = new Float64Array(order.length);
  let place = -1;
  for (const index of order) {
    const at = times[index] as number;
    if (place < 0 || sortedTimes[place] !== at) place++;
    sortedTimes[place] = at;
    sortedValues[place] = values[index] as number;
  }
  return { times: sortedTimes.subarray(0, place + 1), values: sortedValues.subarray(0, place + 1) };
}

/** The part of rising samples in a window, both ends included, sharing their memory. */
export function cutSamples({ times, values }: Samples, fromMs: number, toMs: number): Samples {
  const first = lowerBound(times, fromMs);
  const end = lowerBound(times, toMs + 1);
  return first === 0 && end === times.length
    ? { times, values }
    : { times: times.subarray(first, end), values: values.subarray(first, end) };
}

/** Index of the first instant that is not before `atMs`. */
export function lowerBound(times: Float64Array, atMs: number): number {
  let low = 0;
  let high = times.length;
  while (low < high) {
    const middle = (low + high) >>> 1;
    if ((times[middle] as number) < atMs) low = middle + 1;
    else high = middle;
  }
  return low;
}
