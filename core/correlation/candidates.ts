import type { Nature } from "../catalogue/metrics";
import type { Case, Evidence, Standing, Term } from "./cause";
import { bestOf, chanceOf, ownChance, showing, type Reach, type Way } from "./harm";

/** Of trouble that would have to come through something watched that shows none so much is believed. */
const THROUGH_WELL = 0.5;
/** Chance that calls which go badly do so by the fault of who makes them, beside what it is for those it answers. */
const OUTWARD = 0.4;
/** Chance that what runs out does so by the one that takes all that came on top. */
const DRAINS = 0.95;
/** Chance that what is hurt is not noticed: no alarm yet, too little load, a limit not reached. */
const UNNOTICED = 0.55;
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
/** What is in alarm itself is in trouble, whoever else is well. */
const MOST_AGAINST_ALARM = -4;
/** From this chance on a piece of evidence counts as explained. */
const EXPLAINED = 0.12;

type LessBy = NonNullable<Parameters<typeof bestOf>[1]>;
/** Trouble of a wire shows so seldom at the machines of a hypervisor that is wired by it. */
const WIRE_AT_GUESTS: LessBy = { hypervisor: showing("hypervisor", "network") };

/** Something that may be a cause, with what it would explain. */
export interface Candidate {
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

/**
 * What a node would explain as a cause, and what speaks for it and against it beside that.
 * @param isWell whether a node is watched and nothing is known against it
 */
export function look(node: string, given: Case, isWell: (node: string) => boolean): Candidate {
  const { graph, evidence, standingOf } = given;
  const own = evidence.filter((one) => one.node === node);
  const onsetMs = Math.min(...own.map((one) => one.onsetMs));
  // Broken frames are felt by what runs on the machines behind a port; the machines themselves look well.
  const leads = (from: string, way: Way) => graph.from(from).some((one) => one.way === way);
  const isOfWire = own.length > 0 && own.every((one) => one.nature === "network") && !leads(node, "switch");
  const looksWell = (other: string) => isWell(other) && !(isOfWire && leads(other, "host"));
  const reachOf = (from: string) => graph.reach(from, (other) => (looksWell(other) ? THROUGH_WELL : 1));
  const reach = reachOf(node);
  const { chances, tooEarly } = inTime(node, own, evidence, comingFrom(own, reach, reachOf));
  const explains = chances.flatMap((chance, index) => (chance >= EXPLAINED ? [index] : []));
  const { terms, prior } = standingTerms(standingOf(node), own.length > 0);
  if (tooEarly > 0) terms.push({ what: "late", weight: 0 });
  const well = wellBeside(
    reach,
    isWell,
    isOfWire ? WIRE_AT_GUESTS : {},
    own.some((one) => !one.isWeak),
  );
  if (well) terms.push(well);
  const others = explains.flatMap((index) => (evidence[index]?.node === node ? [] : (evidence[index] ?? [])));
  terms.push({ what: "explains", count: others.length, of: evidence.length - own.length, weight: others.length });
  const next = Math.min(...others.map((one) => one.onsetMs));
  if (onsetMs < next && Number.isFinite(next)) terms.push({ what: "first", byMs: next - onsetMs, weight: 0.5 });
  terms.sort((a, b) => Math.abs(b.weight) - Math.abs(a.weight));
  const touches = chances.flatMap((chance, index) => (chance > 0 ? [index] : []));
  return { node, chances, prior: prior + (well?.weight ?? 0), onsetMs, touches, explains, terms };
}

/**
 * The chance that trouble of a node comes to a piece of evidence elsewhere. What it takes most of runs short by it, and
 * may hurt others in turn as if it were that. How far it does is open: that they are well speaks against who runs short,
 * not against who takes it.
 */
function comingFrom(own: readonly Evidence[], reach: Reach, reachOf: (node: string) => Reach) {
  const drained = own.flatMap(({ node, drains, nature }) => {
    if (drains === undefined || drains.node === node) return [];
    const chance = DRAINS * drains.share;
    return [{ node: drains.node, nature, chance, arrivals: reachOf(drains.node).arrivals }];
  });
  return (one: Evidence): number =>
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
}

/** The chance of each piece of evidence by trouble of a node, less where it began at another time than that allows. */
function inTime(
  node: string,
  own: readonly Evidence[],
  evidence: readonly Evidence[],
  comesTo: (one: Evidence) => number,
): { chances: number[]; tooEarly: number } {
  const onsetMs = Math.min(...own.map((one) => one.onsetMs));
  const isCreeping = own.some((one) => CREEPS.has(one.nature));
  const tolerance = isCreeping ? CREEPING_MS : TOLERANCE_MS;
  const isLongAfter = (atMs: number) => !isCreeping && own.every((one) => one.onsetMs < atMs - LONG_AFTER_MS);
  let tooEarly = 0;
  const chances = evidence.map((one) => {
    const chance = one.node === node ? ownOf(one) : comesTo(one);
    if (chance === 0 || one.node === node || own.length === 0) return chance;
    if (isLongAfter(one.onsetMs)) return chance * LONG_AFTER;
    if (one.onsetMs >= onsetMs - tolerance) return chance;
    tooEarly++;
    return chance * TOO_EARLY;
  });
  return { chances, tooEarly };
}

/** What is known of a node beside the evidence, as terms, and the sum of those that count. */
function standingTerms(standing: Standing, isHit: boolean): { terms: Term[]; prior: number } {
  const terms: Term[] = [];
  let prior = Math.log(standing.weight);
  const add = (term: Term) => {
    terms.push(term);
    prior += term.weight;
  };
  if (isHit) add({ what: "own", weight: 0 });
  else if (standing.isWatched) add({ what: "silent", weight: SILENT });
  else prior += UNWATCHED;
  if (standing.change)
    add({ what: "change", ticketed: standing.change === "ticketed", weight: CHANGE[standing.change] });
  if (standing.past)
    add({ what: "past", count: standing.past, weight: Math.log(1 + PAST * Math.min(MOST_PAST, standing.past)) });
  if (standing.shape)
    add({ what: "shape", ...standing.shape, weight: SHAPE * (standing.shape.r - standing.shape.mean) });
  return { terms, prior };
}

/**
 * What is well although it would be hurt; undefined where nothing is.
 * @param isInAlarm whether there is an alarm on the node itself
 * @param lessBy ways over which trouble shows less than it carries
 */
function wellBeside(
  reach: Reach,
  isWell: (node: string) => boolean,
  lessBy: LessBy,
  isInAlarm: boolean,
): Term | undefined {
  const well = [...reach.likely].filter(isWell);
  if (well.length === 0) return undefined;
  const against = well.reduce(
    (sum, other) => sum + Math.log(1 - bestOf(reach.arrivals.get(other), lessBy) * (1 - UNNOTICED)),
    0,
  );
  return {
    what: "well",
    count: well.length,
    of: reach.likely.size,
    weight: Math.max(isInAlarm ? MOST_AGAINST_ALARM : MOST_AGAINST, against),
  };
}

/** All members of a set failing together for one reason, beside each of them by itself. */
export function setsOf(candidates: readonly Candidate[], { evidence, standingOf }: Case): Candidate[] {
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

const ownOf = ({ nature, isOutward }: Evidence) => ownChance(nature) * (isOutward ? OUTWARD : 1);
