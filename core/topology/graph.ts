import type { RelationType } from "../catalogue/kinds";

/** A relation as the graph computations need it. */
export interface Edge {
  type: RelationType;
  from: number;
  to: number;
}

/** Outgoing relations of each component. */
export function outgoing(edges: readonly Edge[]): Map<number, Edge[]> {
  const map = new Map<number, Edge[]>();
  for (const edge of edges) {
    const list = map.get(edge.from);
    if (list) list.push(edge);
    else map.set(edge.from, [edge]);
  }
  return map;
}

export interface ServiceEntry {
  service: number;
  /** Components through which people or other services enter. */
  entries: number[];
}

export interface ServiceExtent {
  service: number;
  members: Set<number>;
  /** Services whose entry points its members talk to. */
  reliesOn: Set<number>;
}

/**
 * What each service is made of: its entry points, everything they reach over `talks-to` without passing through an
 * entry point of another service, and what those run on. Reaching another service's entry makes it a service relied on.
 */
export function serviceExtents(services: readonly ServiceEntry[], edges: readonly Edge[]): ServiceExtent[] {
  const next = outgoing(edges);
  const serviceOfEntry = new Map<number, number>();
  for (const { service, entries } of services) for (const entry of entries) serviceOfEntry.set(entry, service);
  return services.map(({ service, entries }) => {
    const members = new Set<number>();
    const reliesOn = new Set<number>();
    const waiting = [...entries];
    while (waiting.length) {
      const id = waiting.pop() as number;
      if (members.has(id)) continue;
      members.add(id);
      for (const edge of next.get(id) ?? []) {
        if (edge.type === "talks-to") {
          const other = serviceOfEntry.get(edge.to);
          if (other !== undefined && other !== service) reliesOn.add(other);
          else waiting.push(edge.to);
        } else if (edge.type === "runs-on" || edge.type === "hosted-by") waiting.push(edge.to);
      }
    }
    return { service, members, reliesOn };
  });
}

/** Everything a component needs to work: what it reaches over `talks-to`, `runs-on` and `hosted-by`, itself left out. */
export function reliedOn(start: number, edges: readonly Edge[]): Set<number> {
  const next = outgoing(
    edges.filter((edge) => edge.type === "talks-to" || edge.type === "runs-on" || edge.type === "hosted-by"),
  );
  const seen = new Set<number>();
  const waiting = [start];
  while (waiting.length)
    for (const { to } of next.get(waiting.pop() as number) ?? [])
      if (to !== start && !seen.has(to)) {
        seen.add(to);
        waiting.push(to);
      }
  return seen;
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

/**
 * The relations' components within `steps` of the given ones, in either direction, over the named relation types.
 * @param ends components that are reached but not passed: what many share, such as a hypervisor, would bring them all in
 */
export function neighbourhood(
  start: readonly number[],
  edges: readonly Edge[],
  steps: number,
  types: ReadonlySet<RelationType>,
  ends: ReadonlySet<number> = new Set(),
): Set<number> {
  const near = new Map<number, number[]>();
  const add = (from: number, to: number) => {
    const list = near.get(from);
    if (list) list.push(to);
    else near.set(from, [to]);
  };
  for (const edge of edges) {
    if (!types.has(edge.type)) continue;
    add(edge.from, edge.to);
    add(edge.to, edge.from);
  }
  const seen = new Set(start);
  let front = [...start];
  for (let step = 0; step < steps; step++) {
    const following: number[] = [];
    for (const id of front)
      for (const other of near.get(id) ?? [])
        if (!seen.has(other)) {
          seen.add(other);
          if (!ends.has(other)) following.push(other);
        }
    front = following;
  }
  return seen;
}
