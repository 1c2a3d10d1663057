import type { RelationType } from "../catalogue/kinds";

/** A relation as the graph computations need it. */
export interface Edge {
  type: RelationType;
  from: number;
  to: number;
}

export interface ServiceEntry {
  service: number;
  /** Components through which people or other services enter. */
  entries: number[];
  /** Members that people put in, whatever they talk to. */
  pinned?: readonly number[];
  /** Components that people left out; nothing is reached through them. */
  excluded?: ReadonlySet<number>;
  /** Whether it goes on from a component to one that it calls; left out, it always does. */
  follows?: (from: number, to: number) => boolean;
}

export interface ServiceExtent {
  service: number;
  members: Set<number>;
  /** Services whose entry points its members talk to. */
  reliesOn: Set<number>;
}

/** Relations over which trouble at one end is felt at the other. */
const CARRYING: ReadonlySet<RelationType> = new Set(["talks-to", "runs-on", "hosted-by"]);

/** Further relations over which trouble reaches a component. */
const HURTING: ReadonlySet<RelationType> = new Set(["stored-on", "wired-to"]);

/** The relations of one instant, both ways, to be asked again and again: what is worked out once is kept. */
export class EstateGraph {
  private readonly out = new Map<number, Edge[]>();
  private readonly into = new Map<number, Edge[]>();
  private readonly relied = new Map<number, ReadonlySet<number>>();

  constructor(edges: Iterable<Edge>) {
    for (const edge of edges) {
      push(this.out, edge.from, edge);
      push(this.into, edge.to, edge);
    }
  }

  /** Relations that begin at a component. */
  from(id: number): readonly Edge[] {
    return this.out.get(id) ?? [];
  }

  /** Relations that end at a component. */
  to(id: number): readonly Edge[] {
    return this.into.get(id) ?? [];
  }

  /** What carries a component, the nearest first: its container, its host, then the hypervisor under that. */
  carriersOf(id: number): number[] {
    const under = (at: number) =>
      this.from(at).flatMap((edge) => (edge.type === "runs-on" || edge.type === "hosted-by" ? edge.to : []));
    const chain: number[] = [];
    for (let at = id; chain.length < 8;) {
      const all = under(at);
      // A process runs on its host and in a container: that stands on the host too, so it is nearer.
      const next = all.find((one) => under(one).some((other) => all.includes(other))) ?? all[0];
      if (next === undefined || next === id || chain.includes(next)) break;
      chain.push((at = next));
    }
    return chain;
  }

  /**
   * Everything a component relies on, itself left out: what it reaches over `talks-to`, `runs-on` and `hosted-by`, the volumes and pools its data is on, and the switch each host
   * hangs on. Of the network one step only: beyond its own switch everything is wired to everything.
   */
  reliedOn(start: number): ReadonlySet<number> {
    const known = this.relied.get(start);
    if (known) return known;
    const seen = new Set<number>();
    const waiting = [start];
    while (waiting.length)
      for (const { type, to } of this.from(waiting.pop() as number)) {
        if (to === start || seen.has(to) || !(CARRYING.has(type) || HURTING.has(type))) continue;
        seen.add(to);
        if (type !== "wired-to") waiting.push(to);
      }
    this.relied.set(start, seen);
    return seen;
  }

  /**
   * What each service is made of: its entry points, everything they reach over `talks-to` without passing through an
   * entry point of another service, and what those run on. Reaching another service's entry makes it a service relied
   * on.
   */
  serviceExtents(services: readonly ServiceEntry[]): ServiceExtent[] {
    const serviceOfEntry = new Map<number, number>();
    for (const { service, entries } of services) for (const entry of entries) serviceOfEntry.set(entry, service);
    return services.map(({ service, entries, pinned = [], excluded, follows = () => true }) => {
      const own = new Set(entries);
      const members = new Set<number>();
      const reliesOn = new Set<number>();
      const waiting = [...entries];
      for (const id of pinned) {
        members.add(id);
        waiting.push(...this.carriersOf(id));
      }
      while (waiting.length) {
        const id = waiting.pop() as number;
        if (members.has(id) || excluded?.has(id)) continue;
        members.add(id);
        for (const { type, to } of this.from(id)) {
          if (type === "talks-to" && !follows(id, to)) continue;
          const other = type === "talks-to" && !own.has(to) ? serviceOfEntry.get(to) : undefined;
          if (other !== undefined) reliesOn.add(other);
          else if (CARRYING.has(type)) waiting.push(to);
        }
      }
      return { service, members, reliesOn };
    });
  }

  /**
   * The components within `steps` of the given ones, in either direction, over the named relation types.
   * @param ends components that are reached but not passed: what many share, such as a hypervisor, would bring them
   *   all in
   */
  neighbourhood(
    start: readonly number[],
    steps: number,
    types: ReadonlySet<RelationType>,
    ends: ReadonlySet<number> = new Set(),
  ): Set<number> {
    const seen = new Set(start);
    let front = [...start];
    for (let step = 0; step < steps; step++) {
      const following: number[] = [];
      const reach = (other: number) => {
        if (seen.has(other)) return;
        seen.add(other);
        if (!ends.has(other)) following.push(other);
      };
      for (const id of front) {
        for (const edge of this.from(id)) if (types.has(edge.type)) reach(edge.to);
        for (const edge of this.to(id)) if (types.has(edge.type)) reach(edge.from);
      }
      front = following;
    }
    return seen;
  }
}

function push(map: Map<number, Edge[]>, id: number, edge: Edge): void {
  const list = map.get(id);
  if (list) list.push(edge);
  else map.set(id, [edge]);
}

/** Services that rely, directly or through others, on the given one. */
export function reliantServices(service: number, reliesOn: ReadonlyMap<number, ReadonlySet<number>>): Set<number> {
  const result = new Set<number>();
  const waiting = [service];
  while (waiting.length) {
    const id = waiting.pop() as number;
    for (const [other, needs] of reliesOn) {
      if (needs.has(id) && !result.has(other) && other !== service) {
        result.add(other);
        waiting.push(other);
      }
    }
  }
  return result;
}
