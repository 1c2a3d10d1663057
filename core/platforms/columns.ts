import { isHostLike, kindInfo } from "../catalogue/kinds";
import { metricInfo } from "../catalogue/metrics";
import { OF_PLATFORM } from "../estate/labels";

/** What lists of a platform are of: all that is a host, or one kind. */
export const INSTANCES = "instances";
export const groupOf = (kind: string): string => (isHostLike(kind) ? INSTANCES : kind);
export const groupLabel = (group: string, count = 2): string =>
  group === INSTANCES
    ? count === 1
      ? "Instance"
      : "Instances"
    : count === 1
      ? kindInfo(group).label
      : kindInfo(group).plural;

const FACTS: Readonly<Record<string, readonly string[]>> = {
  [INSTANCES]: ["state", "size", "zone"].map((one) => `${OF_PLATFORM}${one}`),
  "storage.volume": ["size GiB", "zone"],
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
  "function.calls": "Calls",
  "function.errors": "Failed",
  "function.duration": "Duration",
  "function.throttled": "Throttled",
};
export const headOf = (metric: string): string => HEADS[metric] ?? metricInfo(metric).label;
const MOST_METRICS = 5;

/** Facts and metrics that say most of what is in a list. */
export const columnsOf = (group: string): { facts: readonly string[]; metrics: readonly string[] } => ({
  facts: FACTS[group] ?? [],
  metrics: group === INSTANCES ? INSTANCE_METRICS : kindInfo(group).charts.slice(0, MOST_METRICS),
});
