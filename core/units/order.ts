const ENGLISH = new Intl.Collator("en", { numeric: true });

/** Orders names as people do: web-2 before web-10. A comparison that is made once, because making it costs more than using it. */
export const byName = (a: string, b: string): number => ENGLISH.compare(a, b);

/**
 * Members `from` up to `to` of a list as it would be sorted, the list itself in no order afterwards. Where a page of many
 * is shown, this compares each a few times in place of a dozen (Hoare's selection).
 */
export function sortedSlice<T>(list: T[], compare: (a: T, b: T) => number, from: number, to: number): T[] {
  const end = Math.min(list.length, to);
  if (from >= end) return [];
  select(list, compare, from);
  select(list, compare, end - 1, from);
  return list.slice(from, end).sort(compare);
}

/** Puts the member at `place` where it belongs, smaller ones before it and larger ones after it. */
function select<T>(list: T[], compare: (a: T, b: T) => number, place: number, from = 0): void {
  let [low, high] = [from, list.length - 1];
  while (low < high) {
    // Of three, so that a list in order is no worst case.
    const middle = (low + high) >>> 1;
    const three = [list[low] as T, list[middle] as T, list[high] as T].sort(compare);
    const pivot = three[1] as T;
    let [left, right] = [low, high];
    while (left <= right) {
      while (compare(list[left] as T, pivot) < 0) left++;
      while (compare(list[right] as T, pivot) > 0) right--;
      if (left > right) break;
      [list[left], list[right]] = [list[right] as T, list[left] as T];
      left++;
      right--;
    }
    if (place <= right) high = right;
    else if (place >= left) low = left;
    else return;
  }
}
