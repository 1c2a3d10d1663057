import type { Candidate } from "./candidates";
import type { Evidence } from "./cause";

/** Chance that an alarm comes by itself, without any of the roots; oddities too weak to alarm come more often. */
const BY_ITSELF = 0.02;
const ODD_BY_ITSELF = 0.2;
/** A further root must explain so much more, in logarithms of odds. */
const PENALTY = 2;
const MOST_ROOTS = 4;
/** An alarm that the roots explain less than this asks for a further root. */
export const LEFT = 0.15;
/** Scores and chances that differ by less are equal. */
export const SAME = 1e-9;

/** What some roots explain: the chance of each piece of evidence by noisy-or, what it is worth, and the sum of that. */
interface Explained {
  chances: Float64Array;
  gains: Float64Array;
  total: number;
}

const gainOf = (chance: number, { strength, isWeak }: Evidence) =>
  strength * Math.log(1 - (1 - (isWeak ? ODD_BY_ITSELF : BY_ITSELF)) * (1 - Math.min(1, chance)));

export function explainedBy(roots: readonly Candidate[], evidence: readonly Evidence[]): Explained {
  const chances = Float64Array.from(evidence, (_, index) => chanceBy(roots, index));
  const gains = Float64Array.from(evidence, (one, index) => gainOf(chances[index] as number, one));
  return { chances, gains, total: gains.reduce((sum, one) => sum + one, 0) };
}

export const chanceBy = (roots: readonly Candidate[], index: number) =>
  1 - roots.reduce((none, root) => none * (1 - (root.chances[index] ?? 0)), 1);

/** Logarithm of the odds of a candidate beside what is explained already. */
export function scoreOf(one: Candidate, evidence: readonly Evidence[], known: Explained): number {
  let sum = one.prior + known.total;
  for (const index of one.touches) {
    const before = known.chances[index] as number;
    const chance = 1 - (1 - before) * (1 - (one.chances[index] as number));
    sum += gainOf(chance, evidence[index] as Evidence) - (known.gains[index] as number);
  }
  return sum;
}

/** Names in the order in which things were made: what is numbered goes by its number. */
export const byName = (a: string, b: string): number => a.length - b.length || (a < b ? -1 : a > b ? 1 : 0);

/** Of two that explain as much, the one on which trouble began earlier; else the one of the lesser name. */
const earlier = (a: Candidate, b: Candidate): boolean =>
  a.onsetMs !== b.onsetMs ? a.onsetMs < b.onsetMs : byName(a.node, b.node) < 0;

/** Alarms that some roots leave over: a further root must explain one of them. */
const leftBy = (known: Explained, evidence: readonly Evidence[]): ReadonlySet<number> =>
  new Set(evidence.flatMap((one, index) => (!one.isWeak && (known.chances[index] as number) < LEFT ? [index] : [])));

const takesUp = (one: Candidate, leftOver: ReadonlySet<number>): boolean =>
  one.touches.some((index) => leftOver.has(index) && (one.chances[index] as number) >= 0.5);

/** The set of roots: the best one, then whatever gains more than the penalty and explains an alarm left over. */
export function findRoots(candidates: readonly Candidate[], evidence: readonly Evidence[]): Candidate[] {
  const roots: Candidate[] = [];
  while (roots.length < MOST_ROOTS) {
    const known = explainedBy(roots, evidence);
    const leftOver = leftBy(known, evidence);
    let best: Candidate | undefined;
    let most = Number.NEGATIVE_INFINITY;
    for (const one of candidates) {
      if (roots.includes(one)) continue;
      if (roots.length && !takesUp(one, leftOver)) continue;
      const score = scoreOf(one, evidence, known);
      if (score > most + SAME || (score > most - SAME && best && earlier(one, best))) {
        most = score;
        best = one;
      }
    }
    if (!best || (roots.length > 0 && most - known.total < PENALTY)) break;
    roots.push(best);
  }
  return settled(roots, candidates, evidence);
}

/** What each of some roots explains that the others do not; of a set as a whole. */
function weighed(roots: readonly Candidate[], evidence: readonly Evidence[]): Map<string, number> {
  const { total } = explainedBy(roots, evidence);
  return new Map(
    roots.map((root) => {
      const without = explainedBy(
        roots.filter((one) => one !== root),
        evidence,
      );
      return [root.node, Math.round((total - without.total) * 1e6) / 1e6];
    }),
  );
}

/** Members of a set are in no order of their own: they come after what is a root by itself. */
export const placeIn = (order: readonly string[], node: string): number => {
  const place = order.indexOf(node);
  return place < 0 ? order.length : place;
};

/** So likely must the trouble of a root be that of another for it to come after it. */
const OF_ANOTHER = 0.5;

/**
 * Roots in the order in which they are told: the one without which most is left over first. One that may be behind all
 * that is wrong with another, and has trouble of its own that is none of the other's doing, comes before it: broken
 * frames at the port of a host before what runs there.
 */
export function inOrder(roots: readonly Candidate[], evidence: readonly Evidence[]): string[] {
  const weights = weighed(roots, evidence);
  const left = roots.toSorted((a, b) => (weights.get(b.node) ?? 0) - (weights.get(a.node) ?? 0));
  const ownOf = (root: Candidate) =>
    Array.from(evidence.keys()).filter((index) => {
      const one = evidence[index] as Evidence;
      return one.node === root.node && !one.isWeak;
    });
  const isBehind = (root: Candidate, other: Candidate) => {
    const [own, its] = [ownOf(root), ownOf(other)];
    return (
      its.length > 0 &&
      its.every((index) => (root.chances[index] as number) >= OF_ANOTHER) &&
      own.some((index) => (other.chances[index] as number) < OF_ANOTHER)
    );
  };
  const order: Candidate[] = [];
  while (left.length > 0) {
    const next = left.find((one) => !left.some((other) => other !== one && isBehind(other, one))) ?? left[0];
    if (!next) break;
    order.push(next);
    left.splice(left.indexOf(next), 1);
  }
  return order.map((one) => one.node);
}

const MOST_ROUNDS = 3;

/**
 * The set after its members were looked at again beside each other: what was the best when it stood alone may be worse
 * than another once the rest is explained, or explain nothing more that is worth a root of its own.
 */
function settled(
  greedy: readonly Candidate[],
  candidates: readonly Candidate[],
  evidence: readonly Evidence[],
): Candidate[] {
  let roots = [...greedy];
  for (let round = 0; round < MOST_ROUNDS && roots.length > 1; round++) {
    let changed = false;
    for (const root of roots) {
      const others = roots.filter((one) => one !== root);
      if (others.length === roots.length) continue;
      const known = explainedBy(others, evidence);
      let best = root;
      let most = scoreOf(root, evidence, known);
      for (const one of candidates) {
        if (roots.includes(one)) continue;
        const score = scoreOf(one, evidence, known);
        if (score > most + SAME) {
          most = score;
          best = one;
        }
      }
      // Worth less than what a further root must gain: the others do without it.
      if (others.length > 0 && most - known.total < PENALTY) {
        roots = others;
        changed = true;
      } else if (best !== root) {
        roots = roots.map((one) => (one === root ? best : one));
        changed = true;
      }
    }
    if (!changed) break;
  }
  return roots;
}
