/**
 * Text as it is kept: at most so many characters, and well-formed. JavaScript's strings may hold halves of surrogate pairs,
 * which UTF-8 cannot say (Unicode 16, §3.9): two texts that differ here would be the same in the store.
 */
export function keptText(text: string, most: number): string {
  if (text.length <= most) return text.isWellFormed() ? text : text.toWellFormed();
  const cut = text.slice(0, most);
  const last = cut.charCodeAt(most - 1);
  // A pair that the cut would halve is left out whole.
  return (last >= 0xd800 && last <= 0xdbff ? cut.slice(0, -1) : cut).toWellFormed();
}
