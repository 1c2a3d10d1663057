import type { Extension } from "./extend";

/** How values of a metric come about: a level, a count that only rises, or what was counted since the sample before. */
export type Instrument = "gauge" | "total" | "delta";

/** What is wrong, by its nature: what decides where it can come from. */
export type Nature =
  | "down"
  /** It ended by itself, and was started again. */
  | "crash"
  | "slow"
  | "failing"
  | "busy"
  | "withheld"
  | "memory"
  | "full"
  /** Storage is slow, for whatever is asked of it or for its own sake. */
  | "storage"
  /** A device takes long over each thing, however little is asked of it. */
  | "device"
  | "network"
  | "queue"
  | "pool"
  | "clock"
  | "certificate"
  | "log"
  | "figure"
  | "other";

/** All that is known of a metric. */
export interface MetricInfo {
  metric: string;
  label: string;
  /** As the Unified Code for Units of Measure writes it; "0/1" for a state that holds or not. */
  unit: string;
  instrument: Instrument;
  /** Which direction means trouble; null where neither does by itself. */
  bad: "high" | "low" | null;
  /** How values of several components make one. */
  combine: "sum" | "mean" | "max";
  /** Name of the same figure in the OpenTelemetry semantic conventions, by which it is found too. */
  convention?: string;
  /** How an instance stands in a title: "Disk usage of /srv", "CPU core 3". */
  instanceAs: "of" | "after";
  /** Words for what is wrong: "memory is running out". */
  symptom?: { high?: string | undefined; low?: string | undefined };
  /** Family by which processes or machines are told apart that take most of it. */
  uses?: "cpu" | "memory" | "disk" | "reach";
  /** The nature of what is wrong when it is out of its bounds; by what it uses where it is left out. */
  nature?: Nature;
  /** It is worked out over hours, and stands long after what it tells of. */
  lags?: boolean;
  /** Of a size: none at all is none left, and not without limit. */
  zeroIsFull?: boolean;
}

const metric = (name: string, label: string, unit: string, more: Partial<MetricInfo> = {}): MetricInfo => ({
  metric: name,
  label,
  unit,
  instrument: "gauge",
  bad: null,
  combine: unit === "%" || unit === "0/1" || unit === "ms" ? "mean" : "sum",
  instanceAs: "of",
  ...more,
});

const high = (words: string): Partial<MetricInfo> => ({ bad: "high", symptom: { high: words } });

/** Metrics that ship with the product; kits add to them. */
const SHIPPED: readonly MetricInfo[] = [
  metric("cpu.used", "CPU usage", "%", {
    ...high("CPU is saturated"),
    convention: "system.cpu.utilization",
    uses: "cpu",
  }),
  metric("cpu.core.used", "CPU usage of core", "%", {
    ...high("a CPU core is saturated"),
    instanceAs: "after",
    uses: "cpu",
  }),
  metric("memory.used", "Memory usage", "%", {
    ...high("memory is running out"),
    convention: "system.memory.utilization",
    uses: "memory",
  }),
  metric("disk.used", "Disk usage", "%", {
    ...high("disk is filling up"),
    convention: "system.filesystem.utilization",
    uses: "disk",
  }),
  metric("disk.operations", "Disk operations", "1/s", { convention: "system.disk.operations" }),
  metric("disk.busy", "Disk busy", "%", {
    ...high("disk is saturated"),
    convention: "system.disk.io_time",
    uses: "disk",
    nature: "storage",
  }),
  metric("disk.service", "Disk time per operation", "ms", {
    ...high("disk answers slowly"),
    uses: "disk",
    nature: "device",
  }),
  metric("net.in", "Traffic in", "bit/s", { convention: "system.network.io receive" }),
  metric("net.out", "Traffic out", "bit/s", { convention: "system.network.io transmit" }),
  metric("net.discards", "Discarded packets", "1/s", { ...high("packets are discarded"), nature: "network" }),
  metric("net.ports", "Ports in use", "1"),
  metric("net.errors", "Interface errors", "1/s", {
    ...high("interface errors"),
    convention: "system.network.errors",
    nature: "network",
  }),
  metric("reachable", "Reachability", "0/1", { bad: "low", symptom: { low: "not responding" }, uses: "reach" }),
  metric("chore.done", "Result of chore", "0/1", {
    bad: "low",
    symptom: { low: "housekeeping failed" },
    instanceAs: "after",
    nature: "other",
  }),
  metric("response", "Agent response time", "ms", { ...high("agent responds slowly"), nature: "slow" }),
  metric("process.memory", "Process memory", "By", { convention: "process.memory.usage", uses: "memory" }),
  metric("process.cpu", "Process CPU usage", "%", { convention: "process.cpu.utilization", uses: "cpu" }),
  metric("cpu.stolen", "CPU steal", "%", {
    ...high("the hypervisor withholds CPU"),
    convention: "system.cpu.utilization steal",
    uses: "cpu",
    nature: "withheld",
  }),
  metric("swap.used", "Swap usage", "%", {
    ...high("swap is filling up"),
    convention: "system.paging.utilization",
    uses: "memory",
  }),
  metric("pressure", "Stall time waiting for", "%", {
    bad: "high",
    instanceAs: "after",
    symptom: { high: "work stalls for lack of resources" },
    nature: "busy",
  }),
  metric("container.cpu.usage", "Container CPUs in use", "{cpu}", {
    convention: "container.cpu.usage",
    uses: "cpu",
  }),
  metric("container.cpu.used", "Container CPU usage of its quota", "%", {
    ...high("container CPU is at its quota"),
    uses: "cpu",
  }),
  metric("container.cpu.throttled", "CPU throttled", "%", {
    ...high("CPU is throttled by its quota"),
    uses: "cpu",
  }),
  metric("container.memory.usage", "Container memory", "By", {
    convention: "container.memory.usage",
    uses: "memory",
  }),
  metric("container.memory.used", "Container memory usage of its limit", "%", {
    ...high("memory is near its limit"),
    uses: "memory",
  }),
  metric("container.processes", "Processes in container", "1"),
  metric("http.server.request.duration", "HTTP request duration", "s", {
    bad: "high",
    symptom: { high: "requests are slow" },
    combine: "mean",
    nature: "slow",
  }),
  metric("http.client.request.duration", "HTTP client request duration", "s", {
    bad: "high",
    symptom: { high: "outgoing requests are slow" },
    combine: "mean",
    nature: "slow",
  }),
  metric("messaging.queue.depth", "Messages in queue", "{message}", { ...high("messages pile up"), nature: "queue" }),
  metric("db.client.connection.count", "Pool connections in use", "{connection}", {
    ...high("no connection is free"),
    nature: "pool",
  }),
  metric("db.client.connection.max", "Pool size", "{connection}", { zeroIsFull: true }),
  metric("objective.burn", "Budget of the objective", "1", {
    ...high("the budget of its objective burns too fast"),
    nature: "figure",
    lags: true,
  }),
  metric("signals", "Signals", "1", { bad: "low", symptom: { low: "sends nothing any more" }, nature: "down" }),
  metric("state.combined", "Combined state", "1", { ...high("several things are wrong together"), nature: "other" }),
  metric("change.unplanned", "Unplanned changes", "1", {
    ...high("it was changed without a ticket that says so"),
    lags: true,
  }),
  metric("change.made", "Changes", "1", { ...high("it was changed"), lags: true }),
  metric("clock.offset", "Clock offset", "s", {
    bad: "high",
    symptom: { high: "its clock runs ahead", low: "its clock runs behind" },
    nature: "clock",
  }),
  metric("clock.ahead", "Clock ahead", "s", { ...high("its clock runs ahead"), combine: "max", nature: "clock" }),
  metric("certificate.left", "Time to certificate expiry", "d", {
    bad: "low",
    symptom: { low: "its certificate has expired or is about to" },
    nature: "certificate",
  }),
  metric("job.long", "Time that a job takes", "s", { ...high("a job takes too long"), nature: "slow" }),
  metric("job.missing", "Start of a job", "1", {
    bad: "low",
    symptom: { low: "a job did not start" },
    nature: "figure",
  }),
  metric("job.failed", "Failed runs of a job", "1", { ...high("a job failed"), nature: "failing" }),
  metric("process.running", "Process running", "0/1", { bad: "low", symptom: { low: "it does not run" } }),
  metric("process.restarts", "Starts within 15 min", "1", {
    ...high("it is started again and again"),
    nature: "crash",
    combine: "max",
  }),
  metric("logs.many", "Log records", "1", { ...high("many errors in the logs"), nature: "log" }),
  metric("logs.new", "New log patterns", "1", { ...high("errors never met before"), nature: "log" }),
  metric("logs.none", "Log records", "1", { bad: "low", symptom: { low: "nothing in the logs" }, nature: "log" }),
  metric("log.distinct", "Different values in its log", "1", {
    ...high("its log tells of many more than usual"),
    nature: "log",
  }),
  metric("log.share", "Share of its log records", "%", {
    bad: "high",
    symptom: { high: "its log tells of one more often than usual", low: "its log tells of one more seldom than usual" },
    nature: "log",
  }),
  metric("log.pattern", "Log pattern", "1", { nature: "log" }),
  metric("calls.failing", "Failing calls", "%", { ...high("calls fail"), nature: "failing" }),
  metric("calls.slow", "Slow calls", "%", { ...high("calls are slow"), nature: "slow" }),
  metric("guest.running", "Powered on", "0/1"),
  metric("guest.cpu.used", "CPU usage reported by the hypervisor", "%", { uses: "cpu" }),
  metric("guest.memory", "Memory allotted", "By", { uses: "memory" }),
  metric("guests.running", "Virtual machines running", "1"),
  metric("cpu.allotted", "CPUs allotted", "%", { ...high("CPUs are overcommitted"), uses: "cpu" }),
  metric("storage.allotted", "Storage allotted to virtual machines", "%", {
    ...high("storage is overcommitted"),
    uses: "disk",
  }),
  metric("memory.allotted", "Memory allotted to virtual machines", "%", {
    ...high("memory is overcommitted"),
    uses: "memory",
  }),
];

/** What platforms measure of what they have, from outside. */
const OF_PLATFORMS: readonly MetricInfo[] = [
  metric("platform.reachable", "Interface reachable", "0/1", {
    bad: "low",
    symptom: { low: "the platform does not answer" },
    uses: "reach",
  }),
  metric("platform.response", "Time to read the platform", "ms", { bad: "high", nature: "slow" }),
  metric("platform.failures", "Failed requests to the platform", "1", {
    ...high("requests to the platform fail"),
    nature: "failing",
  }),
  metric("guest.memory.used", "Memory usage reported by the platform", "%", { uses: "memory" }),
  metric("guest.cpu.ready", "Waiting for a CPU of the host (ready)", "%", {
    ...high("it waits for the hypervisor's CPUs"),
    uses: "cpu",
    nature: "withheld",
  }),
  metric("guest.cpu.held", "Held back to keep virtual CPUs in step", "%", {
    ...high("its virtual CPUs wait for each other"),
    uses: "cpu",
    nature: "withheld",
  }),
  metric("guest.cpu.stolen", "CPU taken by others", "%", {
    ...high("others take its CPUs"),
    uses: "cpu",
    nature: "withheld",
  }),
  metric("guest.memory.touched", "Memory touched", "By", { uses: "memory" }),
  metric("guest.memory.backed", "Memory backed by the host", "By", { uses: "memory" }),
  metric("guest.memory.overhead", "Memory overhead on the host", "By", { uses: "memory" }),
  metric("guest.memory.ballooned", "Memory reclaimed by ballooning", "By", {
    ...high("memory is taken back"),
    uses: "memory",
  }),
  metric("guest.net.in", "Traffic in reported by the platform", "bit/s"),
  metric("guest.net.out", "Traffic out reported by the platform", "bit/s"),
  metric("guest.disk.read", "Disk reads reported by the platform", "By/s", { uses: "disk" }),
  metric("guest.disk.written", "Disk writes reported by the platform", "By/s", { uses: "disk" }),
  metric("volume.used", "Volume usage", "%", { ...high("volume is filling up"), uses: "disk" }),
  metric("volume.reads", "Volume reads", "1/s", { nature: "storage" }),
  metric("volume.writes", "Volume writes", "1/s", { nature: "storage" }),
  metric("volume.latency", "Volume latency", "ms", {
    ...high("volume answers slowly"),
    uses: "disk",
    nature: "storage",
  }),
  metric("volume.busy", "Volume busy", "%", { ...high("volume is saturated"), uses: "disk", nature: "storage" }),
  metric("bucket.size", "Stored", "By"),
  metric("bucket.objects", "Objects stored", "1"),
  metric("bucket.requests", "Requests to the store", "1/s"),
  metric("balancer.requests", "Requests through the balancer", "1/s"),
  metric("balancer.failed", "Requests failed at the balancer", "%", {
    ...high("requests fail at the balancer"),
    nature: "failing",
  }),
  metric("balancer.response", "Response time at the balancer", "ms", {
    ...high("responses are slow at the balancer"),
    nature: "slow",
  }),
  metric("balancer.targets.healthy", "Healthy targets", "1", {
    bad: "low",
    symptom: { low: "no target is healthy" },
    nature: "down",
  }),
  metric("database.cpu.used", "Database CPU usage", "%", { ...high("database CPU is saturated"), uses: "cpu" }),
  metric("database.connections", "Database connections", "1"),
  metric("database.storage.used", "Database storage usage", "%", {
    ...high("database storage is filling up"),
    uses: "disk",
  }),
  metric("database.latency", "Database latency", "ms", { ...high("database answers slowly"), nature: "slow" }),
  metric("hardware.health", "Hardware health", "1", { bad: "high", symptom: { high: "its hardware is not well" } }),
  metric("hardware.on", "Power on", "0/1"),
  metric("hardware.power", "Power drawn", "W"),
  metric("hardware.temperature", "Temperature", "Cel", { ...high("it runs hot"), combine: "max" }),
  metric("hardware.fan.speed", "Fan speed", "/min"),
  metric("hardware.fan.share", "Fan speed of its highest", "%"),
  metric("hardware.fan.health", "Fan health", "1", high("a fan is failing")),
  metric("hardware.supply.health", "Power supply health", "1", high("a power supply is failing")),
  metric("hardware.drive.health", "Drive health", "1", { ...high("a drive is failing"), nature: "device" }),
  metric("hardware.drive.life", "Drive life left", "%", { bad: "low", symptom: { low: "a drive is worn out" } }),
  metric("hardware.drive.failing", "Drive failure predicted", "0/1", {
    ...high("a drive says that it will fail"),
    nature: "device",
  }),
  metric("node.ready", "Node ready", "0/1", { bad: "low", symptom: { low: "the node is not ready" }, uses: "reach" }),
  metric("node.pods", "Pods on the node", "1"),
  metric("workload.wanted", "Replicas wanted", "1"),
  metric("workload.ready", "Replicas ready", "1"),
  metric("workload.missing", "Replicas missing", "1", { ...high("replicas are missing"), nature: "down" }),
  metric("workload.restarts", "Restarts of its containers", "1", { instrument: "total" }),
  metric("workload.cpu.usage", "CPUs in use by its containers", "{cpu}", { uses: "cpu" }),
  metric("workload.cpu.throttled", "CPU throttled, worst of its containers", "%", {
    ...high("a container is throttled by its quota"),
    uses: "cpu",
  }),
  metric("workload.memory.usage", "Memory of its containers", "By", { uses: "memory" }),
  metric("workload.jobs.succeeded", "Jobs succeeded", "1"),
  metric("workload.jobs.failed", "Jobs failed", "1", high("jobs fail")),
  metric("workload.jobs.active", "Jobs running", "1"),
  metric("container.restarts", "Container restarts", "1", { instrument: "total", bad: "high" }),
  metric("container.ready", "Container ready", "0/1", {
    bad: "low",
    symptom: { low: "the container is not ready" },
    nature: "down",
  }),
  metric("function.calls", "Function calls", "1/s"),
  metric("function.errors", "Function calls failed", "%", { ...high("function calls fail"), nature: "failing" }),
  metric("function.duration", "Function duration", "ms", { ...high("function is slow"), nature: "slow" }),
  metric("function.throttled", "Function calls throttled", "1/s", high("function is throttled")),
];

const byName = new Map([...SHIPPED, ...OF_PLATFORMS].map((info) => [info.metric, info]));

/** Takes the metrics of kits up; see `extendCatalogue`. */
export function addMetrics(metrics: Extension["metrics"]): void {
  for (const { label, unit, metric: name, ...given } of metrics)
    byName.set(
      name,
      metric(name, label, unit, Object.fromEntries(Object.entries(given).filter(([, value]) => value !== undefined))),
    );
}

/** A quantile, count or sum that is worked out of a metric: "http.server.request.duration.p95". */
export function splitMetric(name: string): { base: string; part: string | undefined } {
  // What is described under its whole name is no part of a histogram.
  if (byName.has(name)) return { base: name, part: undefined };
  const [, base = name, part] = /^(.+)\.(p\d+(?:\.\d+)?|count|sum)$/.exec(name) ?? [];
  return { base, part };
}

/** What is known of a metric; one that nobody described gets a label made of its name. */
export function metricInfo(name: string, unit = ""): MetricInfo {
  return byName.get(name) ?? metric(name, readableLabel(name), unit);
}

/** Every metric that is described. */
export const describedMetrics = (): Iterable<MetricInfo> => byName.values();

/** "HTTP request duration, p95". */
export function metricName(name: string): string {
  const { base, part } = splitMetric(name);
  return `${metricInfo(base).label}${part ? `, ${part}` : ""}`;
}

/** "Disk usage of /srv", "Memory usage". */
export function metricTitle(name: string, instance: string): string {
  if (!instance) return metricName(name);
  // One attribute needs no name: its value says what it is of.
  const own = /^[\w.]+=([^=,]+)$/.exec(instance)?.[1] ?? instance;
  return metricInfo(splitMetric(name).base).instanceAs === "after"
    ? `${metricName(name)} ${own}`
    : `${metricName(name)} of ${own}`;
}

/** What is wrong when a metric is too high or too low: "memory is running out". */
export function symptomOf(name: string, direction: "above" | "below"): string {
  const info = metricInfo(splitMetric(name).base);
  const words = direction === "above" ? info.symptom?.high : info.symptom?.low;
  const label = metricName(name);
  return words ?? `${lowerFirst(label)} is too ${direction === "above" ? "high" : "low"}`;
}

const ACRONYMS = new Set(
  "api cpu db dns gc gpu grpc html http https id io ip jvm nfs os rpc sql ssl tcp tls udp url vm".split(" "),
);
/** Ends of names that only repeat the unit or the kind of instrument. */
const ENDINGS = new Set(["bytes", "seconds", "milliseconds", "ms", "total", "ratio", "percent", "celsius", "info"]);

/** "process_resident_memory_bytes" becomes "Process resident memory". */
export function readableLabel(name: string): string {
  const words = name
    .replaceAll(/([a-z\d])([A-Z])/g, "$1 $2")
    .split(/[\s._:/-]+/)
    .filter(Boolean);
  while (words.length > 1 && ENDINGS.has((words.at(-1) as string).toLowerCase())) words.pop();
  const text = words
    .map((word) => (ACRONYMS.has(word.toLowerCase()) ? word.toUpperCase() : word.toLowerCase()))
    .join(" ");
  // A quantile by itself is written small.
  return text && !/^p\d/.test(text) ? text.charAt(0).toUpperCase() + text.slice(1) : text || name;
}

/** The first letter made small, but not that of an acronym. */
export const lowerFirst = (text: string): string =>
  /^[A-Z]{2}/.test(text) ? text : text.charAt(0).toLowerCase() + text.slice(1);
