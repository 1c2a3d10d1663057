import { readdirSync, readFileSync } from "node:fs";
import { basename, join } from "node:path";

/** A container as its control group tells of it (the kernel's cgroup v2 documentation). */
export interface ContainerReading {
  /** 64 hexadecimal digits (OCI runtimes name the group by the container's id). */
  id: string;
  /** Name of its first process; empty when it could not be read. */
  process: string;
  cpuMicroseconds: number;
  /** Periods of the quota that had work to do, and those in which the quota was used up. */
  periods: number;
  throttled: number;
  /** Processors it may use; undefined without a quota. */
  cpuLimit: number | undefined;
  memoryBytes: number;
  /** Bytes it may use; undefined without a limit. */
  memoryLimit: number | undefined;
  /** Bytes that the kernel takes back when it needs them. */
  reclaimableBytes: number;
  processes: number;
}

const MOST_GROUPS = 5000;
const DEEPEST = 12;
const ID = /(?:^|[-:])([0-9a-f]{64})(?:\.scope)?$/;

function read(file: string): string | undefined {
  try {
    return readFileSync(file, "utf8");
  } catch {
    return undefined;
  }
}

const fieldOf = (text: string | undefined, name: string): number =>
  Number(new RegExp(`^${name} (\\d+)$`, "m").exec(text ?? "")?.[1] ?? 0);
const numberOf = (text: string | undefined): number | undefined =>
  text === undefined || text.trim() === "max" ? undefined : Number(text);

/** Processors that a quota allows, from cpu.max: "quota period" in microseconds, or "max". */
export function readCpuMax(text: string | undefined): number | undefined {
  const [quota, period] = (text ?? "max").trim().split(/\s+/);
  return quota === "max" || !Number(period) ? undefined : Number(quota) / Number(period);
}

/** Every container whose control group is below `root`; groups that vanish while they are read are left out. */
export function readContainers(root: string, proc: string): ContainerReading[] {
  const found: ContainerReading[] = [];
  let seen = 0;
  const visit = (folder: string, depth: number) => {
    if (depth > DEEPEST || seen++ > MOST_GROUPS) return;
    const id = ID.exec(basename(folder))?.[1];
    if (id) {
      const one = readContainer(folder, id, proc);
      if (one) found.push(one);
      // What a container divides within itself is its own affair.
      return;
    }
    let names: string[];
    try {
      names = readdirSync(folder, { withFileTypes: true }).flatMap((entry) =>
        entry.isDirectory() ? [entry.name] : [],
      );
    } catch {
      return;
    }
    for (const name of names) visit(join(folder, name), depth + 1);
  };
  visit(root, 0);
  return found;
}

function readContainer(folder: string, id: string, proc: string): ContainerReading | undefined {
  const cpu = read(join(folder, "cpu.stat"));
  const memory = read(join(folder, "memory.current"));
  if (cpu === undefined || memory === undefined) return undefined;
  const pids = firstProcesses(folder);
  return {
    id,
    process: (pids.length ? read(join(proc, String(Math.min(...pids)), "comm")) : undefined)?.trim() ?? "",
    cpuMicroseconds: fieldOf(cpu, "usage_usec"),
    periods: fieldOf(cpu, "nr_periods"),
    throttled: fieldOf(cpu, "nr_throttled"),
    cpuLimit: readCpuMax(read(join(folder, "cpu.max"))),
    memoryBytes: Number(memory),
    memoryLimit: numberOf(read(join(folder, "memory.max"))),
    reclaimableBytes: fieldOf(read(join(folder, "memory.stat")), "inactive_file"),
    processes: numberOf(read(join(folder, "pids.current"))) ?? pids.length,
  };
}

/** Processes of a group, or of the groups just below it, as an init inside a container divides them. */
function firstProcesses(folder: string): number[] {
  const own = (read(join(folder, "cgroup.procs")) ?? "")
    .split("\n")
    .map(Number)
    .filter((pid) => pid > 0);
  if (own.length) return own;
  try {
    return readdirSync(folder, { withFileTypes: true }).flatMap((entry) =>
      entry.isDirectory()
        ? (read(join(folder, entry.name, "cgroup.procs")) ?? "")
            .split("\n")
            .map(Number)
            .filter((pid) => pid > 0)
        : [],
    );
  } catch {
    return [];
  }
}
