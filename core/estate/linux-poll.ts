import { readDiskstats } from "../telemetry/disk-use";
import type { HostPoll } from "../telemetry/poll";
import { readDisks, readMemory, readProcesses, readSockets, type Sections } from "./linux";
import { partsOfTables } from "./parts";

/** Busy and all ticks of each processor, as /proc/stat counts them from the start of the system. */
export type ProcessorTimes = readonly { busy: number; total: number }[];

function timesOf(text: string): ProcessorTimes {
  return text.split("\n").flatMap((line) => {
    if (!/^cpu\d+\s/.test(line)) return [];
    // user nice system idle iowait irq softirq steal; what guests used is in user and nice already.
    const ticks = line.split(/\s+/).slice(1, 9).map(Number);
    const total = ticks.reduce((sum, one) => sum + (one || 0), 0);
    return [{ total, busy: total - (ticks[3] ?? 0) - (ticks[4] ?? 0) }];
  });
}

function loadsBetween(before: ProcessorTimes, now: ProcessorTimes): number[] {
  if (before.length !== now.length) return [];
  const loads = now.map(({ busy, total }, core) => {
    const passed = total - (before[core]?.total ?? 0);
    return passed > 0 ? ((busy - (before[core]?.busy ?? 0)) / passed) * 100 : Number.NaN;
  });
  return loads.every((load) => load >= 0 && load <= 100) ? loads.map((load) => Math.round(load * 100) / 100) : [];
}

export interface UsedProcess {
  pid: number;
  name: string;
  memoryBytes: number;
  cpuHundredths: number;
}

/** One look at a Linux host for its metrics; loads of processors are those since the times of the look before. */
export function linuxPoll(
  sections: Sections,
  before: ProcessorTimes | undefined,
): { poll: HostPoll; times: ProcessorTimes; processes: UsedProcess[] } {
  const times = timesOf(sections.get("stat") ?? "");
  const memory = readMemory(sections);
  const tables = { software: readProcesses(sections), ...readSockets(sections) };
  const processes = useOf(sections, tables.software);
  const { ofPid } = partsOfTables(tables);
  const byLabel = new Map<string, HostPoll["processes"][number]>();
  for (const { pid, name, memoryBytes, cpuHundredths } of processes) {
    const label = ofPid.get(pid)?.label ?? name;
    const known = byLabel.get(label);
    if (!known) byLabel.set(label, { name: label, memoryBytes, cpuHundredths, pids: [pid] });
    else {
      known.memoryBytes += memoryBytes;
      known.cpuHundredths += cpuHundredths;
      known.pids?.push(pid);
    }
  }
  return {
    times,
    processes,
    poll: {
      processorLoads: before ? loadsBetween(before, times) : [],
      storage: [
        { label: "Memory", type: "ram", usedBytes: memory.usedBytes, sizeBytes: memory.sizeBytes },
        ...readDisks(sections).map((row) => ({
          label: row.label,
          type: row.type,
          usedBytes: row.usedUnits * row.unitBytes,
          sizeBytes: row.sizeUnits * row.unitBytes,
        })),
      ],
      interfaces: trafficOf(sections),
      devices: readDiskstats(sections.get("devices") ?? ""),
      processes: [...byLabel.values()],
      ...clockOf(sections),
      tables,
    },
  };
}

/** What its clock says: seconds since 1970, cut off, so that it is half a second later at the mean. */
function clockOf(sections: Sections): Pick<HostPoll, "clock"> {
  const seconds = /^\d{1,12}$/.exec((sections.get("clock") ?? "").trim())?.[0];
  return seconds === undefined ? {} : { clock: { atMs: Number(seconds) * 1000 + 500, isLocal: false } };
}

function useOf(sections: Sections, software: readonly { pid: number; name: string }[]): UsedProcess[] {
  const use = new Map(
    (sections.get("use") ?? "").split("\n").flatMap((line) => {
      const [pid, rss, seconds] = line.trim().split(/\s+/).map(Number);
      return pid ? [[pid, { memoryBytes: (rss || 0) * 1024, cpuHundredths: (seconds || 0) * 100 }] as const] : [];
    }),
  );
  return software.map(({ pid, name }) => ({ pid, name, ...(use.get(pid) ?? { memoryBytes: 0, cpuHundredths: 0 }) }));
}

/** Counters of interfaces without the loopback and the ends of containers' pairs (proc(5), net/dev). */
function trafficOf(sections: Sections): HostPoll["interfaces"] {
  const up = new Map(
    (sections.get("interfaces") ?? "").split("\n").map((line) => {
      const [name = "", , state = ""] = line.trim().split(/\s+/);
      return [name, state !== "down"] as const;
    }),
  );
  return (sections.get("traffic") ?? "").split("\n").flatMap((line) => {
    const [name, counters] = line.split(":");
    const own = name?.trim() ?? "";
    const fields = (counters ?? "").trim().split(/\s+/).map(Number);
    if (fields.length < 11 || own === "lo" || own.startsWith("veth")) return [];
    return [
      {
        name: own,
        inOctets: fields[0] ?? 0,
        outOctets: fields[8] ?? 0,
        errors: (fields[2] ?? 0) + (fields[10] ?? 0),
        up: up.get(own) ?? true,
      },
    ];
  });
}
