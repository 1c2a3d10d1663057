/** Counters of an instance as its compute service tells them, at an instant. */
export interface Diagnostics {
  atMs: number;
  processors: number;
  /** Nanoseconds, bytes. */
  cpuNs: number;
  memory: number | undefined;
  memoryUsed: number | undefined;
  read: number;
  written: number;
  received: number;
  sent: number;
}

const number = (value: unknown): number | undefined => (typeof value === "number" && value >= 0 ? value : undefined);

/**
 * Reads the diagnostics of an instance (compute API v2.1, “Show server diagnostics”: counters by the name of each processor,
 * disk and interface, memory in KiB). Undefined where it tells none.
 */
export function readDiagnostics(json: unknown, atMs: number): Diagnostics | undefined {
  if (json === null || typeof json !== "object") return undefined;
  const given = json as Record<string, unknown>;
  const sum = (pattern: RegExp) =>
    Object.entries(given).reduce((all, [name, value]) => all + (pattern.test(name) ? (number(value) ?? 0) : 0), 0);
  const processors = Object.keys(given).filter((name) => /^cpu\d+_time$/.test(name)).length;
  if (processors === 0) return undefined;
  const kib = (name: string) => {
    const value = number(given[name]);
    return value === undefined ? undefined : value * 1024;
  };
  const memory = kib("memory-actual") ?? kib("memory");
  const unused = kib("memory-unused");
  return {
    atMs,
    processors,
    cpuNs: sum(/^cpu\d+_time$/),
    memory,
    memoryUsed: memory === undefined ? undefined : unused === undefined ? kib("memory-rss") : memory - unused,
    read: sum(/^(?!.*_(?:rx|tx)).*_read$/),
    written: sum(/^(?!.*_(?:rx|tx)).*_write$/),
    received: sum(/_rx$/),
    sent: sum(/_tx$/),
  };
}

export interface DiagnosticFigure {
  metric: string;
  unit: string;
  value: number;
}

/** Counters that begin anew, or looks too close together, say nothing. */
const LEAST_MS = 1_000;

/** What an instance did between two looks. */
export function figuresBetween(before: Diagnostics | undefined, now: Diagnostics): DiagnosticFigure[] {
  const figures: DiagnosticFigure[] = [];
  if (now.memory && now.memoryUsed !== undefined)
    figures.push({
      metric: "guest.memory.used",
      unit: "%",
      value: Math.min(100, (100 * now.memoryUsed) / now.memory),
    });
  if (!before || now.atMs - before.atMs < LEAST_MS) return figures;
  const seconds = (now.atMs - before.atMs) / 1000;
  const rate = (metric: string, unit: string, field: "read" | "written" | "received" | "sent", times = 1) => {
    const change = now[field] - before[field];
    if (change >= 0) figures.push({ metric, unit, value: (change * times) / seconds });
  };
  const cpu = now.cpuNs - before.cpuNs;
  if (cpu >= 0 && now.processors === before.processors)
    figures.push({
      metric: "guest.cpu.used",
      unit: "%",
      value: Math.min(100, cpu / 1e7 / (seconds * now.processors)),
    });
  rate("guest.disk.read", "By/s", "read");
  rate("guest.disk.written", "By/s", "written");
  rate("guest.net.in", "bit/s", "received", 8);
  rate("guest.net.out", "bit/s", "sent", 8);
  return figures;
}
