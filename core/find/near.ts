/**
 * Whether two words are the same but for so many typing errors: a letter wrong, missing, too much, or two changed round
 * (optimal string alignment distance). Longer distances are not worked out.
 */
export function isNear(a: string, b: string, most: number): boolean {
  if (Math.abs(a.length - b.length) > most) return false;
  let before: number[] = [];
  let last = Array.from({ length: b.length + 1 }, (_, at) => at);
  for (let i = 1; i <= a.length; i++) {
    const row = [i];
    let least = i;
    for (let j = 1; j <= b.length; j++) {
      const same = a[i - 1] === b[j - 1];
      let value = Math.min(
        (last[j] as number) + 1,
        (row[j - 1] as number) + 1,
        (last[j - 1] as number) + (same ? 0 : 1),
      );
      if (i > 1 && j > 1 && a[i - 1] === b[j - 2] && a[i - 2] === b[j - 1])
        value = Math.min(value, (before[j - 2] as number) + 1);
      row.push(value);
      if (value < least) least = value;
    }
    if (least > most) return false;
    before = last;
    last = row;
  }
  return (last[b.length] as number) <= most;
}

/** Typing errors that are forgiven in a word: none in short ones, where everything would be near. */
export const errorsIn = (word: string): number => (word.length < 4 ? 0 : word.length < 8 ? 1 : 2);

const wordsOf = (text: string): string[] =>
  text
    .toLowerCase()
    .split(/[^\p{L}\p{N}]+/u)
    .filter(Boolean);

/** Tells of names whether each word that was typed is in them, or near one of their words. */
export function nearMatcher(typed: string): (name: string) => boolean {
  const asked = wordsOf(typed);
  return (name) => {
    const lower = name.toLowerCase();
    const words = wordsOf(name);
    return (
      asked.length > 0 &&
      asked.every((word) => lower.includes(word) || words.some((one) => isNear(word, one, errorsIn(word))))
    );
  };
}
