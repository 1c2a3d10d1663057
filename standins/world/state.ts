import type { Layout } from "./layout";

const MACHINE = [
  /** 1 while switched on and put in. */
  "up",
  "bootedAtMs",
  /** How much longer processor work takes than on an idle machine. */
  "stretch",
  /** Share of the processors that its hypervisor lets it have, and percent of time it waits for them. */
  "granted",
  "stolen",
  /** Processors in use, and threads that want to run. */
  "cores",
  "threads",
  "memoryBytes",
  /** How much longer everything takes for want of memory. */
  "paging",
  /** Of the octets that it takes in, those that come beside the calls; it sends four fifths of that. */
  "otherBytesPerSecond",
  "inBytesPerSecond",
  "outBytesPerSecond",
  "inBytes",
  "outBytes",
  "errors",
  /** Processor time used since it was put in, seconds. */
  "coreSeconds",
  /** 1 while callers are told to go elsewhere. */
  "aside",
  /** When its cache was cleared; 0 where it never was. */
  "cacheSinceMs",
] as const;

const STATION = [
  "running",
  "startedAtMs",
  /** Not before then it starts again by itself, and never where somebody stopped it by hand. */
  "startsAtMs",
  "byHand",
  "starts",
  /** Times that the kernel ended it for want of memory. */
  "kills",
  "arrivals",
  "finished",
  "backlog",
  /** Mean time before work begins, that of the backlog included, and the time that work takes. */
  "waitSeconds",
  "backlogSeconds",
  "holdSeconds",
  "refused",
  /** Workers in use. */
  "busy",
  /** Processors in use by its requests, and by threads that spin. */
  "cores",
  "spinCores",
  "coreSeconds",
  "leakBytes",
  "memoryBytes",
  /** How much longer its work takes for its quota, and percent of periods in which it was held back. */
  "quotaStretch",
  "throttled",
] as const;

const OPERATION = [
  "arrivals",
  "carried",
  "share",
  "finished",
  /** Time of its own and with everything that it calls; the latter with the wait before it. */
  "ownSeconds",
  "holdSeconds",
  "responseSeconds",
  /** Share that fails of its own accord, and altogether. */
  "ownFailing",
  "failing",
  "reason",
  /** Totals since the beginning, of what came in and how it ended. */
  "cameIn",
  "answered",
  "failed",
  "turnedAway",
] as const;

const WAY = [
  /** Share of the pool's calls, before they are made to add up to one. */
  "weight",
  /** Attempts a second. */
  "perSecond",
  /** What one attempt takes, and how often it fails for another reason than that the other side says so. */
  "seconds",
  "failing",
  "reason",
  /** Of that: on the lines there and back, and until a connection of the pool is free. */
  "crossSeconds",
  "poolSeconds",
  /** Share that gets a connection and is taken on; and that fails for another reason than that it is late. */
  "letIn",
  "otherFailing",
  "inUse",
  /** Connections that the other side lets in. */
  "admitted",
  /** Calls kept for later because they failed, and how that changes a second. */
  "kept",
  "keptPerSecond",
] as const;

const DISK = ["extraBytes", "usedShare", "busy", "slowdown"] as const;
const LINK = ["up", "bytesPerSecond", "bytes", "errors", "loss", "delaySeconds"] as const;
const QUEUE = ["depth", "inPerSecond", "cameIn", "takenUp"] as const;
const LOAD = ["perSecond", "failing", "attempts", "succeeded", "wanted"] as const;
const JOB = ["rowsLeft", "startedAtMs", "rowsPerSecond", "endedAtMs"] as const;
const FIGURE = ["perSecond", "response"] as const;

type Columns<Names extends readonly string[]> = Record<Names[number], Float64Array>;

function columns<const Names extends readonly string[]>(names: Names, length: number): Columns<Names> {
  return Object.fromEntries(names.map((name) => [name, new Float64Array(length)])) as Columns<Names>;
}

/** Everything that changes, in columns by kind of thing. */
export interface State {
  atMs: number;
  /** Until when something is on the move, so that steps are of one second. */
  livelyUntilMs: number;
  machine: Columns<typeof MACHINE>;
  station: Columns<typeof STATION>;
  operation: Columns<typeof OPERATION>;
  way: Columns<typeof WAY>;
  disk: Columns<typeof DISK>;
  link: Columns<typeof LINK>;
  queue: Columns<typeof QUEUE>;
  load: Columns<typeof LOAD>;
  job: Columns<typeof JOB>;
  figure: Columns<typeof FIGURE>;
}

const KINDS = ["machine", "station", "operation", "way", "disk", "link", "queue", "load", "job", "figure"] as const;

/** A world at rest: everything that is there at that instant runs, and nothing waits. */
export function stateAtRest(layout: Layout, atMs: number): State {
  const state: State = {
    atMs,
    livelyUntilMs: Number.NEGATIVE_INFINITY,
    machine: columns(MACHINE, layout.machines.length),
    station: columns(STATION, layout.stations.length),
    operation: columns(OPERATION, layout.operations.length),
    way: columns(WAY, layout.ways.length),
    disk: columns(DISK, layout.disks.length),
    link: columns(LINK, layout.links.length),
    queue: columns(QUEUE, layout.queues.length),
    load: columns(LOAD, layout.loads.length),
    job: columns(JOB, layout.scenario.jobs.length),
    figure: columns(FIGURE, layout.figures.length),
  };
  const { machine, station } = state;
  machine.stretch.fill(1);
  machine.granted.fill(1);
  machine.paging.fill(1);
  for (const one of layout.machines) {
    const there = one.sinceMs <= atMs && !one.spare;
    machine.up[one.index] = Number(there);
    machine.bootedAtMs[one.index] = atMs - (Math.abs(one.seed) % 1_000_000_000);
    for (const each of one.stations) {
      station.running[each.index] = Number(there);
      station.startedAtMs[each.index] = machine.bootedAtMs[one.index] as number;
    }
  }
  station.quotaStretch.fill(1);
  station.holdSeconds.fill(0.001);
  state.way.weight.fill(1);
  state.way.admitted.fill(Number.POSITIVE_INFINITY);
  state.disk.slowdown.fill(1);
  state.link.up.fill(1);
  state.load.attempts.fill(1);
  return state;
}

export function copyOf(state: State): State {
  const copy = { ...state };
  for (const kind of KINDS) {
    const from = state[kind] as Record<string, Float64Array>;
    (copy as Record<string, unknown>)[kind] = Object.fromEntries(
      Object.entries(from).map(([name, column]) => [name, column.slice()]),
    );
  }
  return copy;
}
