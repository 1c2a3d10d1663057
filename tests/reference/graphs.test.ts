import { readFileSync } from "node:fs";
import { join } from "node:path";
import { describe, expect, it } from "vitest";
import { articulationPoints, cycles, dominators } from "#core/topology/structure";

// NetworkX 3.6.1 on Zachary's karate club (Zachary 1977) and on seeded random graphs; fixtures/graphs.py makes the file.
const { cases } = JSON.parse(readFileSync(join(import.meta.dirname, "fixtures", "graphs.json"), "utf8")) as {
  cases: {
    name: string;
    edges: [number, number][];
    root: number;
    articulation: number[];
    dominators: [number, number][];
    cycles: number[][];
  }[];
};

const needsOf = (edges: readonly [number, number][]) => {
  const needs = new Map<number, number[]>();
  for (const [from, to] of edges) needs.set(from, [...(needs.get(from) ?? []), to]);
  return needs;
};

describe.each(cases)("$name", ({ edges, root, articulation, dominators: dominated, cycles: parts }) => {
  it("has the articulation points that NetworkX finds", () => {
    expect([...articulationPoints(edges)].sort((a, b) => a - b)).toEqual(articulation);
  });
  it("has its immediate dominators", () => {
    expect([...dominators(needsOf(edges), root)].sort(([a], [b]) => a - b)).toEqual(dominated);
  });
  it("has its strongly connected components", () => {
    const own = cycles(needsOf(edges)).sort((a, b) => (a[0] as number) - (b[0] as number));
    expect(own).toEqual(parts);
  });
});

it("finds the one articulation point of the karate club that is published with it", () => {
  expect([...articulationPoints(cases[0]?.edges ?? [])]).toEqual([0]);
});
