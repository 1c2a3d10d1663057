/** A kit's note has up to twelve lines of four hundred characters. */
const MOST_LINES = 12;
const LONGEST_LINE = 400;

/** The lines of a note as kits have them, of a text that people wrote. */
export const noteLines = (text: string): string[] =>
  text
    .split("\n")
    .map((line) => line.trim().slice(0, LONGEST_LINE))
    .filter(Boolean)
    .slice(0, MOST_LINES);
