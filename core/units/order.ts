const ENGLISH = new Intl.Collator("en", { numeric: true });

/** Signs of plain names in the collator's order (root collation of CLDR): punctuation, digits, letters. */
const PLAIN = " _-,;:!?.@/#%0123456789abcdefghijklmnopqrstuvwxyz";
/** Places of characters among these; 0 for all others. */
const PLACES = new Uint8Array(128);
for (let place = 0; place < PLAIN.length; place++) PLACES[PLAIN.charCodeAt(place)] = place + 1;
const [NOUGHT, NINE] = [PLAIN.indexOf("0") + 1, PLAIN.indexOf("9") + 1];

const placeAt = (text: string, at: number): number => PLACES[text.charCodeAt(at)] ?? 0;
const isDigitAt = (text: string, at: number): boolean => placeAt(text, at) >= NOUGHT && placeAt(text, at) <= NINE;

/**
 * Orders names as people do: web-2 before web-10. Names of plain signs are compared here, as the collator would and in a
 * fraction of its time; whatever is not plain where they differ goes to the collator, of which there is one, because making it
 * costs more than using it.
 */
export function byName(a: string, b: string): number {
  const end = Math.min(a.length, b.length);
  let at = 0;
  while (at < end && a.charCodeAt(at) === b.charCodeAt(at) && placeAt(a, at) > 0) at++;
  if (at === a.length && at === b.length) return 0;
  if ((at < a.length && !isPlainAt(a, at)) || (at < b.length && !isPlainAt(b, at))) return ENGLISH.compare(a, b);
  if ((isDigitAt(a, at) || isDigitAt(b, at)) && at > 0 && isDigitAt(a, at - 1)) {
    // Within a number: the one of more digits is larger, unless noughts lead it.
    let first = at - 1;
    while (first > 0 && isDigitAt(a, first - 1)) first--;
    if (placeAt(a, first) === NOUGHT) return ENGLISH.compare(a, b);
    const by = digitsFrom(a, at) - digitsFrom(b, at);
    if (by !== 0) return by;
  } else if (isDigitAt(a, at) && isDigitAt(b, at)) {
    if (placeAt(a, at) === NOUGHT || placeAt(b, at) === NOUGHT) return ENGLISH.compare(a, b);
    const by = digitsFrom(a, at) - digitsFrom(b, at);
    if (by !== 0) return by;
  }
  return at === end ? a.length - b.length : placeAt(a, at) - placeAt(b, at);
}

/** Whether a character is plain and nothing follows that could alter it. */
const isPlainAt = (text: string, at: number): boolean =>
  placeAt(text, at) > 0 && (at + 1 >= text.length || text.charCodeAt(at + 1) < 128);

function digitsFrom(text: string, from: number): number {
  let at = from;
  while (isDigitAt(text, at)) at++;
  return at - from;
}

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
