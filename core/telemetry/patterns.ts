/**
 * Log patterns by a parse tree of fixed depth, after He, Zhu, Zheng and Lyu, "Drain: an online log parsing approach
 * with fixed depth tree" (ICWS 2017): lines are sorted by how many words they have and by their first words, then
 * joined to the group most like them, whose differing words become gaps. Numbers and long hexadecimal runs are gaps
 * from the start.
 */

export const GAP = "<*>";
/** Lines are compared by at most this many words; the rest of longer ones is left out. */
const MOST_WORDS = 64;
/** Levels of first words: with one, a line whose second word is a name stays one pattern. */
const LEVELS = 1;
/** Share of words that must be the same. */
const LIKENESS = 0.5;
/** Beyond this many different words on one level, further ones share a branch. */
const MOST_BRANCHES = 120;
const MOST_REMEMBERED = 20_000;

export interface Pattern {
  id: number;
  words: string[];
}

interface Branch {
  next: Map<string, Branch>;
  groups: Pattern[];
}

const VARIABLE =
  /0x[0-9a-fA-F]+|[0-9a-fA-F]{8}-[0-9a-fA-F-]{8,}|(?=[0-9a-fA-F]*\d)[0-9a-fA-F]{8,}|\d+(?:[.:,_/-]\d+)*/g;

/** The words of a line with numbers and identifiers replaced by gaps. */
export function maskedWords(line: string): string[] {
  const words = line.slice(0, 4096).split(/\s+/, MOST_WORDS + 1);
  if (words[0] === "") words.shift();
  if (words.at(-1) === "") words.pop();
  if (words.length > MOST_WORDS) words.length = MOST_WORDS;
  for (let index = 0; index < words.length; index++) {
    const word = words[index] as string;
    if (/\d/.test(word)) words[index] = word.replace(VARIABLE, GAP);
  }
  return words;
}

export type Learned = { pattern: Pattern; change: "none" | "new" | "wider" };

/** Learns patterns line by line. Ids are given by the caller, so that they can be kept. */
export class PatternTree {
  private readonly byLength = new Map<number, Branch>();
  /** Masked lines already placed: most lines repeat. */
  private readonly remembered = new Map<string, Pattern>();
  size = 0;

  constructor(private readonly nextId: () => number) {}

  /** Puts a pattern back that was learned before. */
  restore(id: number, text: string): void {
    const words = text.split(" ");
    this.leafOf(words).groups.push({ id, words });
    this.size++;
  }

  private leafOf(words: readonly string[]): Branch {
    let branch = this.byLength.get(words.length);
    if (!branch) this.byLength.set(words.length, (branch = { next: new Map(), groups: [] }));
    for (let level = 0; level < LEVELS && level < words.length; level++) {
      const word = words[level] as string;
      let key = word.includes(GAP) ? GAP : word;
      if (!branch.next.has(key) && branch.next.size >= MOST_BRANCHES) key = GAP;
      let next: Branch | undefined = branch.next.get(key);
      if (!next) branch.next.set(key, (next = { next: new Map(), groups: [] }));
      branch = next;
    }
    return branch;
  }

  /** The pattern of a line, learned now if it is of no known one. */
  learn(line: string): Learned {
    const words = maskedWords(line);
    const masked = words.join(" ");
    const known = this.remembered.get(masked);
    if (known) return { pattern: known, change: "none" };
    const leaf = this.leafOf(words);
    let best: Pattern | undefined;
    let bestLikeness = -1;
    for (const group of leaf.groups) {
      let same = 0;
      for (let index = 0; index < words.length; index++)
        if (group.words[index] === words[index] && words[index] !== GAP) same++;
      const likeness = words.length ? same / words.length : 1;
      if (likeness > bestLikeness) {
        bestLikeness = likeness;
        best = group;
      }
    }
    let change: Learned["change"] = "none";
    if (!best || (bestLikeness < LIKENESS && !fits(best.words, words))) {
      best = { id: this.nextId(), words: [...words] };
      leaf.groups.push(best);
      this.size++;
      change = "new";
    } else {
      for (let index = 0; index < words.length; index++)
        if (best.words[index] !== words[index] && best.words[index] !== GAP) {
          best.words[index] = GAP;
          change = "wider";
        }
    }
    if (this.remembered.size >= MOST_REMEMBERED) this.remembered.clear();
    this.remembered.set(masked, best);
    return { pattern: best, change };
  }
}

/** Whether a pattern with its gaps covers these words already. */
const fits = (pattern: readonly string[], words: readonly string[]) =>
  pattern.every((word, index) => word === GAP || word === words[index]);

export const patternText = (pattern: Pattern): string => pattern.words.join(" ");
