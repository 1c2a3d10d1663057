/**
 * Whether an object identifier comes after another in the order of RFC 3416, §4.2.2. An agent whose answers do not rise
 * would be asked for ever.
 */
export function comesAfter(oid: string, before: string): boolean {
  const [a, b] = [oid.split("."), before.split(".")];
  for (let place = 0; place < a.length; place++) {
    const difference = Number(a[place]) - Number(b[place] ?? -1);
    if (Number.isNaN(difference)) return false;
    if (difference !== 0) return difference > 0;
  }
  return false;
}
