import { readOpenMetrics } from "../../telemetry/openmetrics";
import { counterRate, type CounterReading } from "../../telemetry/rate";
import type { ClusterState } from "./state";

/** Of a node's page of container metrics, what is read; the rest of it is many times as much. */
const WANTED = [
  "container_cpu_usage_seconds_total",
  "container_cpu_cfs_periods_total",
  "container_cpu_cfs_throttled_periods_total",
  "container_memory_working_set_bytes",
  "container_oom_events_total",
] as const;
type Wanted = (typeof WANTED)[number];
const isWanted = (line: string) =>
  WANTED.some((name) => line.startsWith(`${name}{`) || line.startsWith(`# TYPE ${name} `));
/** Lines that are read in one go: a page has tens of thousands, and each takes fifty times its room while it is read. */
const LINES_AT_ONCE = 1_000;

/** The wanted lines of a page, a thousand at a time. */
function* wantedParts(page: string): Generator<string> {
  let lines: string[] = [];
  for (let from = 0; from < page.length;) {
    const end = page.indexOf("\n", from);
    const line = page.slice(from, end < 0 ? page.length : end);
    from = end < 0 ? page.length : end + 1;
    if (isWanted(line)) lines.push(line);
    if (lines.length < LINES_AT_ONCE) continue;
    yield lines.join("\n");
    lines = [];
  }
  if (lines.length > 0) yield lines.join("\n");
}

export interface ContainerFigure {
  key: string;
  metric: string;
  instance: string;
  unit: string;
  value: number;
}

/** What a page says of one container. */
interface OnPage extends NonNullable<ReturnType<ClusterState["containerOf"]>> {
  totals: Map<Wanted, number>;
  atMs: number;
}

const hundredths = (value: number) => Math.round(value * 100) / 100;

/** Works figures of containers out of the pages that nodes show, with the totals of the look before. */
export class ContainerFigures {
  private readonly before = new Map<string, CounterReading>();
  /** Sums by workload over the pages of one round. */
  private sums = new Map<string, { cpu: number | undefined; memory: number; throttled: number | undefined }>();

  /**
   * Reads one node's page. Throws a RangeError with a sentence where it is no such page.
   */
  read(page: string, atMs: number, state: ClusterState): ContainerFigure[] {
    const figures: ContainerFigure[] = [];
    const byContainer = new Map<string, OnPage>();
    for (const part of wantedParts(page)) {
      const read = readOpenMetrics(part);
      if (!read.ok) throw new RangeError(read.problem);
      for (const sample of read.families.flatMap((one) => one.samples)) {
        const labels = new Map(sample.labels);
        const container = labels.get("container") ?? "";
        if (container === "" || container === "POD") continue;
        const found = state.containerOf(labels.get("namespace") ?? "", labels.get("pod") ?? "", container);
        if (!found) continue;
        const one = byContainer.get(found.key) ?? {
          ...found,
          totals: new Map<Wanted, number>(),
          // Nodes look at containers when it suits them, and say when that was.
          atMs: sample.atMs !== undefined && Math.abs(sample.atMs - atMs) < 120_000 ? sample.atMs : atMs,
        };
        one.totals.set(sample.name as Wanted, (one.totals.get(sample.name as Wanted) ?? 0) + sample.value);
        byContainer.set(found.key, one);
      }
    }
    for (const { key, spec, workload, totals, atMs: at } of byContainer.values()) {
      const { cpuLimit, memoryLimit } = spec;
      const rate = (name: Wanted) => {
        const value = totals.get(name);
        if (value === undefined) return undefined;
        const now = { atMs: at, value };
        const result = counterRate(this.before.get(`${key} ${name}`), now, 64);
        if (result !== undefined || (this.before.get(`${key} ${name}`)?.atMs ?? 0) < at)
          this.before.set(`${key} ${name}`, now);
        return result;
      };
      const put = (metric: string, unit: string, value: number) =>
        figures.push({ key, metric, instance: "", unit, value });
      const cpu = rate("container_cpu_usage_seconds_total");
      const periods = rate("container_cpu_cfs_periods_total");
      const held = rate("container_cpu_cfs_throttled_periods_total");
      const memory = totals.get("container_memory_working_set_bytes");
      const throttled =
        periods !== undefined && held !== undefined && periods > 0 ? Math.min(100, (100 * held) / periods) : undefined;
      if (cpu !== undefined) put("container.cpu.usage", "{cpu}", Math.round(cpu * 1000) / 1000);
      if (cpu !== undefined && cpuLimit) put("container.cpu.used", "%", hundredths((100 * cpu) / cpuLimit));
      if (throttled !== undefined) put("container.cpu.throttled", "%", hundredths(throttled));
      if (memory !== undefined) put("container.memory.usage", "By", memory);
      if (memory !== undefined && memoryLimit)
        put("container.memory.used", "%", hundredths((100 * memory) / memoryLimit));
      if (workload === undefined) continue;
      const sum = this.sums.get(workload);
      this.sums.set(workload, {
        cpu: cpu === undefined ? sum?.cpu : (sum?.cpu ?? 0) + cpu,
        memory: (sum?.memory ?? 0) + (memory ?? 0),
        throttled: throttled === undefined ? sum?.throttled : Math.max(sum?.throttled ?? 0, throttled),
      });
    }
    return figures;
  }

  /** Sums of the workloads over the pages read since the last time, and what is not there any more is forgotten. */
  ofWorkloads(present: (key: string) => boolean): ContainerFigure[] {
    const figures = [...this.sums].flatMap(([key, { cpu, memory, throttled }]) => {
      const figure = (metric: string, unit: string, value: number) => ({ key, metric, instance: "", unit, value });
      return [
        // Of a first page nothing is known yet of what is counted.
        ...(cpu === undefined ? [] : [figure("workload.cpu.usage", "{cpu}", Math.round(cpu * 1000) / 1000)]),
        figure("workload.memory.usage", "By", memory),
        ...(throttled === undefined ? [] : [figure("workload.cpu.throttled", "%", hundredths(throttled))]),
      ];
    });
    this.sums = new Map();
    for (const name of this.before.keys()) if (!present(name.slice(0, name.lastIndexOf(" ")))) this.before.delete(name);
    return figures;
  }
}
