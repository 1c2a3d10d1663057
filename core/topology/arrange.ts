import { severityRank, type Severity } from "../alarms/severity";

/** What something is gathered by: its value for sorting and addresses, and how that is said. */
export interface Trait {
  value: string;
  label: string;
  /** Traits are listed by this first, by their labels after it. */
  rank?: number;
}

/** Something that can be gathered: one trait for each attribute it may be arranged by. */
export interface Arranged {
  id: string;
  severity: Severity;
  /** Attribute to trait; what lacks it goes to a group of those without. */
  traits: ReadonlyMap<string, Trait>;
}

/** Things with the same trait, and inside them those that share the next one too. */
export interface Group<Thing extends Arranged> {
  /** Address of the group: the values of its attributes from the outside in, each escaped, joined by "/". */
  key: string;
  attribute: string;
  label: string;
  members: Thing[];
  /** Empty at the innermost level. */
  groups: Group<Thing>[];
}

/** How the members of a group are, counted. */
export interface Tally {
  members: number;
  unwell: number;
  worst: Severity;
  /** The member that is worst, first by name where several are. */
  worstId: string | null;
  /** Severities other than cleared with their counts, worst first. */
  of: readonly (readonly [Severity, number])[];
}

/** What would part a key, or the parts of a relation's name, escaped. */
const part = (value: string): string =>
  value.replaceAll(/[%/~]/g, (sign) => (sign === "~" ? "%7E" : encodeURIComponent(sign)));

/**
 * Gathers things by one attribute after another. Groups are in order of rank and label, members in the order given,
 * and each thing is in exactly one innermost group, so that counts add up.
 */
export function arrange<Thing extends Arranged>(
  things: readonly Thing[],
  attributes: readonly string[],
  above = "",
): Group<Thing>[] {
  const [attribute, ...further] = attributes;
  if (attribute === undefined) return [];
  const found = new Map<string, { trait: Trait; members: Thing[] }>();
  for (const thing of things) {
    const trait = thing.traits.get(attribute) ?? { value: "", label: `No ${attribute}`, rank: Number.MAX_SAFE_INTEGER };
    const group = found.get(trait.value);
    if (group) group.members.push(thing);
    else found.set(trait.value, { trait, members: [thing] });
  }
  return [...found.values()]
    .sort((a, b) => (a.trait.rank ?? 0) - (b.trait.rank ?? 0) || a.trait.label.localeCompare(b.trait.label))
    .map(({ trait, members }) => {
      const key = `${above}${above ? "/" : ""}${attribute}:${part(trait.value)}`;
      return { key, attribute, label: trait.label, members, groups: arrange(members, further, key) };
    });
}

/** How many of some things there are, how many are unwell, and of what severity. */
export function tally(things: readonly Pick<Arranged, "id" | "severity">[]): Tally {
  const counts = new Map<Severity, number>();
  let worst: Pick<Arranged, "id" | "severity"> | undefined;
  for (const thing of things) {
    if (thing.severity === "cleared") continue;
    counts.set(thing.severity, (counts.get(thing.severity) ?? 0) + 1);
    if (!worst || severityRank(thing.severity) > severityRank(worst.severity)) worst = thing;
  }
  const of = [...counts].sort(([a], [b]) => severityRank(b) - severityRank(a));
  return {
    members: things.length,
    unwell: of.reduce((sum, [, count]) => sum + count, 0),
    worst: worst?.severity ?? "cleared",
    worstId: worst?.id ?? null,
    of,
  };
}

/** One thing that is drawn: a group that is folded or open, or a thing by itself. */
export interface Visible<Thing extends Arranged> {
  id: string;
  group?: Group<Thing>;
  thing?: Thing;
  /** Of an open group: what is drawn in it, and how many members found no room. */
  inside?: Visible<Thing>[];
  left?: number;
}

export interface Folding {
  /** Keys of groups that are open. */
  open: ReadonlySet<string>;
  /** Members drawn one by one in an open group; of more, those that are gathered further. */
  most: number;
  /** Attributes that an open group of many is gathered by further, the first that tells its members apart. */
  further: readonly string[];
}

const FEW = 12;

/**
 * What is drawn of groups: folded ones as one thing, open ones with what is in them. An open group of more than `most`
 * members is gathered further by the first attribute that tells them apart; where none does, the worst are drawn.
 */
export function unfold<Thing extends Arranged>(groups: readonly Group<Thing>[], folding: Folding): Visible<Thing>[] {
  return groups.map((group): Visible<Thing> => {
    const id = `g${group.key}`;
    const [only, second] = group.members;
    // A group of one says less than its member.
    if (only && !second) return { id: only.id, thing: only };
    if (!folding.open.has(group.key)) return { id, group };
    // Where the next attribute does not tell members apart, a step is saved if they are few.
    if (group.groups.length > 1 || (group.groups.length === 1 && group.members.length > FEW))
      return { id, group, inside: unfold(group.groups, folding) };
    return { id, group, ...insideOf(group, folding) };
  });
}

function insideOf<Thing extends Arranged>({ key, members }: Group<Thing>, folding: Folding) {
  if (members.length > folding.most)
    for (const attribute of folding.further) {
      if (key.includes(`${attribute}:`)) continue;
      const groups = arrange(members, [attribute], key);
      if (groups.length > 1) return { inside: unfold(groups, folding) };
    }
  const drawn = members.length > folding.most ? worstFirst(members).slice(0, folding.most) : members;
  return {
    inside: drawn.map((thing) => ({ id: thing.id, thing })),
    left: members.length - drawn.length,
  };
}

const worstFirst = <Thing extends Arranged>(members: readonly Thing[]): Thing[] =>
  [...members].sort((a, b) => severityRank(b.severity) - severityRank(a.severity));

/** Where each thing is drawn: as itself, or as the innermost drawn group that holds it. */
export function drawnAs<Thing extends Arranged>(visible: readonly Visible<Thing>[]): Map<string, string> {
  const places = new Map<string, string>();
  const walk = (list: readonly Visible<Thing>[]) => {
    for (const one of list) {
      for (const member of one.group?.members ?? []) places.set(member.id, one.id);
      if (one.thing) places.set(one.thing.id, one.id);
      if (one.inside) walk(one.inside);
    }
  };
  walk(visible);
  return places;
}

/** A relation between two things, with what went over it. */
export interface Link {
  type: string;
  from: string;
  to: string;
  /** Connections seen. */
  connections: number;
  /** Calls and failures in the window, where signals know them. */
  calls?: number;
  failed?: number;
  /** Bit/s both ways at the instant, where a port tells of them. */
  traffic?: number;
}

export interface SummedLink extends Required<Link> {
  /** Relations it stands for. */
  relations: number;
}

/**
 * Relations between what is drawn: those of the members of folded groups added up by type and direction; what stays
 * inside one drawn thing is left out.
 */
export function sumLinks(links: Iterable<Link>, places: ReadonlyMap<string, string>): SummedLink[] {
  const sums = new Map<string, SummedLink>();
  for (const { type, from, to, connections, calls = 0, failed = 0, traffic = 0 } of links) {
    const [source, target] = [places.get(from), places.get(to)];
    if (source === undefined || target === undefined || source === target) continue;
    const key = `${type}\n${source}\n${target}`;
    const sum = sums.get(key);
    if (sum) {
      sum.connections += connections;
      sum.calls += calls;
      sum.failed += failed;
      sum.traffic += traffic;
      sum.relations++;
    } else sums.set(key, { type, from: source, to: target, connections, calls, failed, traffic, relations: 1 });
  }
  return [...sums.values()];
}
