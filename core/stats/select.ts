/**
 * The value that would stand at a place if all were sorted, without sorting them all (Hoare 1961, with the middle of
 * three as pivot). The values are moved about; all before the place are at most as large, all behind it at least.
 * @param values numbers, none of them NaN
 * @param place from 0
 */
export function select(values: Float64Array, place: number): number {
  let low = 0;
  let high = values.length - 1;
  while (low < high) {
    const pivot = middleOf(values[low] as number, values[(low + high) >> 1] as number, values[high] as number);
    let left = low;
    let right = high;
    while (left <= right) {
      while ((values[left] as number) < pivot) left++;
      while ((values[right] as number) > pivot) right--;
      if (left > right) break;
      const held = values[left] as number;
      values[left++] = values[right] as number;
      values[right--] = held;
    }
    if (place <= right) high = right;
    else if (place >= left) low = left;
    else break;
  }
  return values[place] as number;
}

const middleOf = (a: number, b: number, c: number) => Math.max(Math.min(a, b), Math.min(Math.max(a, b), c));

/** The median of some values, which are moved about; NaN of none. */
export function medianOf(values: Float64Array): number {
  const { length } = values;
  if (length === 0) return Number.NaN;
  const half = length >> 1;
  const upper = select(values, half);
  if (length % 2) return upper;
  // All before the middle are at most as large: the largest of them is its neighbour.
  let lower = Number.NEGATIVE_INFINITY;
  for (let index = 0; index < half; index++) if ((values[index] as number) > lower) lower = values[index] as number;
  return (lower + upper) / 2;
}

/** Of fewer values than these nothing is guessed. */
const ENOUGH_TO_GUESS = 1000;
const ONE_OF = 16;

/**
 * The largest values, in order. Of many, a sample tells about where they begin, and only what is beyond is looked at.
 * @param values numbers, none of them NaN; they may be moved about
 * @param count at most as many as there are
 */
export function largestOf(values: Float64Array, count: number): Float64Array {
  const { length } = values;
  if (count === 0) return values.subarray(0, 0);
  if (length >= ENOUGH_TO_GUESS && count * ONE_OF <= length) {
    const sample = new Float64Array(Math.floor(length / ONE_OF));
    for (let index = 0; index < sample.length; index++) sample[index] = values[index * ONE_OF] as number;
    sample.sort();
    const least = sample[Math.floor(sample.length * (1 - (3 * count) / length))] as number;
    let beyond = 0;
    for (let index = 0; index < length; index++) if ((values[index] as number) >= least) beyond++;
    if (beyond >= count && beyond <= length / 4) {
      const found = new Float64Array(beyond);
      let place = 0;
      for (let index = 0; index < length; index++)
        if ((values[index] as number) >= least) found[place++] = values[index] as number;
      return found.sort().subarray(beyond - count);
    }
  }
  const from = length - count;
  if (from > 0) select(values, from);
  return values.subarray(from).sort();
}

/** Up to so many values are put in order by inserting one after the other. */
const FEW = 48;

/** Puts a stretch of values in order, where it stands. */
export function putInOrder(values: Float64Array, from = 0, to = values.length): void {
  if (to - from > FEW) return void values.subarray(from, to).sort();
  for (let index = from + 1; index < to; index++) {
    const value = values[index] as number;
    let place = index - 1;
    while (place >= from && (values[place] as number) > value) {
      values[place + 1] = values[place] as number;
      place--;
    }
    values[place + 1] = value;
  }
}

/**
 * The median of three stretches of values, each in order; NaN of none.
 * @param ends where each begins and ends: of the first, the second, the third
 */
export function medianOfSorted(
  values: Float64Array,
  ends: readonly [number, number, number, number, number, number],
): number {
  const [, endA, , endB, , endC] = ends;
  let [inA, , inB, , inC] = ends;
  const length = endA - inA + endB - inB + endC - inC;
  if (length === 0) return Number.NaN;
  const half = length >> 1;
  // What is at its end counts as larger than all others, or as large as an infinity.
  const at = (place: number, end: number) => (place < end ? (values[place] as number) : Number.POSITIVE_INFINITY);
  let [a, b, c] = [at(inA, endA), at(inB, endB), at(inC, endC)];
  let before = Number.NaN;
  let value = Number.NaN;
  for (let index = 0; index <= half; index++) {
    before = value;
    if (a <= b && a <= c) {
      value = a;
      a = at(++inA, endA);
    } else if (b <= c) {
      value = b;
      b = at(++inB, endB);
    } else {
      value = c;
      c = at(++inC, endC);
    }
  }
  return length % 2 ? value : (before + value) / 2;
}
