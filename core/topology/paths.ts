import type { RelationType } from "../catalogue/kinds";
import type { EstateGraph } from "./graph";

/** Relations over which one thing needs another, in the direction of the need. */
export const NEEDS: ReadonlySet<RelationType> = new Set(["talks-to", "runs-on", "hosted-by", "stored-on", "wired-to"]);

/**
 * What lies so many steps from a component: above it what needs it, below it what it needs.
 * @param ends components that are reached but not passed: what many share would bring them all in
 */
export function reach(
  graph: EstateGraph,
  start: number,
  { up, down }: { up: number; down: number },
  ends: ReadonlySet<number> = new Set(),
): Set<number> {
  const walk = (steps: number, next: (id: number) => readonly number[]): Set<number> => {
    const seen = new Set([start]);
    let front = [start];
    for (let step = 0; step < steps && front.length; step++) {
      const following: number[] = [];
      for (const id of front)
        for (const other of next(id))
          if (!seen.has(other)) {
            seen.add(other);
            if (!ends.has(other)) following.push(other);
          }
      front = following;
    }
    return seen;
  };
  const needed = (id: number) => graph.from(id).flatMap((edge) => (NEEDS.has(edge.type) ? [edge.to] : []));
  const needing = (id: number) => graph.to(id).flatMap((edge) => (NEEDS.has(edge.type) ? [edge.from] : []));
  return new Set([...walk(up, needing), ...walk(down, needed)]);
}

/** How two components hang together. */
export interface Connection {
  /** Everything on a shortest way, both ends included. */
  ids: Set<number>;
  /** Relations from end to end. */
  steps: number;
  /** Along the direction of need from the first to the second, the other way round, or against it in between. */
  direction: "forward" | "backward" | "mixed";
}

/**
 * All shortest ways between two components (breadth first): along the direction of need where there is one, else
 * against it, else whichever way relations point. Undefined where nothing joins them.
 */
export function between(graph: EstateGraph, from: number, to: number): Connection | undefined {
  const forward = (id: number) => graph.from(id).flatMap((edge) => (NEEDS.has(edge.type) ? [edge.to] : []));
  const backward = (id: number) => graph.to(id).flatMap((edge) => (NEEDS.has(edge.type) ? [edge.from] : []));
  const ways = [
    ["forward", forward, backward],
    ["backward", backward, forward],
    ["mixed", (id: number) => [...forward(id), ...backward(id)], (id: number) => [...forward(id), ...backward(id)]],
  ] as const;
  for (const [direction, next, before] of ways) {
    const near = distances(from, next, to);
    const steps = near.get(to);
    if (steps === undefined) continue;
    // Back from the end over what is one step nearer to the beginning.
    const ids = new Set([to]);
    let front = [to];
    for (let left = steps - 1; left >= 0; left--) {
      front = [...new Set(front.flatMap((id) => before(id)).filter((id) => near.get(id) === left))];
      for (const id of front) ids.add(id);
    }
    return { ids, steps, direction };
  }
  return undefined;
}

/** Steps to everything that is no farther than the end. */
function distances(start: number, next: (id: number) => readonly number[], end: number): Map<number, number> {
  const near = new Map([[start, 0]]);
  let front = [start];
  for (let step = 1; front.length && !near.has(end); step++) {
    const following: number[] = [];
    for (const id of front)
      for (const other of next(id))
        if (!near.has(other)) {
          near.set(other, step);
          following.push(other);
        }
    front = following;
  }
  return near;
}
