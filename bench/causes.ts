import { pageRank } from "#core/correlation/baselines";
import { rankCauses, type Evidence } from "#core/correlation/cause";
import { HarmGraph, type HarmEdge } from "#core/correlation/harm";
import type { Measurement } from "./measurement";

const HOSTS = 4000;
const PROCESSES = 16_000;
const CALLS = 36_000;
const INCIDENTS = 20;
const ALARMS = 1000;
const ODDITIES = 5000;

/** Numbers that look random and are the same in every run. */
function random(seed: number): () => number {
  let state = seed;
  return () => {
    state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
    return state / 2 ** 32;
  };
}

/** Who can hurt whom among 20,000 components with 60,000 relations: services of a hundred processes each. */
function estate(): HarmEdge[] {
  const next = random(7);
  const edges: HarmEdge[] = [];
  const both = (a: string, b: string, one: HarmEdge["way"], other: HarmEdge["way"]) =>
    edges.push({ from: b, to: a, way: one }, { from: a, to: b, way: other });
  for (let process = 0; process < PROCESSES; process++) both(`p${process}`, `h${process >> 2}`, "host", "process");
  for (let host = 0; host < HOSTS; host++) {
    both(`h${host}`, `v${host >> 4}`, "hypervisor", "guest");
    both(`h${host}`, `s${host >> 5}`, "switch", "wired");
  }
  for (let call = 0; call < CALLS; call++) {
    const service = Math.floor(next() * 160) * 100;
    // Calls lead from the front towards the stores.
    const caller = Math.floor(next() * 90);
    const callee = caller + 1 + Math.floor(next() * (99 - caller));
    both(`p${service + caller}`, `p${service + callee}`, "callee", "caller");
  }
  return edges;
}

/** What it costs to find the causes of a bad tick: 1,000 alarms and 5,000 oddities in 20 incidents. */
export function measureCauses(): Measurement[] {
  const edges = estate();
  const graph = new HarmGraph(edges);
  const next = random(11);
  const incidents = Array.from({ length: INCIDENTS }, (_, incident) => {
    const service = incident * 700;
    const piece = (isWeak: boolean): Evidence => {
      const process = service + Math.floor(next() * 100);
      const onHost = next() < 0.3;
      return {
        node: onHost ? `h${process >> 2}` : `p${process}`,
        nature: onHost ? "busy" : next() < 0.6 ? "slow" : "failing",
        strength: isWeak ? 0.5 : 1,
        onsetMs: Math.floor(next() * 300_000),
        isWeak,
      };
    };
    const of = (count: number, isWeak: boolean) => Array.from({ length: count / INCIDENTS }, () => piece(isWeak));
    // One for each nature on each subject, as the server gathers them.
    return [
      ...new Map(
        [...of(ODDITIES, true), ...of(ALARMS, false)].map((one) => [`${one.node} ${one.nature}`, one]),
      ).values(),
    ];
  });
  const timed = (work: () => void) => {
    const began = performance.now();
    work();
    return performance.now() - began;
  };
  const rank = () => {
    for (const evidence of incidents)
      rankCauses({ graph, evidence, standingOf: (node) => ({ weight: 1, isWatched: !node.startsWith("s") }) });
  };
  rank();
  const ms = timed(rank);
  const nodes = [...new Set(edges.flatMap(({ from, to }) => [from, to]))];
  const plain = timed(() =>
    pageRank(
      nodes,
      edges.map(({ from, to }) => ({ from, to, weight: 1 })),
      new Map([["p0", 1]]),
      0.85,
      1e-3,
    ),
  );
  return [
    {
      name: "causes of 1,000 alarms and 5,000 oddities in 20 incidents, among 20,000 components",
      value: ms,
      unit: "ms",
      better: "lower",
      target: 1000,
      reference: { name: "PageRank of the same graph, roughly", value: plain },
    },
  ];
}
