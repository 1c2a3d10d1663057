import type { RhythmCurve } from "../rhythm";
import type {
  Scenario,
  ScenarioContainer,
  ScenarioFigure,
  ScenarioJob,
  ScenarioLoad,
  ScenarioOperation,
  ScenarioProcess,
  ScenarioRole,
  ScenarioTalk,
} from "../scenario/schema";

export const GIB = 1024 ** 3;
export const MIB = 1024 ** 2;

/** A host, a hypervisor or a switch. `index` is its place in every column of the state that is about machines. */
export interface Machine {
  index: number;
  name: string;
  address: string;
  site: Scenario["sites"][number];
  cell: number;
  roleName: string;
  role: ScenarioRole;
  rhythm: RhythmCurve;
  seed: number;
  sinceMs: number;
  spare: boolean;
  /** The hypervisor it is on, and the machines on it. */
  below: Machine | undefined;
  guests: Machine[];
  stations: Station[];
  disks: Disk[];
  containers: Container[];
  /** Its way into the network: to the switch it is wired to, by itself or through its hypervisor. */
  link: Link | undefined;
  /** Machines wired to this switch, in the order of its ports. */
  wired: Machine[];
  /** The lines from the edge of its site, over which everybody outside comes. */
  entrance: Link[];
  /** The lines that Holotaxis looks over. */
  watched: Link[];
}

export interface Disk {
  index: number;
  machine: Machine;
  spec: ScenarioRole["disks"][number];
  seed: number;
}

export interface Container {
  index: number;
  machine: Machine;
  spec: ScenarioContainer;
  seed: number;
}

/** A process of a host, as a station in a network of queues. */
export interface Station {
  index: number;
  machine: Machine;
  spec: ScenarioProcess;
  seed: number;
  operations: Operation[];
  pools: Pool[];
  /** Pools of others that lead here. */
  callers: Way[];
  disk: Disk | undefined;
  container: Container | undefined;
  /** The queues that it takes its work from. */
  takes: Queue[];
}

export interface Operation {
  index: number;
  station: Station;
  spec: ScenarioOperation;
  calls: Call[];
  /** What it takes while everything is well and idle, all that it calls included. */
  baseSeconds: number;
}

/** Connections of one process to the instances of another. */
export interface Pool {
  index: number;
  station: Station;
  spec: ScenarioTalk;
  ways: Way[];
}

/** From one pool to one instance. */
export interface Way {
  index: number;
  pool: Pool;
  target: Station;
  links: Link[];
  /** One-way delay of the lines between, seconds. */
  delaySeconds: number;
}

export interface Call {
  operation: Operation;
  pool: Pool;
  times: number;
  /** What is asked of each instance, in the order of the pool's ways. */
  targets: Operation[];
  queue: Queue | undefined;
}

/** A line: between a machine and its switch, or between two switches. */
export interface Link {
  index: number;
  /** What the other end of it hangs on; undefined for a line between sites. */
  machine: Machine | undefined;
  ends: [Machine, Machine];
  between: [string, string] | undefined;
  mbps: number;
  delaySeconds: number;
}

export interface Queue {
  index: number;
  name: string;
  cell: number;
  brokers: Station[];
  consumers: Operation[];
}

export interface Load {
  index: number;
  spec: ScenarioLoad;
  rhythm: RhythmCurve;
  seed: number;
  targets: Operation[];
}

export interface Job {
  index: number;
  spec: ScenarioJob;
  station: Station;
  calls: { pool: Pool; targets: Operation[]; everyRows: number }[];
}

export interface Figure {
  index: number;
  spec: ScenarioFigure;
  machine: Machine;
  operations: Operation[];
  queue: Queue | undefined;
  rhythm: RhythmCurve | undefined;
  seed: number;
}

/** Everything about an estate that does not change: who there is, who calls whom, and over which lines. */
export interface Layout {
  scenario: Scenario;
  anchorMs: number;
  machines: Machine[];
  disks: Disk[];
  containers: Container[];
  /** Callers before those they call, as far as calls have no circle. */
  stations: Station[];
  operations: Operation[];
  pools: Pool[];
  ways: Way[];
  links: Link[];
  queues: Queue[];
  loads: Load[];
  jobs: Job[];
  figures: Figure[];
  machine: (name: string) => Machine | undefined;
  station: (host: string, process: string) => Station | undefined;
}
