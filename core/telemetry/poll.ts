import type { HostTables } from "../estate/parts";
import { clockOffset, type SaidTime } from "./host-clock";
import { diskFigures, ownDisks, type DiskCounters } from "./disk-use";
import { counterRate, type CounterReading } from "./rate";

/** What one look at a host by SNMP returns, before rates are worked out. */
export interface HostPoll {
  /** hrProcessorLoad of each core, percent. */
  processorLoads: number[];
  storage: { label: string; type: "ram" | "virtual" | "disk" | "other"; usedBytes: number; sizeBytes: number }[];
  interfaces: { name: string; inOctets: number; outOctets: number; errors: number; up: boolean }[];
  /** Devices that disks are on, where the agent counts what they do. */
  devices?: DiskCounters[];
  /** Programs by name: resident bytes, processor time used so far in hundredths of a second, and their processes. */
  processes: { name: string; memoryBytes: number; cpuHundredths: number; pids?: number[] }[];
  /** Not all of its programs are listed: what is not among them may run. */
  isCut?: boolean;
  /** What its clock said, where it was asked. */
  clock?: SaidTime | undefined;
  /** Who runs, listens and is connected, where that was read. */
  tables?: HostTables;
  /** Virtual machines of a hypervisor: processor time used so far in microseconds. */
  guests?: {
    name: string;
    uuid: string;
    running: boolean;
    processors: number;
    memoryBytes: number;
    cpuMicroseconds: number;
  }[];
}

export interface Measured {
  metric: string;
  instance: string;
  unit: string;
  value: number;
}

/** Counters remembered between two looks at one host. */
export type CounterMemory = Map<string, CounterReading>;

/** What is measured to no more than a hundredth is kept so; further places would be the division's, not the host's. */
const hundredths = (value: number) => Math.round(value * 100) / 100;

/**
 * Works the metrics of one look at a host out: percent of processor (mean and each core), memory without buffers and
 * caches, disks, traffic and errors of interfaces, memory and processor of the named processes.
 * @param wanted names of processes that are components; others are not kept as series
 * @param atMs when all was answered
 * @param askedMs when it was asked
 * @returns guests in the order of the poll; what is allotted to those that run counts for the hypervisor; `absent` are
 * those wanted that do not run, where processes were listed at all
 */
export function measureHost(
  poll: HostPoll,
  atMs: number,
  memory: CounterMemory,
  wanted: ReadonlySet<string>,
  askedMs = atMs,
): { host: Measured[]; processes: Map<string, Measured[]>; absent: string[]; guests: Measured[][] } {
  const rate: Rate = (key, value, bits) => {
    const now = { atMs, value };
    const result = counterRate(memory.get(key), now, bits);
    memory.set(key, now);
    return result;
  };
  return {
    host: [
      ...measureProcessors(poll),
      ...measureStorage(poll),
      ...ownDisks(poll.devices ?? []).flatMap((device) => measureDevice(device, rate)),
      ...poll.interfaces.flatMap((port) => measurePort(port, rate)),
      ...measureAllotment(poll),
      ...measureClock(poll, askedMs, atMs),
    ],
    processes: new Map(
      poll.processes
        .filter((process) => wanted.has(process.name))
        .map((process) => [process.name, measureProcess(process, rate)]),
    ),
    absent:
      poll.processes.length && !poll.isCut
        ? [...wanted].filter((name) => !poll.processes.some((process) => process.name === name))
        : [],
    guests: (poll.guests ?? []).map((guest) => measureGuest(guest, rate)),
  };
}

/** What a counter rose a second since it was read before; undefined the first time and after it began anew. */
type Rate = (key: string, value: number, bits: 32 | 64) => number | undefined;

const measured = (metric: string, instance: string, unit: string, value: number): Measured => ({
  metric,
  instance,
  unit,
  value,
});
const percent = (metric: string, share: number, instance = "") =>
  measured(metric, instance, "%", hundredths(share * 100));

/** Mean of all processors, and each core where there are several. */
function measureProcessors({ processorLoads: loads }: HostPoll): Measured[] {
  if (!loads.length) return [];
  const mean = loads.reduce((sum, load) => sum + load, 0) / loads.length;
  const cores = loads.length > 1 ? loads.map((load, core) => measured("cpu.core.used", String(core), "%", load)) : [];
  return [measured("cpu.used", "", "%", hundredths(mean)), ...cores];
}

/** How far its clock is off, seconds: ahead above zero, behind below. */
const measureClock = ({ clock }: HostPoll, askedMs: number, atMs: number): Measured[] =>
  clock ? [measured("clock.offset", "", "s", Math.round(clockOffset(clock, askedMs, atMs) / 100) / 10)] : [];

const ramOf = ({ storage }: HostPoll) => storage.find((row) => row.type === "ram" && row.sizeBytes > 0);

/** Memory without buffers and caches, and each disk. */
function measureStorage(poll: HostPoll): Measured[] {
  const list: Measured[] = [];
  const ram = ramOf(poll);
  if (ram) {
    // Linux agents count buffers and caches as used and list them as rows of their own.
    const lent = poll.storage
      .filter((row) => row.type === "other" && /buffers|cached/i.test(row.label))
      .reduce((sum, row) => sum + row.usedBytes, 0);
    list.push(percent("memory.used", Math.max(0, ram.usedBytes - lent) / ram.sizeBytes));
  }
  for (const disk of poll.storage)
    if (disk.type === "disk" && disk.sizeBytes > 0)
      list.push(percent("disk.used", disk.usedBytes / disk.sizeBytes, disk.label));
  return list;
}

function measurePort(port: HostPoll["interfaces"][number], rate: Rate): Measured[] {
  const incoming = rate(`in ${port.name}`, port.inOctets, 64);
  const outgoing = rate(`out ${port.name}`, port.outOctets, 64);
  const errors = rate(`err ${port.name}`, port.errors, 32);
  return [
    ...(incoming === undefined ? [] : [measured("net.in", port.name, "bit/s", Math.round(incoming * 8))]),
    ...(outgoing === undefined ? [] : [measured("net.out", port.name, "bit/s", Math.round(outgoing * 8))]),
    ...(errors === undefined ? [] : [measured("net.errors", port.name, "1/s", Math.round(errors * 10_000) / 10_000)]),
  ];
}

function measureDevice({ name, reads, writes, busyMicroseconds }: DiskCounters, rate: Rate): Measured[] {
  const read = rate(`reads ${name}`, reads, 32);
  const wrote = rate(`writes ${name}`, writes, 32);
  const busy = rate(`busy ${name}`, busyMicroseconds, 64);
  return read === undefined || wrote === undefined || busy === undefined
    ? []
    : diskFigures(read + wrote, busy / 1e6).map(([metric, unit, value]) => measured(metric, name, unit, value));
}

function measureProcess(process: HostPoll["processes"][number], rate: Rate): Measured[] {
  const used = rate(`cpu ${process.name}`, process.cpuHundredths, 32);
  return [
    measured("process.memory", "", "By", process.memoryBytes),
    ...(used === undefined ? [] : [measured("process.cpu", "", "%", hundredths(used))]),
  ];
}

function measureGuest(guest: NonNullable<HostPoll["guests"]>[number], rate: Rate): Measured[] {
  const list = [measured("guest.running", "", "0/1", guest.running ? 1 : 0)];
  const microseconds = rate(`guest ${guest.uuid || guest.name}`, guest.cpuMicroseconds, 64);
  if (!guest.running) return list;
  // Counters are read one after the other, so a busy machine may seem to use a little more than it has.
  if (microseconds !== undefined && guest.processors > 0)
    list.push(measured("guest.cpu.used", "", "%", hundredths(Math.min(100, microseconds / 10_000 / guest.processors))));
  list.push(measured("guest.memory", "", "By", guest.memoryBytes));
  return list;
}

/** How much of a hypervisor is given to machines that run. */
function measureAllotment(poll: HostPoll): Measured[] {
  if (!poll.guests) return [];
  const running = poll.guests.filter((guest) => guest.running);
  const sum = (of: (guest: (typeof running)[number]) => number) =>
    running.reduce((total, guest) => total + of(guest), 0);
  const processors = poll.processorLoads.length;
  const ram = ramOf(poll);
  return [
    measured("guests.running", "", "1", running.length),
    ...(processors ? [percent("cpu.allotted", sum((guest) => guest.processors) / processors)] : []),
    ...(ram ? [percent("memory.allotted", sum((guest) => guest.memoryBytes) / ram.sizeBytes)] : []),
  ];
}
