import { containerId, ofContainer } from "../seen/agents";
import type { HostView } from "../seen/host-view";
import { MIB, type Container } from "../world/layout";

/** A container of the cluster, and the node that it is on. */
export interface Placed {
  host: HostView;
  container: Container;
}

interface Node {
  space: string;
  host: HostView;
  own: readonly Placed[];
  podOf: (one: Placed) => string;
  memoryMiBOf: (one: Placed) => number;
}

/** What nodes measure of their containers, counted up from look to look. */
export class NodeFigures {
  private readonly totals = new Map<string, { atMs: number; cpu: number; periods: number; held: number }>();

  /** A node's page of container metrics. */
  page({ space, host, own, podOf, memoryMiBOf }: Node, atMs: number): string {
    const lines: string[] = [];
    const put = (name: string, type: string, rows: readonly (readonly [labels: string, value: number])[]) => {
      lines.push(`# TYPE ${name} ${type}`);
      for (const [labels, value] of rows) lines.push(`${name}{${labels}} ${value} ${Math.floor(atMs)}`);
    };
    const rows = own.flatMap((one) => {
      const values = ofContainer(host, one.container).valuesAt(atMs);
      if (!values) return [];
      const [cpu = 0, , throttled = 0, memory = 0] = values;
      const key = containerId(one.container);
      const before = this.totals.get(key);
      const seconds = before ? Math.max(0, (atMs - before.atMs) / 1000) : 0;
      const total = {
        atMs,
        cpu: (before?.cpu ?? 0) + cpu * seconds,
        periods: (before?.periods ?? 0) + 10 * seconds,
        held: (before?.held ?? 0) + (10 * seconds * throttled) / 100,
      };
      this.totals.set(key, total);
      const { name } = one.container.spec;
      return [{ labels: `container="${name}",namespace="${space}",pod="${podOf(one)}"`, memory, ...total }];
    });
    put(
      "container_cpu_usage_seconds_total",
      "counter",
      rows.map((one) => [one.labels, one.cpu] as const),
    );
    put(
      "container_cpu_cfs_periods_total",
      "counter",
      rows.map((one) => [one.labels, one.periods] as const),
    );
    put(
      "container_cpu_cfs_throttled_periods_total",
      "counter",
      rows.map((one) => [one.labels, one.held] as const),
    );
    put(
      "container_memory_working_set_bytes",
      "gauge",
      rows.map((one) => [one.labels, one.memory] as const),
    );
    put(
      "container_spec_memory_limit_bytes",
      "gauge",
      own.map((one) => [`container="${one.container.spec.name}"`, memoryMiBOf(one) * MIB] as const),
    );
    return `${lines.join("\n")}\n`;
  }
}
