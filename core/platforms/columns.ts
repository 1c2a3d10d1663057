import { isHostLike, kindInfo } from "../catalogue/kinds";
import { metricInfo } from "../catalogue/metrics";
import { OF_PLATFORM } from "../estate/labels";

/** What is at the top of a platform, and what that is divided into. */
export const TOPS = ["platform.account", "platform.cluster"] as const;
export const PLACES = ["platform.region", "platform.namespace"] as const;
/** What is counted to the place of what it is part of. */
export const CARRIERS = [...PLACES, "app.workload", "host.hypervisor"] as const;

const HYPERVISOR = "host.hypervisor";

/** What lists of a platform are of: all that is a host, or one kind. */
export const INSTANCES = "instances";
export const groupOf = (kind: string): string => (isHostLike(kind) && kind !== HYPERVISOR ? INSTANCES : kind);
/** Hosts of a cluster are its nodes. */
const ofCluster = (owner: string) => owner === "platform.cluster" || owner === "platform.namespace";
export function groupLabel(group: string, owner: string, count = 2): string {
  if (group !== INSTANCES) return count === 1 ? kindInfo(group).label : kindInfo(group).plural;
  const one = ofCluster(owner) ? "Node" : "Instance";
  return count === 1 ? one : `${one}s`;
}

const FACTS: Readonly<Record<string, readonly string[]>> = {
  [INSTANCES]: ["state", "size", "zone"].map((one) => `${OF_PLATFORM}${one}`),
  [HYPERVISOR]: ["state", "processors", "memory MiB"].map((one) => `${OF_PLATFORM}${one}`),
  "storage.volume": ["size GiB", "zone", "state"],
  "app.workload": ["sort", "images"],
  "platform.size": ["processors", "memory MiB", "disk GiB"],
  "platform.image": ["size MiB", "format", "state"],
  "app.container": ["state", "CPU limit", "memory limit MiB"].map((one) => `${OF_PLATFORM}${one}`),
  "platform.service": ["ports"],
  "platform.ingress": ["hosts"],
  "db.managed": ["engine", "size"],
  "app.function": ["runtime", "memory MiB"],
  "net.virtual": ["address block"],
  "platform.balancer": ["port"],
};

const INSTANCE_METRICS = ["guest.cpu.used", "guest.memory.used", "memory.used", "guest.net.in", "guest.net.out"];
/** Heads of columns: within a list it goes without saying of what a figure is, and who tells it. */
const HEADS: Readonly<Record<string, string>> = {
  "guest.cpu.used": "CPU",
  "guest.memory.used": "Memory",
  "memory.used": "Memory inside",
  "guest.net.in": "Traffic in",
  "guest.net.out": "Traffic out",
  "volume.used": "Used",
  "volume.reads": "Reads",
  "volume.writes": "Writes",
  "volume.latency": "Latency",
  "volume.busy": "Busy",
  "bucket.objects": "Objects",
  "bucket.requests": "Requests",
  "balancer.requests": "Requests",
  "balancer.failed": "Failed",
  "balancer.targets.healthy": "Healthy targets",
  "balancer.response": "Response",
  "database.cpu.used": "CPU",
  "database.connections": "Connections",
  "database.storage.used": "Storage",
  "database.latency": "Latency",
  "cpu.used": "CPU",
  "node.pods": "Pods",
  "guests.running": "Running",
  "cpu.allotted": "CPUs allotted",
  "memory.allotted": "Memory allotted",
  "node.ready": "Ready",
  "workload.ready": "Ready",
  "workload.wanted": "Wanted",
  "workload.cpu.usage": "CPUs in use",
  "workload.cpu.throttled": "Throttled (worst)",
  "workload.memory.usage": "Memory",
  "container.cpu.usage": "CPUs in use",
  "container.cpu.used": "CPU of limit",
  "container.cpu.throttled": "Throttled",
  "container.memory.used": "Memory of limit",
  "container.restarts": "Restarts",
  "function.calls": "Calls",
  "function.errors": "Failed",
  "function.duration": "Duration",
  "function.throttled": "Throttled",
};
export const headOf = (metric: string): string => HEADS[metric] ?? metricInfo(metric).label;
const NODE_METRICS = ["cpu.used", "memory.used", "node.pods", "node.ready"];
const NODE_FACTS = ["state", "processors", "memory GiB", "pods at most"].map((one) => `${OF_PLATFORM}${one}`);
const METRICS: Readonly<Record<string, readonly string[]>> = {
  [HYPERVISOR]: ["guests.running", "cpu.used", "cpu.allotted", "memory.used", "memory.allotted"],
  "app.workload": [
    "workload.ready",
    "workload.wanted",
    "workload.cpu.usage",
    "workload.cpu.throttled",
    "workload.memory.usage",
  ],
  "app.container": [
    "container.cpu.usage",
    "container.cpu.used",
    "container.cpu.throttled",
    "container.memory.used",
    "container.restarts",
  ],
};
const MOST_METRICS = 5;

/** Facts and metrics that say most of what is in a list. */
export function columnsOf(group: string, owner: string): { facts: readonly string[]; metrics: readonly string[] } {
  if (group === INSTANCES && ofCluster(owner)) return { facts: NODE_FACTS, metrics: NODE_METRICS };
  return {
    facts: FACTS[group] ?? [],
    metrics: group === INSTANCES ? INSTANCE_METRICS : (METRICS[group] ?? kindInfo(group).charts.slice(0, MOST_METRICS)),
  };
}
