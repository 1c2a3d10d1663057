/** What a disk device has done since its host began. */
export interface DiskCounters {
  /** As the kernel calls it: `sda`, `nvme0n1`, `dm-0`. */
  name: string;
  /** How many ended. */
  reads: number;
  writes: number;
  /** Time in which at least one of them was under way. */
  busyMicroseconds: number;
}

/** Memory, files and tapes that the kernel lists among disks; arrays and mapped devices only repeat what is below them. */
const NO_DISK = /^(loop|ram|zram|fd|sr|nbd|md|dm-)\d/;
/** A device whose name ends with a digit puts a p before the numbers of its parts. */
const PART = /^(?:(.*\d)p|(.*\D))\d+$/;
const MOST_DEVICES = 64;

/** The devices themselves, without their parts and what is no disk. */
export function ownDisks<One extends { name: string }>(all: readonly One[]): One[] {
  const names = new Set(all.map(({ name }) => name));
  return all
    .filter(({ name }) => {
      const [, whole, other] = PART.exec(name) ?? [];
      return name !== "" && !NO_DISK.test(name) && !names.has(whole ?? other ?? "");
    })
    .slice(0, MOST_DEVICES);
}

/** What disk devices did since the start, from /proc/diskstats (the kernel's Documentation/admin-guide/iostats). */
export function readDiskstats(text: string): DiskCounters[] {
  return text.split("\n").flatMap((line) => {
    const [, , name = "", ...rest] = line.trim().split(/\s+/);
    const fields = rest.map(Number);
    if (!name || fields.length < 11 || fields.some(Number.isNaN)) return [];
    return [{ name, reads: fields[0] ?? 0, writes: fields[4] ?? 0, busyMicroseconds: (fields[9] ?? 0) * 1000 }];
  });
}

/** Of fewer operations a second nobody can say how long one takes. */
const LEAST_OPERATIONS = 0.2;

const rounded = (value: number, places: number) => Number(value.toFixed(places));

/**
 * Figures of a disk device from its rates: operations a second, the share of the time in which it was busy, and the time
 * that it is busy for each operation, which tells a device that answers late from one that is asked much.
 * @param operations a second
 * @param busy seconds of each second
 * @returns metric, unit, value
 */
export function diskFigures(operations: number, busy: number): [metric: string, unit: string, value: number][] {
  const share = Math.min(1, busy);
  return [
    ["disk.operations", "1/s", rounded(operations, 1)],
    ["disk.busy", "%", rounded(100 * share, 2)],
    ...(operations >= LEAST_OPERATIONS
      ? [["disk.service", "ms", rounded((1000 * share) / operations, 2)] as [string, string, number]]
      : []),
  ];
}
