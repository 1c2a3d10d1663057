/** What the kernel tells in /proc (proc(5)); each function reads the text of one file. */

/** Processor time so far in ticks, as /proc/stat has it. */
export interface ProcessorTime {
  total: number;
  /** Not idle, not waiting for input or output, not taken from it. */
  busy: number;
  /** Taken by the hypervisor while this machine wanted to run. */
  stolen: number;
}

/** Of all processors together, and of each. */
export function readStat(text: string): { all: ProcessorTime; cores: ProcessorTime[] } {
  const cores: ProcessorTime[] = [];
  let all: ProcessorTime = { total: 0, busy: 0, stolen: 0 };
  for (const line of text.split("\n")) {
    const [name = "", ...rest] = line.split(/\s+/);
    if (!/^cpu\d*$/.test(name)) continue;
    // user nice system idle iowait irq softirq steal; what guests used is in user and nice already.
    const ticks = rest.slice(0, 8).map((one) => Number(one) || 0);
    const total = ticks.reduce((sum, one) => sum + one, 0);
    const time = { total, busy: total - (ticks[3] ?? 0) - (ticks[4] ?? 0) - (ticks[7] ?? 0), stolen: ticks[7] ?? 0 };
    if (name === "cpu") all = time;
    else cores.push(time);
  }
  return { all, cores };
}

/** Bytes of memory in all, and those that could be had without swapping. */
export function readMeminfo(text: string): {
  totalBytes: number;
  availableBytes: number;
  swapTotalBytes: number;
  swapFreeBytes: number;
} {
  const field = (name: string) => {
    const found = new RegExp(`^${name}:\\s+(\\d+) kB`, "m").exec(text)?.[1];
    return found === undefined ? undefined : Number(found) * 1024;
  };
  const totalBytes = field("MemTotal") ?? 0;
  // Kernels before 3.14 do not estimate what is available.
  const availableBytes =
    field("MemAvailable") ?? (field("MemFree") ?? 0) + (field("Buffers") ?? 0) + (field("Cached") ?? 0);
  return { totalBytes, availableBytes, swapTotalBytes: field("SwapTotal") ?? 0, swapFreeBytes: field("SwapFree") ?? 0 };
}

export interface InterfaceCounters {
  name: string;
  inOctets: number;
  outOctets: number;
  errors: number;
}

/** Counters of the network interfaces without the loopback and the ends of containers' pairs. */
export function readNetDev(text: string): InterfaceCounters[] {
  return text.split("\n").flatMap((line) => {
    const [name, counters] = line.split(":");
    if (counters === undefined || !name) return [];
    const fields = counters.trim().split(/\s+/).map(Number);
    const own = name.trim();
    if (own === "lo" || own.startsWith("veth") || fields.length < 11) return [];
    return [
      { name: own, inOctets: fields[0] ?? 0, outOctets: fields[8] ?? 0, errors: (fields[2] ?? 0) + (fields[10] ?? 0) },
    ];
  });
}

/** Where disks are mounted, each device once; what is kept in memory only, or is a loop, is no disk. */
export function readMounts(text: string): string[] {
  const devices = new Set<string>();
  return text.split("\n").flatMap((line) => {
    const [device = "", mount = "", type = ""] = line.split(" ");
    if (!device.startsWith("/dev/") || device.startsWith("/dev/loop") || type === "squashfs" || devices.has(device))
      return [];
    devices.add(device);
    // Spaces and the like are written as octal numbers.
    return [mount.replaceAll(/\\(\d{3})/g, (_, octal: string) => String.fromCodePoint(Number.parseInt(octal, 8)))];
  });
}

/**
 * Percent of the last ten seconds in which something waited, from a file of /proc/pressure; undefined on kernels
 * without.
 */
export function readPressure(text: string): number | undefined {
  const found = /^some avg10=([\d.]+)/m.exec(text)?.[1];
  return found === undefined ? undefined : Number(found);
}

/** The kernel's name and release from /proc/version. */
export const readVersion = (text: string): string =>
  /^(\S+) version (\S+)/.exec(text)?.slice(1, 3).join(" ") ?? "Linux";

/** The name people know a distribution by, from /etc/os-release (os-release(5)). */
export const readOsRelease = (text: string): string => /^PRETTY_NAME="?([^"\n]*)"?/m.exec(text)?.[1] ?? "";
