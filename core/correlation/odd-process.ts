/** Memory of one process in bytes. */
export interface ProcessMemory {
  name: string;
  pid: number;
  memoryBytes: number;
}

/** The processes that use most, largest first; ties by process number. */
export function topProcesses<T extends ProcessMemory>(processes: readonly T[], count = 10): T[] {
  return [...processes].sort((a, b) => b.memoryBytes - a.memoryBytes || a.pid - b.pid).slice(0, count);
}

/** Share of the first process in the memory of the host, 0 to 1; undefined when nothing is known. */
export function leadingShare(
  processes: readonly ProcessMemory[],
  memoryBytes: number,
): { name: string; share: number } | undefined {
  const first = topProcesses(processes, 1)[0];
  return first && memoryBytes > 0 ? { name: first.name, share: first.memoryBytes / memoryBytes } : undefined;
}
