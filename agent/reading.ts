import { readFileSync, statfsSync } from "node:fs";
import { join } from "node:path";
import { ownDisks, readDiskstats, type DiskCounters } from "#core/telemetry/disk-use";
import { readContainers, type ContainerReading } from "./containers";
import {
  readMeminfo,
  readMounts,
  readNetDev,
  readPressure,
  readStat,
  type InterfaceCounters,
  type ProcessorTime,
} from "./proc";

/** One look at the machine; counters become rates by the look before. */
export interface Reading {
  /** Machine time in milliseconds, from a clock that is not set. */
  monotonicMs: number;
  atMs: number;
  processors: { all: ProcessorTime; cores: ProcessorTime[] };
  memory: ReturnType<typeof readMeminfo>;
  disks: { mount: string; sizeBytes: number; usedBytes: number }[];
  devices: DiskCounters[];
  interfaces: InterfaceCounters[];
  /** Percent of the last ten seconds in which something waited for it. */
  pressure: { cpu?: number; memory?: number; io?: number };
  containers: ContainerReading[];
}

function text(file: string): string {
  try {
    return readFileSync(file, "utf8");
  } catch {
    return "";
  }
}

/** Looks at the machine whose file systems begin at `root`, "/" as a rule. */
export function lookAt(root: string, clock: { monotonicMs: number; atMs: number }): Reading {
  const proc = join(root, "proc");
  const pressure: Reading["pressure"] = {};
  for (const what of ["cpu", "memory", "io"] as const) {
    const value = readPressure(text(join(proc, "pressure", what)));
    if (value !== undefined) pressure[what] = value;
  }
  return {
    ...clock,
    processors: readStat(text(join(proc, "stat"))),
    memory: readMeminfo(text(join(proc, "meminfo"))),
    disks: readMounts(text(join(proc, "mounts"))).flatMap((mount) => {
      try {
        const disk = statfsSync(join(root, mount));
        const sizeBytes = disk.blocks * disk.bsize;
        return sizeBytes > 0 ? [{ mount, sizeBytes, usedBytes: (disk.blocks - disk.bfree) * disk.bsize }] : [];
      } catch {
        // Not for this user to see.
        return [];
      }
    }),
    devices: ownDisks(readDiskstats(text(join(proc, "diskstats")))),
    interfaces: readNetDev(text(join(proc, "net", "dev"))),
    pressure,
    containers: readContainers(join(root, "sys", "fs", "cgroup"), proc),
  };
}
