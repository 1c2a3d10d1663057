import { diskFigures } from "#core/telemetry/disk-use";
import type { ContainerReading } from "./containers";
import type { ProcessorTime } from "./proc";
import type { Reading } from "./reading";

export interface Point {
  metric: string;
  /** Which of several: a disk, an interface, a core; empty where there is one. */
  instance: string;
  unit: string;
  value: number;
}

const rounded = (value: number, places = 2) => Number(value.toFixed(places));

function percentOf(before: ProcessorTime, now: ProcessorTime, part: "busy" | "stolen"): number | undefined {
  const total = now.total - before.total;
  return total > 0 ? rounded(Math.min(100, Math.max(0, ((now[part] - before[part]) / total) * 100))) : undefined;
}

/** The metrics of the machine from two looks at it. Counters that fell were reset and tell nothing this time. */
export function measureMachine(before: Reading | undefined, now: Reading): Point[] {
  const points: Point[] = [];
  const put = (metric: string, instance: string, unit: string, value: number | undefined) => {
    if (value !== undefined && Number.isFinite(value)) points.push({ metric, instance, unit, value });
  };
  const seconds = before ? (now.monotonicMs - before.monotonicMs) / 1000 : 0;
  const rate = (earlier: number | undefined, later: number) =>
    earlier === undefined || seconds <= 0 || later < earlier ? undefined : (later - earlier) / seconds;
  if (before) {
    put("cpu.used", "", "%", percentOf(before.processors.all, now.processors.all, "busy"));
    put("cpu.stolen", "", "%", percentOf(before.processors.all, now.processors.all, "stolen"));
    now.processors.cores.forEach((core, index) => {
      const earlier = before.processors.cores[index];
      if (earlier && now.processors.cores.length > 1)
        put("cpu.core.used", String(index), "%", percentOf(earlier, core, "busy"));
    });
  }
  if (now.memory.totalBytes > 0)
    put(
      "memory.used",
      "",
      "%",
      rounded(((now.memory.totalBytes - now.memory.availableBytes) / now.memory.totalBytes) * 100),
    );
  if (now.memory.swapTotalBytes > 0)
    put(
      "swap.used",
      "",
      "%",
      rounded(((now.memory.swapTotalBytes - now.memory.swapFreeBytes) / now.memory.swapTotalBytes) * 100),
    );
  for (const disk of now.disks) put("disk.used", disk.mount, "%", rounded((disk.usedBytes / disk.sizeBytes) * 100));
  for (const one of now.devices) {
    const earlier = before?.devices.find((other) => other.name === one.name);
    const operations = rate(earlier && earlier.reads + earlier.writes, one.reads + one.writes);
    const busy = rate(earlier?.busyMicroseconds, one.busyMicroseconds);
    if (operations === undefined || busy === undefined) continue;
    for (const [metric, unit, value] of diskFigures(operations, busy / 1e6)) put(metric, one.name, unit, value);
  }
  for (const one of now.interfaces) {
    const earlier = before?.interfaces.find((other) => other.name === one.name);
    const incoming = rate(earlier?.inOctets, one.inOctets);
    const outgoing = rate(earlier?.outOctets, one.outOctets);
    const errors = rate(earlier?.errors, one.errors);
    if (incoming !== undefined) put("net.in", one.name, "bit/s", Math.round(incoming * 8));
    if (outgoing !== undefined) put("net.out", one.name, "bit/s", Math.round(outgoing * 8));
    if (errors !== undefined) put("net.errors", one.name, "1/s", rounded(errors, 4));
  }
  for (const what of ["cpu", "memory", "io"] as const) put("pressure", what, "%", now.pressure[what]);
  return points;
}

/** The metrics of a container from two looks at it; of its memory what the kernel could take back does not count. */
export function measureContainer(
  before: ContainerReading | undefined,
  now: ContainerReading,
  seconds: number,
): Point[] {
  const points: Point[] = [];
  const put = (metric: string, unit: string, value: number) => points.push({ metric, instance: "", unit, value });
  const own = Math.max(0, now.memoryBytes - now.reclaimableBytes);
  if (before && seconds > 0 && now.cpuMicroseconds >= before.cpuMicroseconds) {
    const processors = (now.cpuMicroseconds - before.cpuMicroseconds) / 1e6 / seconds;
    put("container.cpu.usage", "{cpu}", rounded(processors, 3));
    if (now.cpuLimit !== undefined && now.cpuLimit > 0)
      put("container.cpu.used", "%", rounded((processors / now.cpuLimit) * 100));
    const periods = now.periods - before.periods;
    if (periods > 0) put("container.cpu.throttled", "%", rounded(((now.throttled - before.throttled) / periods) * 100));
    else if (now.cpuLimit !== undefined) put("container.cpu.throttled", "%", 0);
  }
  put("container.memory.usage", "By", own);
  if (now.memoryLimit !== undefined && now.memoryLimit > 0)
    put("container.memory.used", "%", rounded((own / now.memoryLimit) * 100));
  put("container.processes", "1", now.processes);
  return points;
}
