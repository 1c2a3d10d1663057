import { adviseLimit, niceBytes, niceCpus, type Usage } from "#core/platforms/limits";
import { OF_PLATFORM } from "#core/estate/labels";
import { DAY_MS } from "#core/time/windows";
import type { Db } from "../store/database";
import { componentById } from "../store/estate";
import { factsOfMany } from "../store/facts";
import { spansOf } from "../store/query";
import type { RelationRow } from "../store/relations";
import { healthAt } from "../store/services";
import { lastSample, seriesOfComponent, seriesOfMetrics } from "../store/signals";
import { RECENT_MS } from "./guests";

/** History that a better limit is worked out from, and its grain. */
const HISTORY_MS = 7 * DAY_MS;
const STEP_MS = 5 * 60_000;
const MOST_CONTAINERS = 200;
const METRICS = [
  "container.cpu.usage",
  "container.cpu.used",
  "container.cpu.throttled",
  "container.memory.usage",
  "container.memory.used",
  "container.restarts",
] as const;
const FACTS = ["state", "CPU request", "CPU limit", "memory request MiB", "memory limit MiB", "last end", "image"].map(
  (one) => `${OF_PLATFORM}${one}`,
);
const MIB = 2 ** 20;

/** The containers of a workload at an instant, the most held back first, and what better limits would be. */
export function containersOf(db: Db, workload: number, relations: readonly RelationRow[], atMs: number) {
  const ids = relations
    .filter((row) => row.type === "part-of" && row.to_id === workload)
    .map((row) => row.from_id)
    .filter((id) => componentById(db, id)?.kind === "app.container")
    .slice(0, MOST_CONTAINERS);
  if (ids.length === 0) return { containers: [], limits: [] };
  const series = seriesOfMetrics(db, ids, METRICS);
  const facts = factsOfMany(db, ids, FACTS, atMs);
  const health = healthAt(db, "component", atMs);
  const last = (id: number, metric: string) => {
    const own = series.get(id)?.get(metric);
    return own ? (lastSample(db, own.id, atMs, RECENT_MS)?.value ?? null) : null;
  };
  const fact = (id: number, name: string) => facts.get(id)?.[`${OF_PLATFORM}${name}`];
  const number = (id: number, name: string) => {
    const text = fact(id, name);
    return text === undefined ? null : Number(text);
  };
  const containers = ids
    .map((id) => {
      const row = componentById(db, id);
      const host = row?.host_id == null ? undefined : componentById(db, row.host_id);
      return {
        id,
        name: row?.name ?? "",
        label: row?.label ?? row?.name ?? "",
        node: host ? { id: host.id, name: host.name } : null,
        severity: health.get(id)?.severity ?? ("cleared" as const),
        state: fact(id, "state") ?? "",
        lastEnd: fact(id, "last end") ?? "",
        cpu: last(id, "container.cpu.usage"),
        cpuRequest: number(id, "CPU request"),
        cpuLimit: number(id, "CPU limit"),
        throttled: last(id, "container.cpu.throttled"),
        memory: last(id, "container.memory.usage"),
        memoryRequest: times(number(id, "memory request MiB"), MIB),
        memoryLimit: times(number(id, "memory limit MiB"), MIB),
        restarts: last(id, "container.restarts"),
      };
    })
    .sort((a, b) => (b.throttled ?? 0) - (a.throttled ?? 0) || a.name.localeCompare(b.name));
  const labels = [...new Set(containers.map((one) => one.label))];
  return { containers, limits: labels.map((label) => limitsOf(db, label, containers, atMs)) };
}

const times = (value: number | null, factor: number) => (value === null ? null : value * factor);

interface ContainerLimits {
  id: number;
  label: string;
  cpuLimit: number | null;
  memoryLimit: number | null;
}

/** What better limits of one container of a workload would be, from the history of all that run it. */
function limitsOf(db: Db, label: string, containers: readonly ContainerLimits[], atMs: number) {
  const own = containers.filter((one) => one.label === label);
  const cpu: Usage[] = [];
  const memory: Usage[] = [];
  for (const { id } of own) {
    // Whoever tells of it, the cluster or an agent: one may have told for longer.
    const all = seriesOfComponent(db, id);
    const steps = (metric: string) =>
      all.filter((one) => one.metric === metric).map((one) => spansOf(db, one, atMs - HISTORY_MS, atMs, STEP_MS));
    const heldAt = new Map<number, number>();
    for (const { starts, max } of steps("container.cpu.throttled"))
      starts.forEach((start, index) => heldAt.set(start, Math.max(heldAt.get(start) ?? 0, max[index] as number)));
    // The highest of each step counts: a limit is felt at once.
    for (const { starts, max } of steps("container.cpu.usage"))
      cpu.push({ values: max, held: [...starts].map((start) => heldAt.get(start) ?? 0) });
    for (const { max } of steps("container.memory.usage")) memory.push({ values: max });
  }
  // Of a roll-out that stopped half way the lower one is what hurts.
  const lowest = (values: (number | null)[]) => {
    const known = values.filter((one) => one !== null);
    return known.length ? Math.min(...known) : undefined;
  };
  const cpuLimit = lowest(own.map((one) => one.cpuLimit));
  const memoryLimit = lowest(own.map((one) => one.memoryLimit));
  const cpuAdvice = adviseLimit(cpu, 99, cpuLimit);
  const memoryAdvice = adviseLimit(memory, 100, memoryLimit);
  return {
    label,
    cpuLimit: cpuLimit ?? null,
    memoryLimit: memoryLimit ?? null,
    cpu: cpuAdvice ? { ...cpuAdvice, value: niceCpus(cpuAdvice.value) } : null,
    memory: memoryAdvice ? { ...memoryAdvice, value: niceBytes(memoryAdvice.value) } : null,
  };
}
