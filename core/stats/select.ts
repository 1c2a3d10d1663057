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

/** Puts values in order, where they stand. */
export function putInOrder(values: Float64Array): void {
  const { length } = values;
  if (length > FEW) return void values.sort();
  for (let index = 1; index < length; index++) {
    const value = values[index] as number;
    let place = index - 1;
    while (place >= 0 && (values[place] as number) > value) {
      values[place + 1] = values[place] as number;
      place--;
    }
    values[place + 1] = value;
  }
}

/** The median of the values of three lists, each in order; NaN of none. */
export function medianOfSorted(a: Float64Array, b: Float64Array, c: Float64Array): number {
  const length = a.length + b.length + c.length;
  if (length === 0) return Number.NaN;
  const half = length >> 1;
  let [inA, inB, inC] = [0, 0, 0];
  let before = Number.NaN;
  let value = Number.NaN;
  for (let index = 0; index <= half; index++) {
    before = value;
    const fromA = inA < a.length ? (a[inA] as number) : Number.POSITIVE_INFINITY;
    const fromB = inB < b.length ? (b[inB] as number) : Number.POSITIVE_INFINITY;
    const fromC = inC < c.length ? (c[inC] as number) : Number.POSITIVE_INFINITY;
    if (inA < a.length && fromA <= fromB && fromA <= fromC) {
      value = fromA;
      inA++;
    } else if (inB < b.length && fromB <= fromC) {
      value = fromB;
      inB++;
    } else {
      value = fromC;
      inC++;
    }
  }
  return length % 2 ? value : (before + value) / 2;
}
