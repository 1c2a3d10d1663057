import { readFileSync } from "node:fs";
import { describe, expect, it } from "vitest";
import { byOnset, byPageRank, pageRank } from "#core/correlation/baselines";
import { HarmGraph } from "#core/correlation/harm";

// NetworkX 3.6.1, networkx.pagerank with personalisation and weights; fixtures/pagerank.py makes the file.
const { cases } = JSON.parse(readFileSync(new URL("./fixtures/pagerank.json", import.meta.url), "utf8")) as {
  cases: {
    seed: number;
    nodes: number;
    edges: [number, number, number][];
    start: [number, number][];
    rank: number[];
  }[];
};

describe("PageRank with a personal start", () => {
  it.each(cases.map((one) => [one.seed, one] as const))("is that of NetworkX on the graph of seed %i", (_seed, one) => {
    const rank = pageRank(
      Array.from({ length: one.nodes }, (_, node) => String(node)),
      one.edges.map(([from, to, weight]) => ({ from: String(from), to: String(to), weight })),
      new Map(one.start.map(([node, weight]) => [String(node), weight])),
    );
    for (const [node, expected] of one.rank.entries()) expect(rank.get(String(node))).toBeCloseTo(expected, 7);
  });
});

it("the plain guesses: what was noticed first, and what those that are hurt rely on together", () => {
  const graph = new HarmGraph([
    { from: "db", to: "a", way: "callee" },
    { from: "db", to: "b", way: "callee" },
  ]);
  const see = (node: string, onsetMs: number) => ({ node, nature: "slow" as const, strength: 1, onsetMs });
  expect(byOnset([see("b", 5), see("a", 3), see("a", 9)])).toEqual(["a", "b"]);
  expect(byPageRank(graph, [see("a", 3), see("b", 5)])[0]).toBe("db");
});
