/** Whether a name fits a pattern in which `*` stands for anything; capitals do not matter. */
export function fitsPattern(pattern: string, name: string): boolean {
  const parts = pattern.toLowerCase().split("*");
  const text = name.toLowerCase();
  const first = parts.shift() as string;
  const last = parts.pop();
  if (last === undefined) return text === first;
  if (!text.startsWith(first) || !text.endsWith(last)) return false;
  let place = first.length;
  for (const part of parts) {
    const found = text.indexOf(part, place);
    if (found < 0) return false;
    place = found + part.length;
  }
  return place <= text.length - last.length;
}
