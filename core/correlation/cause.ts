import type { Nature } from "../catalogue/metrics";
import { look, setsOf, type Candidate } from "./candidates";
import type { HarmGraph } from "./harm";
import { byName, chanceBy, explainedBy, findRoots, inOrder, LEFT, placeIn, SAME, scoreOf } from "./roots";

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

const MOST_CANDIDATES = 400;
const STEPS = 3;
/** How sharply the sums of evidence are taken for probabilities; fitted on the drills, see docs/verdicts.md. */
const TEMPERATURE = 0.5;
/** “None of these” competes with as much as explaining each piece by itself would be worth. */
const NONE = -2;

/**
 * Ranks what may have caused the evidence: by how well a set of roots explains what is seen and what is not, by
 * noisy-or inference over the graph of who can hurt whom (after Bahl et al. 2007, “Towards highly reliable enterprise
 * network services via inference of multi-level dependencies”), with a greedy search for further roots whose set is then
 * settled by exchange. Roots come first, then what could stand in the place of one, each by probability.
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
