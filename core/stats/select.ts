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
  let before = Number.NaN;
  let value = Number.NaN;
  for (let index = 0; index <= half; index++) {
    before = value;
    const a = inA < endA ? (values[inA] as number) : Number.POSITIVE_INFINITY;
    const b = inB < endB ? (values[inB] as number) : Number.POSITIVE_INFINITY;
    const c = inC < endC ? (values[inC] as number) : Number.POSITIVE_INFINITY;
    if (inA < endA && a <= b && a <= c) {
      value = a;
      inA++;
    } else if (inB < endB && b <= c) {
      value = b;
      inB++;
    } else {
      value = c;
      inC++;
    }
  }
  return length % 2 ? value : (before + value) / 2;
}
