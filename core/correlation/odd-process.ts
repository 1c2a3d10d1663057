/** What one process uses. */
export interface ProcessUse {
  name: string;
  pid: number;
  memoryBytes: number;
  /** Of one processor; undefined where it was looked at once only. */
  cpuPercent?: number | undefined;
  /** TCP connections that are open; undefined where they are not told by process. */
  connections?: number | undefined;
}

export type UsedMost = "memory" | "processor" | "connections";

/** How much a process uses of something; -1 where it is not known. */
export const amountOf = (process: ProcessUse, by: UsedMost): number =>
  by === "memory" ? process.memoryBytes : ((by === "processor" ? process.cpuPercent : process.connections) ?? -1);

/** What is known of some processes, by which they can be put in order. */
export const knownUses = (processes: readonly ProcessUse[]): UsedMost[] =>
  (["processor", "memory", "connections"] as const).filter(
    (by) => by === "memory" || processes.some((one) => amountOf(one, by) >= 0),
  );

/** The processes that use most of something, largest first; ties by process number. */
export function topProcesses<T extends ProcessUse>(processes: readonly T[], count = 10, by: UsedMost = "memory"): T[] {
  return [...processes].sort((a, b) => amountOf(b, by) - amountOf(a, by) || a.pid - b.pid).slice(0, count);
}

/** Share of the first process in the memory of the host, 0 to 1; undefined when nothing is known. */
export function leadingShare(
  processes: readonly ProcessUse[],
  memoryBytes: number,
): { name: string; share: number } | undefined {
  const first = topProcesses(processes, 1)[0];
  return first && memoryBytes > 0 ? { name: first.name, share: first.memoryBytes / memoryBytes } : undefined;
}

interface ProcessTime {
  pid: number;
  name: string;
  /** Processor time so far in hundredths of a second. */
  cpuHundredths: number;
}

/** Two looks so close say nothing: processor time is told in hundredths of a second, or whole ones. */
const LEAST_APART_MS = 500;

/**
 * The processes of the second of two looks with what each used of one processor between them, percent; a number that
 * another process has now, or a time that went back, says nothing.
 */
export function withShares<T extends ProcessTime>(
  before: readonly ProcessTime[],
  now: readonly T[],
  elapsedMs: number,
): (T & { cpuPercent?: number })[] {
  if (elapsedMs < LEAST_APART_MS) return [...now];
  const known = new Map(before.map((one) => [one.pid, one]));
  return now.map((one) => {
    const first = known.get(one.pid);
    const used = first?.name === one.name ? one.cpuHundredths - first.cpuHundredths : -1;
    return used < 0 ? one : { ...one, cpuPercent: Math.round((used * 10_000) / elapsedMs) / 10 };
  });
}
