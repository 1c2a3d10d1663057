import type { Nature } from "../catalogue/metrics";
import { bestOf, chanceOf, ownChance, type HarmGraph } from "./harm";

/** Something that was noticed: an alarm, or an oddity too weak to be one. */
export interface Evidence {
  node: string;
  nature: Nature;
  /** How sure it is that something is wrong there, 0 to 1: an alarm is nearly 1, an oddity less. */
  strength: number;
  onsetMs: number;
  /** An oddity that raised no alarm. */
  isWeak?: boolean;
  /** Of calls that it makes: what answers them, or lies between, is likelier behind it than itself. */
  isOutward?: boolean;
  /** What it takes most of, so that others there go short; and its share of all that came on top, 0 to 1. */
  drains?: { node: string; share: number };
}

/** What is known of a node that may be a cause, beside its place in the graph. */
export interface Standing {
  /** Its usual chance of being the cause of trouble, beside that of others: by its kind. */
  weight: number;
  /** Something was changed on it just before, with a ticket that covers it or without. */
  change?: "ticketed" | "unticketed" | undefined;
  /** How many incidents that looked like this one it turned out to be the cause of, as people confirmed. */
  past?: number;
  /** Whether it is watched so closely that it would show trouble of its own: being well speaks against it. */
  isWatched: boolean;
  /** How much its own figure moves together with that of what is hurt. */
  shape?: Shape | undefined;
  /** Of what does the same work beside others, a name of them all: they may fail together for one reason. */
  set?: string | undefined;
}

/** How a figure of a candidate moves together with one of somebody hurt. */
export interface Shape {
  /** Correlation, −1 to 1. */
  r: number;
  /** The mean of that of all candidates of which it is known: all that is hurt by one thing moves together. */
  mean: number;
  /** By so much it is ahead; negative where it follows. */
  aheadMs: number;
  /** Whose figure that is, in words. */
  with: string;
}

export interface Case {
  graph: HarmGraph;
  evidence: readonly Evidence[];
  standingOf: (node: string) => Standing;
  /** Nodes that may be causes although they have no alarm; found from the evidence where it is left out. */
  candidates?: readonly string[];
}

/** A cause as it was ranked. */
export interface Cause {
  node: string;
  /** Probability that it is a cause of what is seen; of those that are no root, that it is the cause in place of one. */
  probability: number;
  /** One of the roots that explain the evidence best together. */
  isRoot: boolean;
  /** Indices of the evidence that it explains better than chance does. */
  explains: number[];
  /** Indices of evidence that nothing among the roots explains. */
  unexplained: number[];
  /** What counted for and against it, in logarithms of odds, largest first. */
  terms: Term[];
}

export type Term =
  | { what: "own"; weight: number }
  | { what: "explains"; count: number; of: number; weight: number }
  | { what: "first"; byMs: number; weight: number }
  | { what: "late"; weight: number }
  | { what: "change"; ticketed: boolean; weight: number }
  | ({ what: "shape"; weight: number } & Shape)
  | { what: "past"; count: number; weight: number }
  | { what: "well"; count: number; of: number; weight: number }
  | { what: "silent"; weight: number };

/** Chance that an alarm comes by itself, without any of the roots; oddities too weak to alarm come more often. */
const BY_ITSELF = 0.02;
const ODD_BY_ITSELF = 0.2;
/** Of trouble that would have to come through something watched that shows none so much is believed. */
const THROUGH_WELL = 0.5;
/** Chance that calls which go badly do so by the fault of who makes them, beside what it is for those it answers. */
const OUTWARD = 0.4;
/** Chance that what runs out does so by the one that takes all that came on top. */
const DRAINS = 0.95;
/** Chance that what is hurt is not noticed: no alarm yet, too little load, a limit not reached. */
const UNNOTICED = 0.55;
/** A further root must explain so much more, in logarithms of odds. */
const PENALTY = 2;
/** An alarm that the roots explain less than this asks for a further root. */
const LEFT = 0.15;
/** From this chance on a piece of evidence counts as explained. */
const EXPLAINED = 0.12;
/**
 * What begins earlier than its cause by more than the clocks and polls allow is hardly its effect. A level that creeps
 * up to its limit, as memory does, is told of long after its harm.
 */
const TOLERANCE_MS = 180_000;
const CREEPING_MS = 900_000;
const CREEPS: ReadonlySet<Nature> = new Set(["busy", "memory", "full", "storage", "device", "withheld", "queue"]);
const TOO_EARLY = 0.5;
/** What begins long after trouble that does not creep up on anybody is more likely the doing of something else. */
const LONG_AFTER_MS = 1_800_000;
const LONG_AFTER = 0.5;
const MOST_CANDIDATES = 400;
const STEPS = 3;
const MOST_ROOTS = 4;
const SAME = 1e-9;
/** Several that do the same work fail together less often than one by itself. */
const TOGETHER = -1.2;
/** Logarithms of odds for a change just before. */
const CHANGE = { ticketed: Math.log(4), unticketed: Math.log(10) } as const;
/** For each like incident that it was the cause of, up to three. */
const PAST = 2;
const MOST_PAST = 3;
/** For a figure that moves with that of what is hurt by so much more than those of others do: it says little. */
const SHAPE = 0.6;
/** For one that is watched and shows nothing of its own. */
const SILENT = Math.log(0.06);
/** For one that is not watched closely enough to show anything. */
const UNWATCHED = Math.log(0.5);
/** Neighbours that are well speak against it, but not without an end. */
const MOST_AGAINST = -8;
/** How sharply the sums of evidence are taken for probabilities; fitted on the drills, see docs/verdicts.md. */
const TEMPERATURE = 0.5;
/** “None of these” competes with as much as explaining each piece by itself would be worth. */
const NONE = -2;

/**
 * Ranks what may have caused the evidence: by how well a set of roots explains what is seen and what is not, by
 * noisy-or inference over the graph of who can hurt whom (after Bahl et al. 2007, “Towards highly reliable enterprise
 * network services via inference of multi-level dependencies”), with a greedy search for further roots whose set is then settled by exchange. Roots
 * come first, then what could stand in the place of one, each by probability.
 */
export function rankCauses(asked: Case, most = 10): Cause[] {
  // Always in the same order, for the sums and ties between equals to be the same however the evidence came.
  const places = Array.from(asked.evidence.keys()).sort((a, b) =>
    byPiece(asked.evidence[a] as Evidence, asked.evidence[b] as Evidence),
  );
  const given = (indices: readonly number[]) => indices.map((index) => places[index] as number).sort((a, b) => a - b);
  return rankOrdered({ ...asked, evidence: places.map((place) => asked.evidence[place] as Evidence) }, most).map(
    (one) => ({ ...one, explains: given(one.explains), unexplained: given(one.unexplained) }),
  );
}

/** Pieces of evidence by all that is known of them: two that are equal here are the same. */
const byPiece = (a: Evidence, b: Evidence): number =>
  byName(a.node, b.node) ||
  byName(a.nature, b.nature) ||
  a.onsetMs - b.onsetMs ||
  a.strength - b.strength ||
  Number(a.isWeak === true) - Number(b.isWeak === true) ||
  Number(a.isOutward === true) - Number(b.isOutward === true);

function rankOrdered(asked: Case, most: number): Cause[] {
  const { graph } = asked;
  if (asked.evidence.length === 0) return [];
  const evidence = shared(asked.evidence);
  const given = { ...asked, evidence, standingOf: withoutUnheard(asked) };
  const hit = new Set(evidence.map((one) => one.node));
  const well = new Map<string, boolean>();
  const isWell = (node: string) => {
    let known = well.get(node);
    if (known === undefined) well.set(node, (known = !hit.has(node) && given.standingOf(node).isWatched));
    return known;
  };
  const single = (given.candidates ?? graph.upstream(hit, STEPS, MOST_CANDIDATES)).map((node) =>
    look(node, given, isWell),
  );
  const candidates = [...single, ...setsOf(single, given)];
  const roots = findRoots(candidates, evidence);
  const [first] = roots;
  if (!first) return [];
  const causes = new Map<string, Cause>();
  const order = inOrder(roots, evidence);
  const missing = Array.from(evidence.keys()).filter((index) => chanceBy(roots, index) < LEFT);
  // Each root against everything that could stand in its place.
  for (const root of roots) {
    const others = roots.filter((one) => one !== root);
    const known = explainedBy(others, evidence);
    const scored = candidates
      .filter((one) => !others.includes(one))
      .map((one) => [one, scoreOf(one, evidence, known)] as const);
    const nobody = known.total;
    const top = scored.reduce((most, [, score]) => Math.max(most, score), nobody + NONE);
    const shares = scored.map(([one, score]) => [one, Math.exp((score - top) / TEMPERATURE)] as const);
    const all = shares.reduce((sum, [, share]) => sum + share, Math.exp((nobody + NONE - top) / TEMPERATURE));
    for (const [one, share] of shares) {
      const probability = share / all;
      const before = causes.get(one.node);
      if (before && (before.isRoot || before.probability >= probability) && one !== root) continue;
      causes.set(one.node, {
        node: one.node,
        probability: Math.max(probability, before?.probability ?? 0),
        isRoot: roots.includes(one),
        explains: one.explains,
        unexplained: missing,
        terms: one.terms,
      });
    }
  }
  return [...membersOf(causes, candidates).values()]
    .filter((one) => one.isRoot || one.explains.length > 0)
    .sort(
      (a, b) =>
        Number(b.isRoot) - Number(a.isRoot) ||
        (a.isRoot && b.isRoot ? placeIn(order, a.node) - placeIn(order, b.node) : 0) ||
        (Math.abs(b.probability - a.probability) > SAME ? b.probability - a.probability : 0) ||
        byName(a.node, b.node),
    )
    .slice(0, most);
}

/**
 * Several pieces of one kind about one thing, as of each of its operations, are no independent witnesses: together they
 * count as the strongest of them. Else whatever answers by many operations would explain itself best.
 */
function shared(evidence: readonly Evidence[]): Evidence[] {
  const keyOf = ({ node, nature }: Evidence) => `${node} ${nature}`;
  const alike = new Map<string, { most: number; sum: number }>();
  for (const one of evidence) {
    const known = alike.get(keyOf(one)) ?? { most: 0, sum: 0 };
    alike.set(keyOf(one), { most: Math.max(known.most, one.strength), sum: known.sum + one.strength });
  }
  return evidence.map((one) => {
    const { most, sum } = alike.get(keyOf(one)) ?? { most: 1, sum: 1 };
    return sum > 0 ? { ...one, strength: (one.strength * most) / sum } : one;
  });
}

/** What runs on a host that does not respond is not well because nothing is heard of it: it is not watched any more. */
function withoutUnheard({ graph, evidence, standingOf }: Case): Case["standingOf"] {
  const unheard = new Set(
    evidence.flatMap(({ node, nature, isWeak }) =>
      nature === "down" && !isWeak ? graph.from(node).flatMap((edge) => (edge.way === "host" ? edge.to : [])) : [],
    ),
  );
  return unheard.size === 0
    ? standingOf
    : (node) => (unheard.has(node) ? { ...standingOf(node), isWatched: false } : standingOf(node));
}

interface Candidate {
  node: string;
  /** Set where it stands for several that fail together. */
  members?: readonly string[];
  /** Chance by evidence that it shows there. */
  chances: number[];
  /** Logarithm of the odds for it, whatever it explains. */
  prior: number;
  /** When trouble began on it; infinite where none was noticed. */
  onsetMs: number;
  /** Places of the evidence at which it has any chance to show. */
  touches: number[];
  explains: number[];
  terms: Term[];
}

/** @param isWell whether a node is watched and nothing is known against it */
function look(node: string, { graph, evidence, standingOf }: Case, isWell: (node: string) => boolean): Candidate {
  const standing = standingOf(node);
  const own = evidence.filter((one) => one.node === node);
  const ownOnset = own.length ? Math.min(...own.map((one) => one.onsetMs)) : undefined;
  const isCreeping = own.some((one) => CREEPS.has(one.nature));
  const tolerance = isCreeping ? CREEPING_MS : TOLERANCE_MS;
  const isLongAfter = (atMs: number) => !isCreeping && own.every((one) => one.onsetMs < atMs - LONG_AFTER_MS);
  let tooEarly = 0;
  const reachOf = (from: string) => graph.reach(from, (other) => (isWell(other) ? THROUGH_WELL : 1));
  const reach = reachOf(node);
  // What it takes most of runs short by it, and may hurt others in turn as if it were that. How far it does is open: that
  // they are well speaks against who runs short, not against who takes it.
  const drained = own.flatMap(({ drains, nature }) => {
    if (drains === undefined || drains.node === node) return [];
    const chance = DRAINS * drains.share;
    return [{ node: drains.node, nature, chance, arrivals: reachOf(drains.node).arrivals }];
  });
  const comesTo = (one: Evidence) =>
    Math.max(
      chanceOf(reach.arrivals.get(one.node), one.nature),
      ...drained.map((by) =>
        one.node !== by.node
          ? by.chance * chanceOf(by.arrivals.get(one.node), one.nature)
          : one.nature === by.nature
            ? by.chance * ownOf(one)
            : 0,
      ),
    );
  const chances = evidence.map((one) => {
    const chance = one.node === node ? ownOf(one) : comesTo(one);
    if (chance === 0 || one.node === node || ownOnset === undefined) return chance;
    if (isLongAfter(one.onsetMs)) return chance * LONG_AFTER;
    if (one.onsetMs >= ownOnset - tolerance) return chance;
    tooEarly++;
    return chance * TOO_EARLY;
  });
  const explains = chances.flatMap((chance, index) => (chance >= EXPLAINED ? [index] : []));
  const terms: Term[] = [];
  let prior = Math.log(standing.weight);
  const add = (term: Term) => {
    terms.push(term);
    prior += term.weight;
  };
  if (own.length) terms.push({ what: "own", weight: 0 });
  else if (standing.isWatched) add({ what: "silent", weight: SILENT });
  else prior += UNWATCHED;
  if (standing.change)
    add({ what: "change", ticketed: standing.change === "ticketed", weight: CHANGE[standing.change] });
  if (standing.past)
    add({ what: "past", count: standing.past, weight: Math.log(1 + PAST * Math.min(MOST_PAST, standing.past)) });
  if (standing.shape)
    add({ what: "shape", ...standing.shape, weight: SHAPE * (standing.shape.r - standing.shape.mean) });
  if (tooEarly > 0) terms.push({ what: "late", weight: 0 });
  // What is well although it would be hurt.
  let against = 0;
  let well = 0;
  let near = 0;
  for (const other of reach.likely) {
    near++;
    if (!isWell(other)) continue;
    well++;
    against += Math.log(1 - bestOf(reach.arrivals.get(other)) * (1 - UNNOTICED));
  }
  if (well > 0) add({ what: "well", count: well, of: near, weight: Math.max(MOST_AGAINST, against) });
  const count = explains.filter((index) => evidence[index]?.node !== node).length;
  terms.push({
    what: "explains",
    count,
    of: evidence.length - own.length,
    weight: count,
  });
  const others = explains.flatMap((index) => (evidence[index]?.node === node ? [] : (evidence[index]?.onsetMs ?? [])));
  if (ownOnset !== undefined && others.length && ownOnset < Math.min(...others))
    terms.push({ what: "first", byMs: Math.min(...others) - ownOnset, weight: 0.5 });
  terms.sort((a, b) => Math.abs(b.weight) - Math.abs(a.weight));
  const touches = chances.flatMap((chance, index) => (chance > 0 ? [index] : []));
  return { node, chances, prior, onsetMs: ownOnset ?? Number.POSITIVE_INFINITY, touches, explains, terms };
}

/** All members of a set failing together for one reason, beside each of them by itself. */
function setsOf(candidates: readonly Candidate[], { evidence, standingOf }: Case): Candidate[] {
  const sets = new Map<string, Candidate[]>();
  for (const one of candidates) {
    const { set } = standingOf(one.node);
    if (set !== undefined) sets.set(set, [...(sets.get(set) ?? []), one]);
  }
  return [...sets].flatMap(([set, members]): Candidate[] => {
    if (members.length < 2) return [];
    // What one of them would do, all do: a thing beyond them that all rely on is reckoned by its best way too.
    const chances = evidence.map((_, index) => Math.max(...members.map((one) => one.chances[index] ?? 0)));
    const explains = chances.flatMap((chance, index) => (chance >= EXPLAINED ? [index] : []));
    return [
      {
        node: `set:${set}`,
        members: members.map((one) => one.node),
        chances,
        prior: members.reduce((sum, one) => sum + one.prior, 0) / members.length + TOGETHER,
        onsetMs: Math.min(...members.map((one) => one.onsetMs)),
        touches: chances.flatMap((chance, index) => (chance > 0 ? [index] : [])),
        explains,
        terms: [],
      },
    ];
  });
}

/** Causes with the members of sets in place of those: a member is a cause by itself, or with the others. */
function membersOf(causes: ReadonlyMap<string, Cause>, candidates: readonly Candidate[]): Map<string, Cause> {
  const byNode = new Map(candidates.map((one) => [one.node, one]));
  const result = new Map<string, Cause>();
  for (const cause of causes.values()) if (!byNode.get(cause.node)?.members) result.set(cause.node, cause);
  for (const cause of causes.values())
    for (const node of byNode.get(cause.node)?.members ?? []) {
      const own = byNode.get(node) as Candidate;
      if (!own.explains.length) continue;
      const known = result.get(node);
      result.set(node, {
        node,
        probability: Math.min(1, (known?.probability ?? 0) + cause.probability),
        isRoot: cause.isRoot || known?.isRoot === true,
        explains: own.explains,
        unexplained: cause.unexplained,
        terms: own.terms,
      });
    }
  return result;
}

const ownOf = ({ nature, isOutward }: Evidence) => ownChance(nature) * (isOutward ? OUTWARD : 1);

/** What some roots explain: the chance of each piece of evidence by noisy-or, what it is worth, and the sum of that. */
interface Explained {
  chances: Float64Array;
  gains: Float64Array;
  total: number;
}

const gainOf = (chance: number, { strength, isWeak }: Evidence) =>
  strength * Math.log(1 - (1 - (isWeak ? ODD_BY_ITSELF : BY_ITSELF)) * (1 - Math.min(1, chance)));

function explainedBy(roots: readonly Candidate[], evidence: readonly Evidence[]): Explained {
  const chances = Float64Array.from(evidence, (_, index) => chanceBy(roots, index));
  const gains = Float64Array.from(evidence, (one, index) => gainOf(chances[index] as number, one));
  return { chances, gains, total: gains.reduce((sum, one) => sum + one, 0) };
}

const chanceBy = (roots: readonly Candidate[], index: number) =>
  1 - roots.reduce((none, root) => none * (1 - (root.chances[index] ?? 0)), 1);

/** Logarithm of the odds of a candidate beside what is explained already. */
function scoreOf(one: Candidate, evidence: readonly Evidence[], known: Explained): number {
  let sum = one.prior + known.total;
  for (const index of one.touches) {
    const before = known.chances[index] as number;
    const chance = 1 - (1 - before) * (1 - (one.chances[index] as number));
    sum += gainOf(chance, evidence[index] as Evidence) - (known.gains[index] as number);
  }
  return sum;
}

/** Names in the order in which things were made: what is numbered goes by its number. */
const byName = (a: string, b: string): number => a.length - b.length || (a < b ? -1 : a > b ? 1 : 0);

/** Of two that explain as much, the one on which trouble began earlier; else the one of the lesser name. */
const earlier = (a: Candidate, b: Candidate): boolean =>
  a.onsetMs !== b.onsetMs ? a.onsetMs < b.onsetMs : byName(a.node, b.node) < 0;

/** Alarms that some roots leave over: a further root must explain one of them. */
const leftBy = (known: Explained, evidence: readonly Evidence[]): ReadonlySet<number> =>
  new Set(evidence.flatMap((one, index) => (!one.isWeak && (known.chances[index] as number) < LEFT ? [index] : [])));

const takesUp = (one: Candidate, leftOver: ReadonlySet<number>): boolean =>
  one.touches.some((index) => leftOver.has(index) && (one.chances[index] as number) >= 0.5);

/** The set of roots: the best one, then whatever gains more than the penalty and explains an alarm left over. */
function findRoots(candidates: readonly Candidate[], evidence: readonly Evidence[]): Candidate[] {
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
const placeIn = (order: readonly string[], node: string): number => {
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
function inOrder(roots: readonly Candidate[], evidence: readonly Evidence[]): string[] {
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
