import type { RelationType } from "../catalogue/kinds";

/** A component as the structure needs it: what it is called apart from where it runs tells who stands in for whom. */
export interface Part {
  id: number;
  /** Same program, other host: these stand in for each other. */
  label: string;
  kind: string;
}

export interface NeedEdge {
  id: number;
  type: RelationType;
  from: number;
  to: number;
}

/** What a component needs: of each set, at least one. */
export interface NeedSet {
  /** What the set is called: the label its members share. */
  label: string;
  /** Relation by which each is needed; the same relation only once. */
  any: readonly { relation: number; to: number }[];
}

/** Relations of which one is as good as another: a host on two switches needs one of them. */
const ANY_OF: ReadonlySet<RelationType> = new Set(["wired-to"]);
const ALL_OF: ReadonlySet<RelationType> = new Set(["runs-on", "hosted-by", "stored-on"]);

/** Who needs what, both ways, ready to be asked what fails with what. */
export class Structure {
  private readonly sets = new Map<number, NeedSet[]>();
  private readonly needing = new Map<number, Set<number>>();

  /**
   * What a component talks to is one set for each program: its instances stand in for each other. What carries it or
   * holds its data it needs whole; of the network, one way.
   */
  constructor(parts: ReadonlyMap<number, Part>, edges: Iterable<NeedEdge>) {
    const grouped = new Map<number, Map<string, { label: string; any: { relation: number; to: number }[] }>>();
    for (const { id, type, from, to } of edges) {
      const target = parts.get(to);
      if (!target || !parts.has(from) || from === to) continue;
      const key = ALL_OF.has(type)
        ? `${type} ${to}`
        : ANY_OF.has(type)
          ? `${type} ${target.kind}`
          : type === "talks-to"
            ? `${type} ${target.kind} ${target.label}`
            : undefined;
      if (key === undefined) continue;
      const sets = grouped.get(from) ?? new Map<string, { label: string; any: { relation: number; to: number }[] }>();
      grouped.set(from, sets);
      const set = sets.get(key) ?? { label: ANY_OF.has(type) ? "its network" : target.label, any: [] };
      sets.set(key, set);
      set.any.push({ relation: id, to });
      const needing = this.needing.get(to);
      if (needing) needing.add(from);
      else this.needing.set(to, new Set([from]));
    }
    for (const [id, sets] of grouped) this.sets.set(id, [...sets.values()]);
  }

  /** What a component needs, a set for each thing. */
  needsOf(id: number): readonly NeedSet[] {
    return this.sets.get(id) ?? [];
  }

  /** Everything a component needs, directly or through others. */
  closure(start: Iterable<number>): Set<number> {
    const seen = new Set(start);
    const waiting = [...seen];
    while (waiting.length)
      for (const { any } of this.needsOf(waiting.pop() as number))
        for (const { to } of any)
          if (!seen.has(to)) {
            seen.add(to);
            waiting.push(to);
          }
    return seen;
  }

  /**
   * What fails with some components or relations: step by step, whoever has nothing left of a set that it needs. What
   * has lost some of a set and not all is weakened.
   * @param within only these are followed, where others do not matter
   */
  impact(
    failed: Iterable<number>,
    cut: ReadonlySet<number> = new Set(),
    cutFrom: Iterable<number> = [],
    within?: ReadonlySet<number>,
  ): Impact {
    const down = new Map<number, Fallen>();
    const weakened = new Map<number, Weakened>();
    let front: number[] = [];
    for (const id of failed) {
      down.set(id, { step: 0, because: null });
      front.push(id);
    }
    const works = ({ relation, to }: NeedSet["any"][number]) => !cut.has(relation) && !down.has(to);
    const next = (): number[] => {
      const all = front.flatMap((id) => [...(this.needing.get(id) ?? [])]);
      return within ? all.filter((id) => within.has(id)) : all;
    };
    let affected = new Set([...cutFrom, ...next()]);
    for (let step = 1; affected.size; step++) {
      front = [];
      const fallen: [number, Fallen][] = [];
      for (const id of affected) {
        if (down.has(id)) continue;
        for (const { label, any } of this.needsOf(id)) {
          const left = any.filter(works).length;
          if (left === any.length) continue;
          if (left === 0) {
            fallen.push([id, { step, because: label }]);
            weakened.delete(id);
            break;
          }
          weakened.set(id, { label, lost: any.length - left, of: any.length });
        }
      }
      for (const [id, why] of fallen) {
        down.set(id, why);
        front.push(id);
      }
      affected = new Set(next());
    }
    for (const id of down.keys()) weakened.delete(id);
    return { down, weakened };
  }
}

export interface Fallen {
  /** 0 what failed first, then so many steps after it. */
  step: number;
  /** What it has nothing left of. */
  because: string | null;
}

export interface Weakened {
  label: string;
  lost: number;
  of: number;
}

export interface Impact {
  down: Map<number, Fallen>;
  weakened: Map<number, Weakened>;
}

/** How a service stands: its entry points in sets of the same program. */
export type Entrances = readonly { label: string; entries: readonly number[] }[];

/** Down with a set of entry points of which none is left; weakened where some are gone, or what an entry needs is. */
export function serviceState(entrances: Entrances, impact: Impact): "up" | "weakened" | "down" {
  let isWeak = false;
  for (const { entries } of entrances) {
    const gone = entries.filter((id) => impact.down.has(id)).length;
    if (entries.length && gone === entries.length) return "down";
    if (gone > 0 || entries.some((id) => impact.weakened.has(id))) isWeak = true;
  }
  return isWeak ? "weakened" : "up";
}

/** Components of which each alone brings a service down, with how many fall of what the service rests on. */
export function singlePoints(structure: Structure, entrances: Entrances): { id: number; takes: number }[] {
  const all = entrances.flatMap(({ entries }) => entries);
  // Whatever brings an entrance down comes through what it needs; who else falls is no matter here.
  const needed = structure.closure(all);
  return [...needed].flatMap((id) => {
    const impact = structure.impact([id], undefined, undefined, needed);
    return serviceState(entrances, impact) === "down" ? [{ id, takes: impact.down.size }] : [];
  });
}
