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
