import { counterRate, type CounterReading } from "./rate";

/** What one look at a host by SNMP returns, before rates are worked out. */
export interface HostPoll {
  /** hrProcessorLoad of each core, percent. */
  processorLoads: number[];
  storage: { label: string; type: "ram" | "virtual" | "disk" | "other"; usedBytes: number; sizeBytes: number }[];
  interfaces: { name: string; inOctets: number; outOctets: number; errors: number; up: boolean }[];
  /** Processes by name: resident bytes, and processor time used so far in hundredths of a second. */
  processes: { name: string; memoryBytes: number; cpuHundredths: number }[];
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
 * @returns guests in the order of the poll; what is allotted to those that run counts for the hypervisor
 */
export function measureHost(
  poll: HostPoll,
  atMs: number,
  memory: CounterMemory,
  wanted: ReadonlySet<string>,
): { host: Measured[]; processes: Map<string, Measured[]>; guests: Measured[][] } {
  const host: Measured[] = [];
  const rate = (key: string, value: number, bits: 32 | 64): number | undefined => {
    const now = { atMs, value };
    const result = counterRate(memory.get(key), now, bits);
    memory.set(key, now);
    return result;
  };
  const loads = poll.processorLoads;
  if (loads.length) {
    host.push({
      metric: "cpu.used",
      instance: "",
      unit: "%",
      value: hundredths(loads.reduce((sum, load) => sum + load, 0) / loads.length),
    });
    if (loads.length > 1)
      loads.forEach((load, core) =>
        host.push({ metric: "cpu.core.used", instance: String(core), unit: "%", value: load }),
      );
  }
  const ram = poll.storage.find((row) => row.type === "ram");
  if (ram && ram.sizeBytes > 0) {
    // Linux agents count buffers and caches as used and list them as rows of their own.
    const lent = poll.storage
      .filter((row) => row.type === "other" && /buffers|cached/i.test(row.label))
      .reduce((sum, row) => sum + row.usedBytes, 0);
    host.push({
      metric: "memory.used",
      instance: "",
      unit: "%",
      value: hundredths((Math.max(0, ram.usedBytes - lent) / ram.sizeBytes) * 100),
    });
  }
  for (const disk of poll.storage)
    if (disk.type === "disk" && disk.sizeBytes > 0)
      host.push({
        metric: "disk.used",
        instance: disk.label,
        unit: "%",
        value: hundredths((disk.usedBytes / disk.sizeBytes) * 100),
      });
  for (const port of poll.interfaces) {
    const incoming = rate(`in ${port.name}`, port.inOctets, 64);
    const outgoing = rate(`out ${port.name}`, port.outOctets, 64);
    const errors = rate(`err ${port.name}`, port.errors, 32);
    if (incoming !== undefined)
      host.push({ metric: "net.in", instance: port.name, unit: "bit/s", value: Math.round(incoming * 8) });
    if (outgoing !== undefined)
      host.push({ metric: "net.out", instance: port.name, unit: "bit/s", value: Math.round(outgoing * 8) });
    if (errors !== undefined)
      host.push({
        metric: "net.errors",
        instance: port.name,
        unit: "1/s",
        value: Math.round(errors * 10_000) / 10_000,
      });
  }
  const processes = new Map<string, Measured[]>();
  for (const process of poll.processes) {
    if (!wanted.has(process.name)) continue;
    const list: Measured[] = [{ metric: "process.memory", instance: "", unit: "By", value: process.memoryBytes }];
    const used = rate(`cpu ${process.name}`, process.cpuHundredths, 32);
    if (used !== undefined) list.push({ metric: "process.cpu", instance: "", unit: "%", value: hundredths(used) });
    processes.set(process.name, list);
  }
  const guests = (poll.guests ?? []).map((guest): Measured[] => {
    const list: Measured[] = [{ metric: "guest.running", instance: "", unit: "0/1", value: guest.running ? 1 : 0 }];
    const microseconds = rate(`guest ${guest.uuid || guest.name}`, guest.cpuMicroseconds, 64);
    if (!guest.running) return list;
    // Counters are read one after the other, so a busy machine may seem to use a little more than it has.
    if (microseconds !== undefined && guest.processors > 0)
      list.push({
        metric: "guest.cpu.used",
        instance: "",
        unit: "%",
        value: hundredths(Math.min(100, microseconds / 10_000 / guest.processors)),
      });
    list.push({ metric: "guest.memory", instance: "", unit: "By", value: guest.memoryBytes });
    return list;
  });
  if (poll.guests) {
    const running = poll.guests.filter((guest) => guest.running);
    const sum = (of: (guest: (typeof running)[number]) => number) =>
      running.reduce((total, guest) => total + of(guest), 0);
    host.push({ metric: "guests.running", instance: "", unit: "1", value: running.length });
    if (loads.length)
      host.push({
        metric: "cpu.allotted",
        instance: "",
        unit: "%",
        value: hundredths((sum((guest) => guest.processors) / loads.length) * 100),
      });
    if (ram && ram.sizeBytes > 0)
      host.push({
        metric: "memory.allotted",
        instance: "",
        unit: "%",
        value: hundredths((sum((guest) => guest.memoryBytes) / ram.sizeBytes) * 100),
      });
  }
  return { host, processes, guests };
}
