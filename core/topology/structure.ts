/** A directed graph by neighbours: what each node needs. Nodes that are only needed may be left out as keys. */
export type Needs = ReadonlyMap<number, readonly number[]>;

/**
 * Immediate dominators of everything reached from a root: the last node that every way from the root to it passes
 * (Cooper, Harvey and Kennedy 2001, "A Simple, Fast Dominance Algorithm"). The root dominates itself.
 */
export function dominators(needs: Needs, root: number): Map<number, number> {
  const order: number[] = [];
  const state = new Map<number, number>();
  // Postorder without recursion: estates can be deeper than a stack.
  const stack: [node: number, next: number][] = [[root, 0]];
  state.set(root, 1);
  while (stack.length) {
    const top = stack[stack.length - 1] as [number, number];
    const following = needs.get(top[0]) ?? [];
    const other = following[top[1]++];
    if (other === undefined) {
      stack.pop();
      order.push(top[0]);
    } else if (!state.has(other)) {
      state.set(other, 1);
      stack.push([other, 0]);
    }
  }
  const number = new Map(order.map((node, index) => [node, index]));
  const before = new Map<number, number[]>();
  for (const node of order)
    for (const other of needs.get(node) ?? []) {
      const list = before.get(other);
      if (list) list.push(node);
      else before.set(other, [node]);
    }
  const idom = new Map<number, number>([[root, root]]);
  const meet = (a: number, b: number): number => {
    let [one, other] = [a, b];
    while (one !== other) {
      while ((number.get(one) as number) < (number.get(other) as number)) one = idom.get(one) as number;
      while ((number.get(other) as number) < (number.get(one) as number)) other = idom.get(other) as number;
    }
    return one;
  };
  for (let changed = true; changed;) {
    changed = false;
    for (let index = order.length - 2; index >= 0; index--) {
      const node = order[index] as number;
      let found: number | undefined;
      for (const other of before.get(node) ?? [])
        if (idom.has(other)) found = found === undefined ? other : meet(found, other);
      if (found !== undefined && idom.get(node) !== found) {
        idom.set(node, found);
        changed = true;
      }
    }
  }
  return idom;
}

/**
 * Sets of nodes that all need each other, directly or through others, of two or more (strongly connected components,
 * Tarjan 1972, without recursion).
 */
export function cycles(needs: Needs): number[][] {
  const index = new Map<number, number>();
  const low = new Map<number, number>();
  const onPath = new Set<number>();
  const path: number[] = [];
  const found: number[][] = [];
  let next = 0;
  const enter = (node: number): [number, number] => {
    index.set(node, next);
    low.set(node, next++);
    path.push(node);
    onPath.add(node);
    return [node, 0];
  };
  for (const root of needs.keys()) {
    if (index.has(root)) continue;
    const stack = [enter(root)];
    while (stack.length) {
      const top = stack[stack.length - 1] as [number, number];
      const node = top[0];
      const other = (needs.get(node) ?? [])[top[1]++];
      if (other !== undefined) {
        if (!index.has(other)) stack.push(enter(other));
        else if (onPath.has(other)) low.set(node, Math.min(low.get(node) as number, index.get(other) as number));
        continue;
      }
      stack.pop();
      const above = stack[stack.length - 1]?.[0];
      if (above !== undefined) low.set(above, Math.min(low.get(above) as number, low.get(node) as number));
      if (low.get(node) !== index.get(node)) continue;
      const set: number[] = [];
      let last: number;
      do {
        last = path.pop() as number;
        onPath.delete(last);
        set.push(last);
      } while (last !== node);
      if (set.length > 1) found.push(set.sort((a, b) => a - b));
    }
  }
  return found;
}

/**
 * Articulation points of an undirected graph: nodes whose loss parts what hung together (Hopcroft and Tarjan 1973,
 * without recursion). Each pair is given once or twice, it does not matter.
 */
export function articulationPoints(pairs: Iterable<readonly [number, number]>): Set<number> {
  const beside = new Map<number, Set<number>>();
  const join = (a: number, b: number) => {
    const set = beside.get(a);
    if (set) set.add(b);
    else beside.set(a, new Set([b]));
  };
  for (const [a, b] of pairs)
    if (a !== b) {
      join(a, b);
      join(b, a);
    }
  const depth = new Map<number, number>();
  const low = new Map<number, number>();
  const points = new Set<number>();
  for (const root of beside.keys()) {
    if (depth.has(root)) continue;
    depth.set(root, 0);
    low.set(root, 0);
    let children = 0;
    const stack = [{ node: root, parent: -1, rest: [...(beside.get(root) as Set<number>)] }];
    while (stack.length) {
      const top = stack[stack.length - 1] as (typeof stack)[number];
      const other = top.rest.pop();
      if (other !== undefined) {
        if (other === top.parent) continue;
        const seen = depth.get(other);
        if (seen === undefined) {
          depth.set(other, stack.length);
          low.set(other, stack.length);
          stack.push({ node: other, parent: top.node, rest: [...(beside.get(other) as Set<number>)] });
        } else low.set(top.node, Math.min(low.get(top.node) as number, seen));
        continue;
      }
      stack.pop();
      const above = stack[stack.length - 1];
      if (!above) continue;
      low.set(above.node, Math.min(low.get(above.node) as number, low.get(top.node) as number));
      if (above.node === root) children++;
      else if ((low.get(top.node) as number) >= (depth.get(above.node) as number)) points.add(above.node);
    }
    if (children > 1) points.add(root);
  }
  return points;
}
