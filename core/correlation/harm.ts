import { metricInfo, splitMetric, type MetricInfo, type Nature } from "../catalogue/metrics";

const BY_USE: Readonly<Record<NonNullable<MetricInfo["uses"]>, Nature>> = {
  cpu: "busy",
  memory: "memory",
  disk: "full",
  reach: "down",
};

/** The nature of what is wrong where a metric is out of its bounds. */
export function natureOf(metric: string): Nature {
  const info = metricInfo(splitMetric(metric).base);
  return info.nature ?? (info.uses ? BY_USE[info.uses] : info.unit === "0/1" ? "down" : "other");
}

/** How trouble gets from one thing to another: named by what the source of it is to the other. */
export type Way =
  /** Who calls suffers from what answers. */
  | "callee"
  /** What answers suffers from what asks too much, or takes nothing from it. */
  | "caller"
  | "host"
  | "process"
  | "hypervisor"
  | "guest"
  | "volume"
  | "writer"
  | "switch"
  | "wired"
  /** Of two switches that are wired to each other either may be the one that leads on: nobody says which. */
  | "trunk"
  /** A service suffers from where it is entered. */
  | "entry"
  /** Who calls over a line between two sites suffers from it. */
  | "line"
  /** What stands at the end of a line cannot be reached where it is cut. */
  | "beyond"
  /** One of the switches of both sites, nobody says which, tells of the errors of the line at its port. */
  | "end";

interface Passing {
  /** Probability that trouble goes on over it, whatever its nature. */
  carries: number;
  /** Probability that it shows as this at the other end, once it is there; `rest` for natures that are not named. */
  shows: Partial<Record<Nature, number>> & { rest: number };
}

/**
 * Who can hurt whom, and as what. Set by judgement from how the parts work, for any estate; see docs/verdicts.md for
 * how well they do.
 */
export const WAYS: Readonly<Record<Way, Passing>> = {
  callee: {
    carries: 0.75,
    shows: {
      slow: 0.95,
      failing: 0.95,
      pool: 0.8,
      queue: 0.7,
      figure: 0.7,
      log: 0.7,
      memory: 0.12,
      busy: 0.06,
      rest: 0.02,
    },
  },
  caller: { carries: 0.3, shows: { queue: 0.9, busy: 0.35, pool: 0.4, slow: 0.2, figure: 0.3, log: 0.1, rest: 0.03 } },
  host: {
    carries: 0.85,
    shows: {
      slow: 0.95,
      failing: 0.85,
      down: 0.9,
      crash: 0.5,
      pool: 0.6,
      queue: 0.7,
      log: 0.7,
      clock: 0.9,
      busy: 0.3,
      memory: 0.2,
      figure: 0.6,
      rest: 0.1,
    },
  },
  process: {
    carries: 0.55,
    // It may send more than its port takes; that frames are broken there is none of its doing.
    shows: { busy: 0.9, memory: 0.9, full: 0.7, storage: 0.6, network: 0.1, log: 0.3, rest: 0.04 },
  },
  hypervisor: {
    carries: 0.85,
    shows: {
      withheld: 0.95,
      down: 0.9,
      slow: 0.8,
      storage: 0.6,
      device: 0.6,
      busy: 0.4,
      failing: 0.5,
      network: 0.4,
      rest: 0.1,
    },
  },
  guest: { carries: 0.35, shows: { busy: 0.9, memory: 0.4, storage: 0.4, rest: 0.03 } },
  volume: {
    carries: 0.8,
    shows: { storage: 0.95, device: 0.95, full: 0.95, slow: 0.85, failing: 0.6, log: 0.5, busy: 0.2, rest: 0.05 },
  },
  writer: { carries: 0.5, shows: { storage: 0.85, full: 0.85, rest: 0.03 } },
  switch: { carries: 0.9, shows: { down: 0.95, network: 0.9, slow: 0.7, failing: 0.7, rest: 0.1 } },
  trunk: { carries: 0.45, shows: { down: 0.95, network: 0.9, slow: 0.7, failing: 0.7, rest: 0.1 } },
  wired: { carries: 0.04, shows: { network: 0.5, rest: 0.05 } },
  entry: { carries: 0.95, shows: { slow: 0.9, failing: 0.95, figure: 0.8, down: 0.9, rest: 0.5 } },
  beyond: { carries: 0.85, shows: { down: 0.95, rest: 0.02 } },
  end: { carries: 0.6, shows: { network: 0.9, rest: 0.02 } },
  line: {
    carries: 0.75,
    shows: {
      down: 0.95,
      slow: 0.95,
      failing: 0.95,
      network: 0.8,
      queue: 0.5,
      pool: 0.5,
      log: 0.6,
      figure: 0.4,
      rest: 0.1,
    },
  },
};

/** What goes no further. */
const STAYS: Readonly<Partial<Record<Way, number>>> = {
  process: 0,
  caller: 0,
  callee: 0,
  wired: 0,
  guest: 0,
  host: 0,
  hypervisor: 0,
  volume: 0,
  switch: 0,
  trunk: 0,
  entry: 0,
};

/** What a thing does to another by being hurt itself is less than what it does by a fault of its own. */
export const AFTER: Readonly<Partial<Record<Way, Partial<Record<Way, number>>>>> = {
  // Who waits for an answer neither loads its host nor asks more of others.
  callee: { process: 0.15, caller: 0.3, writer: 0.1 },
  host: { process: 0.3, caller: 0.3, writer: 0.1 },
  hypervisor: { wired: 0 },
  volume: { guest: 0.2, process: 0.3, caller: 0.3 },
  switch: { wired: 0, guest: 0 },
  trunk: { wired: 0, guest: 0 },
  line: { process: 0, caller: 0.2, wired: 0, guest: 0 },
  // What is out of reach of the watcher works on with its neighbours; the end of a line is its place, and not hurt itself.
  beyond: STAYS,
  end: STAYS,
};

/** Chance that something of this nature is a thing's own doing; 1 where it is not named: some come from elsewhere. */
const OWN: Partial<Record<Nature, number>> = {
  withheld: 0.1,
  figure: 0.3,
  queue: 0.35,
  slow: 0.9,
  failing: 0.9,
  pool: 0.8,
  log: 0.8,
};

export const showing = (way: Way, nature: Nature): number => WAYS[way].shows[nature] ?? WAYS[way].shows.rest;

/** Trouble at `from` can hurt `to`. */
export interface HarmEdge {
  from: string;
  to: string;
  way: Way;
}

const NAMES = Object.keys(WAYS) as Way[];
const COUNT = NAMES.length;
const PLACE = new Map(NAMES.map((way, index) => [way, index]));
const CARRIES = Float64Array.from(NAMES, (way) => WAYS[way].carries);
/** What is left of trouble that goes on over one way after it came over another, by both places. */
const FOLLOWS = Float64Array.from(NAMES.flatMap((before) => NAMES.map((way) => AFTER[before]?.[way] ?? 1)));

/** A walk that trouble may take; its steps are known by those before it. */
interface Walk {
  node: string;
  /** Place of its last way; -1 at the start. */
  way: number;
  chance: number;
  before: Walk | undefined;
}

function passed(walk: Walk, node: string): boolean {
  for (let at: Walk | undefined = walk; at; at = at.before) if (at.node === node) return true;
  return false;
}

/** Where trouble can come to. */
export interface Reach {
  arrivals: ReadonlyMap<string, Arrival>;
  /** The nodes that it rather comes to than not. */
  likely: ReadonlySet<string>;
}

const LIKELY = 0.5;

/** Who can hurt whom: nodes are whatever can be a cause or be hurt, by a key of the caller's. */
export class HarmGraph {
  private readonly out = new Map<string, { to: string; way: number }[]>();
  private readonly into = new Map<string, HarmEdge[]>();
  private readonly reached = new Map<string, Reach>();

  constructor(edges: Iterable<HarmEdge>) {
    for (const edge of edges) {
      push(this.out, edge.from, { to: edge.to, way: PLACE.get(edge.way) as number });
      push(this.into, edge.to, edge);
    }
  }

  from(node: string): readonly HarmEdge[] {
    return (this.out.get(node) ?? []).map(({ to, way }) => ({ from: node, to, way: NAMES[way] as Way }));
  }

  to(node: string): readonly HarmEdge[] {
    return this.into.get(node) ?? [];
  }

  /**
   * Where trouble at a node can come to, and how likely: the best path to each, by the product of what its steps carry.
   * The last step is kept, since it decides as what the trouble shows.
   * @param passes the share that gets on through a node; what is watched and well passes little. All where left out
   */
  reach(start: string, passes?: (node: string) => number): Reach {
    const known = passes ? undefined : this.reached.get(start);
    if (known) return known;
    const best = new Map<string, Arrival>();
    const likely = new Set<string>();
    let front: Walk[] = [{ node: start, way: -1, chance: 1, before: undefined }];
    for (let step = 1; step <= MOST_STEPS && front.length && best.size <= MOST_REACHED; step++) {
      const next: Walk[] = [];
      for (const walk of front) {
        const { node, way: before, chance: come } = walk;
        // A better walk over the same last step was found since.
        if (before >= 0 && (best.get(node)?.[before] ?? 0) > come) continue;
        const chance = passes && before >= 0 ? come * passes(node) : come;
        if (chance < LEAST) continue;
        for (const { to, way } of this.out.get(node) ?? []) {
          const now = chance * (CARRIES[way] as number) * (before < 0 ? 1 : (FOLLOWS[before * COUNT + way] as number));
          if (now < LEAST) continue;
          let arrival = best.get(to);
          if (arrival && (arrival[way] as number) >= now) continue;
          if (passed(walk, to)) continue;
          if (!arrival) best.set(to, (arrival = new Float64Array(COUNT)));
          arrival[way] = now;
          if (now >= LIKELY) likely.add(to);
          next.push({ node: to, way, chance: now, before: walk });
        }
      }
      front = next;
    }
    const reach = { arrivals: best, likely };
    if (passes) return reach;
    if (this.reached.size > MOST_KEPT) this.reached.clear();
    this.reached.set(start, reach);
    return reach;
  }

  /** Probability that trouble at `root` shows at `node` as something of this nature. */
  chance(root: string, node: string, nature: Nature): number {
    return root === node ? ownChance(nature) : chanceOf(this.reach(root).arrivals.get(node), nature);
  }

  /** Everything that can hurt one of the nodes within so many steps, themselves first. */
  upstream(nodes: Iterable<string>, steps: number, most: number): string[] {
    const seen = new Set(nodes);
    let front = [...seen];
    for (let step = 0; step < steps && front.length && seen.size < most; step++) {
      const next: string[] = [];
      for (const node of front)
        for (const { from, way } of this.to(node)) {
          if (seen.has(from) || seen.size >= most || WAYS[way].carries < LEAST) continue;
          seen.add(from);
          next.push(from);
        }
      front = next;
    }
    return [...seen];
  }
}

/** How trouble comes to a node: the best chance by each last step, in the order of the ways. */
export type Arrival = Float64Array;

const SHOWN = new Map<Nature, Float64Array>();

/** Probability that what comes to a node shows as something of a nature. */
export function chanceOf(arrival: Arrival | undefined, nature: Nature): number {
  if (!arrival) return 0;
  let shown = SHOWN.get(nature);
  if (!shown) SHOWN.set(nature, (shown = Float64Array.from(NAMES, (way) => showing(way, nature))));
  let most = 0;
  for (let way = 0; way < COUNT; way++) most = Math.max(most, (arrival[way] as number) * (shown[way] as number));
  return most;
}

/**
 * The best chance that trouble comes to a node at all.
 * @param lessBy share that shows of what comes over a way, where it is not all
 */
export function bestOf(arrival: Arrival | undefined, lessBy: Partial<Record<Way, number>> = {}): number {
  let most = 0;
  if (!arrival) return most;
  for (let way = 0; way < COUNT; way++)
    most = Math.max(most, (arrival[way] as number) * (lessBy[NAMES[way] as Way] ?? 1));
  return most;
}

export const ownChance = (nature: Nature): number => OWN[nature] ?? 1;

export const MOST_STEPS = 5;
export const LEAST = 0.05;
const MOST_REACHED = 5000;
const MOST_KEPT = 4000;

function push<V>(map: Map<string, V[]>, key: string, value: V): void {
  const list = map.get(key);
  if (list) list.push(value);
  else map.set(key, [value]);
}
