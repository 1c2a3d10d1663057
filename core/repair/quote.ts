/**
 * One word for a POSIX shell: in single quotes, so that nothing in it is ever expanded (POSIX.1-2017, XCU 2.2.2).
 * A NUL character cannot be passed to a program and is refused.
 */
export function quoteWord(word: string): string {
  if (word.includes("\0")) throw new RangeError("An argument must not contain a NUL character.");
  if (word !== "" && /^[A-Za-z0-9_@%+=:,./-]+$/.test(word)) return word;
  return `'${word.replaceAll("'", `'\\''`)}'`;
}

/** A command line from its words; every word reaches the program exactly as given. */
export function quoteCommand(words: readonly string[]): string {
  return words.map(quoteWord).join(" ");
}
