import type { Evidence } from "./cause";
import { WAYS, type HarmGraph } from "./harm";

/** Nodes in the order in which trouble was noticed on them: the plainest guess at a cause. */
export function byOnset(evidence: readonly Evidence[]): string[] {
  const first = new Map<string, number>();
  for (const { node, onsetMs } of evidence)
    first.set(node, Math.min(first.get(node) ?? Number.POSITIVE_INFINITY, onsetMs));
  return [...first].sort((a, b) => a[1] - b[1] || (a[0] < b[0] ? -1 : 1)).map(([node]) => node);
}

/**
 * PageRank with a personal start (Page et al. 1999; Haveliwala 2002): the share of time that somebody spends at each
 * node who follows edges by their weights and starts again at random, by the weights of `start`. From a node without
 * edges one starts again.
 * @param damping chance of following an edge
 */
export function pageRank(
  nodes: readonly string[],
  edges: readonly { from: string; to: string; weight: number }[],
  start: ReadonlyMap<string, number>,
  damping = 0.85,
  tolerance = 1e-10,
): Map<string, number> {
  const total = nodes.reduce((sum, node) => sum + (start.get(node) ?? 0), 0);
  const jump = (node: string) => (total > 0 ? (start.get(node) ?? 0) / total : 1 / nodes.length);
  const out = new Map<string, { to: string; weight: number }[]>();
  for (const { from, to, weight } of edges) out.set(from, [...(out.get(from) ?? []), { to, weight }]);
  let rank = new Map(nodes.map((node) => [node, jump(node)]));
  for (let round = 0; round < 500; round++) {
    const next = new Map(nodes.map((node) => [node, 0]));
    let lost = 0;
    for (const node of nodes) {
      const own = rank.get(node) ?? 0;
      const list = out.get(node) ?? [];
      const sum = list.reduce((all, one) => all + one.weight, 0);
      if (sum === 0) lost += own;
      else for (const { to, weight } of list) next.set(to, (next.get(to) ?? 0) + (own * weight) / sum);
    }
    let moved = 0;
    for (const node of nodes) {
      const now = damping * ((next.get(node) ?? 0) + lost * jump(node)) + (1 - damping) * jump(node);
      moved += Math.abs(now - (rank.get(node) ?? 0));
      next.set(node, now);
    }
    rank = next;
    if (moved < tolerance * nodes.length) break;
  }
  return rank;
}

/**
 * Nodes by personalised PageRank on the graph of what is near the evidence (Wu et al. 2020, “MicroRCA”): one walks from
 * what is hurt towards what could have hurt it, and starts at what was noticed.
 */
export function byPageRank(graph: HarmGraph, evidence: readonly Evidence[]): string[] {
  const start = new Map<string, number>();
  for (const { node, strength } of evidence) start.set(node, (start.get(node) ?? 0) + strength);
  const nodes = graph.upstream(start.keys(), 3, 400);
  const inside = new Set(nodes);
  const edges = nodes.flatMap((node) =>
    graph
      .to(node)
      .flatMap(({ from, way }) => (inside.has(from) ? [{ from: node, to: from, weight: WAYS[way].carries }] : [])),
  );
  const rank = pageRank(nodes, edges, start);
  return [...rank].sort((a, b) => b[1] - a[1] || (a[0] < b[0] ? -1 : 1)).map(([node]) => node);
}
