import type { Extension } from "./extend";

/** Layers of the map, top to bottom. */
export const STRATA = [
  { id: "people", label: "People and entry points" },
  { id: "services", label: "Services" },
  { id: "applications", label: "Applications" },
  { id: "data", label: "Data and messages" },
  { id: "hosts", label: "Hosts" },
  { id: "platforms", label: "Hypervisors and clouds" },
  { id: "network", label: "Network and storage" },
] as const;

export type Stratum = (typeof STRATA)[number]["id"];
export type RelationType = "runs-on" | "hosted-by" | "talks-to" | "part-of" | "stored-on" | "wired-to";

/** Pictures that stand for kinds. */
export const ICONS = [
  "host",
  "hypervisor",
  "network",
  "container",
  "process",
  "web",
  "data",
  "queue",
  "directory",
  "service",
] as const;
export type Icon = (typeof ICONS)[number];

/** All that is known of a kind of component. */
export interface KindInfo {
  /** Dotted name; what stands before the dot is the family. */
  kind: string;
  label: string;
  plural: string;
  stratum: Stratum;
  icon: Icon;
  /** Has an address and an inventory of its own; other components may be parts of it. */
  isHost: boolean;
  /** Runs virtual machines, which are polled with it. */
  hasGuests: boolean;
  /** The figure that stands on its card, with a word for it where the unit does not say enough. */
  headline: { metric: string; word: string } | null;
  /** Metrics drawn on its page, in this order. */
  charts: readonly string[];
  /** Of these, what is shown on the page of a component that it carries. */
  chartsBelow: readonly string[];
  /** Relations it can have. */
  relations: readonly RelationType[];
}

const HARDWARE_CHARTS = ["hardware.health", "hardware.power", "hardware.temperature", "hardware.drive.life"];
const HOST_CHARTS = [
  "cpu.used",
  "memory.used",
  "guest.cpu.used",
  "guest.cpu.ready",
  "cpu.stolen",
  "disk.used",
  "disk.busy",
  "disk.service",
  "net.in",
  "net.out",
  "net.errors",
  "reachable",
  "response",
  ...HARDWARE_CHARTS,
];
const INSTANCE_CHARTS = [
  "guest.cpu.used",
  "guest.cpu.ready",
  "guest.cpu.held",
  "guest.memory.used",
  "guest.net.in",
  "guest.net.out",
  "guest.disk.read",
  "guest.disk.written",
];
const PROCESS_CHARTS = ["process.memory", "process.cpu"];

const host = (kind: string, label: string, plural: string, more: Partial<KindInfo> = {}): KindInfo => ({
  kind,
  label,
  plural,
  stratum: "hosts",
  icon: "host",
  isHost: true,
  hasGuests: false,
  headline: { metric: "memory.used", word: "memory" },
  charts: HOST_CHARTS,
  chartsBelow: ["cpu.used", "memory.used", "cpu.stolen"],
  relations: ["hosted-by", "wired-to", "talks-to"],
  ...more,
});

const part = (
  kind: string,
  label: string,
  plural: string,
  stratum: Stratum,
  icon: Icon,
  more: Partial<KindInfo> = {},
): KindInfo => ({
  kind,
  label,
  plural,
  stratum,
  icon,
  isHost: false,
  hasGuests: false,
  headline: { metric: "process.memory", word: "" },
  charts: PROCESS_CHARTS,
  chartsBelow: [],
  relations: ["runs-on", "talks-to", "stored-on"],
  ...more,
});

/** What a platform has that is no host and runs on none that anybody sees. */
const platform = (kind: string, label: string, plural: string, more: Partial<KindInfo> = {}): KindInfo => ({
  ...part(kind, label, plural, "platforms", "hypervisor"),
  charts: [],
  relations: ["part-of"],
  ...more,
});

/** Kinds that ship with the product; kits add to them. */
const SHIPPED: readonly KindInfo[] = [
  host("host.linux", "Linux host", "Linux hosts"),
  host("host.unknown", "Host (system unknown)", "Hosts (system unknown)"),
  host("host.hypervisor", "Hypervisor", "Hypervisors", {
    stratum: "platforms",
    icon: "hypervisor",
    hasGuests: true,
    charts: [
      "cpu.used",
      "memory.used",
      "cpu.allotted",
      "memory.allotted",
      "guests.running",
      "disk.used",
      "disk.busy",
      "disk.service",
      "net.in",
      "net.out",
      "net.errors",
      "reachable",
      "response",
      ...HARDWARE_CHARTS,
    ],
    chartsBelow: ["cpu.used", "memory.used", "cpu.allotted"],
    relations: ["wired-to"],
  }),
  host("host.guest", "Virtual machine (not reached)", "Virtual machines (not reached)"),
  host("host.instance", "Instance", "Instances", {
    headline: { metric: "guest.cpu.used", word: "CPU" },
    charts: INSTANCE_CHARTS,
    chartsBelow: ["guest.cpu.used"],
    relations: ["hosted-by", "stored-on", "wired-to", "talks-to"],
  }),
  host("host.node", "Cluster node", "Cluster nodes", {
    headline: { metric: "node.pods", word: "pods" },
    charts: ["node.ready", "node.pods", ...INSTANCE_CHARTS],
    chartsBelow: ["node.pods"],
  }),
  host("net.switch", "Switch", "Switches", {
    stratum: "network",
    icon: "network",
    headline: { metric: "cpu.used", word: "CPU" },
    relations: ["wired-to"],
  }),
  host("net.router", "Router", "Routers", {
    stratum: "network",
    icon: "network",
    headline: { metric: "cpu.used", word: "CPU" },
    relations: ["wired-to"],
  }),
  platform("platform.account", "Platform account", "Platform accounts", {
    charts: ["platform.reachable", "platform.response", "platform.failures"],
    headline: null,
    relations: [],
  }),
  platform("platform.region", "Region", "Regions", { charts: ["platform.reachable"], headline: null }),
  platform("platform.cluster", "Container cluster", "Container clusters", {
    charts: ["platform.reachable", "platform.response", "platform.failures"],
    headline: null,
    relations: [],
  }),
  platform("platform.namespace", "Name space", "Name spaces", { headline: null }),
  platform("app.workload", "Workload", "Workloads", {
    stratum: "applications",
    icon: "container",
    charts: [
      "workload.wanted",
      "workload.ready",
      "workload.missing",
      "workload.restarts",
      "workload.cpu.usage",
      "workload.cpu.throttled",
      "workload.memory.usage",
      "workload.jobs.succeeded",
      "workload.jobs.failed",
      "workload.jobs.active",
    ],
    headline: { metric: "workload.ready", word: "ready" },
    relations: ["part-of", "stored-on", "talks-to"],
  }),
  platform("platform.service", "Cluster service", "Cluster services", {
    stratum: "applications",
    icon: "network",
    headline: null,
    relations: ["part-of", "talks-to"],
  }),
  platform("platform.ingress", "Ingress", "Ingresses", {
    stratum: "people",
    icon: "network",
    headline: null,
    relations: ["part-of", "talks-to"],
  }),
  platform("platform.balancer", "Load balancer", "Load balancers", {
    stratum: "people",
    icon: "network",
    charts: ["balancer.requests", "balancer.failed", "balancer.targets.healthy", "balancer.response"],
    headline: { metric: "balancer.requests", word: "" },
    relations: ["talks-to", "part-of"],
  }),
  platform("platform.size", "Instance size", "Instance sizes", { headline: null }),
  platform("platform.image", "Image", "Images", { headline: null }),
  platform("net.virtual", "Virtual network", "Virtual networks", {
    stratum: "network",
    icon: "network",
    charts: ["net.in", "net.out", "net.errors", "net.discards", "net.ports"],
    headline: null,
  }),
  platform("storage.volume", "Volume", "Volumes", {
    stratum: "network",
    icon: "data",
    charts: ["volume.used", "volume.reads", "volume.writes", "volume.latency", "volume.busy"],
    chartsBelow: ["volume.latency", "volume.busy"],
    headline: { metric: "volume.latency", word: "" },
  }),
  platform("storage.pool", "Datastore", "Datastores", {
    stratum: "network",
    icon: "data",
    charts: ["volume.latency", "volume.used", "volume.reads", "volume.writes"],
    chartsBelow: ["volume.latency"],
    headline: { metric: "volume.latency", word: "" },
  }),
  platform("storage.bucket", "Object store", "Object stores", {
    stratum: "network",
    icon: "data",
    charts: ["bucket.size", "bucket.objects", "bucket.requests"],
    headline: { metric: "bucket.size", word: "" },
  }),
  platform("db.managed", "Managed database", "Managed databases", {
    stratum: "data",
    icon: "data",
    charts: ["database.cpu.used", "database.connections", "database.storage.used", "database.latency"],
    headline: { metric: "database.cpu.used", word: "CPU" },
  }),
  platform("app.function", "Function", "Functions", {
    stratum: "applications",
    icon: "process",
    charts: ["function.calls", "function.errors", "function.duration", "function.throttled"],
    headline: { metric: "function.calls", word: "" },
    relations: ["talks-to", "part-of"],
  }),
  part("app.web", "Web front end", "Web front ends", "people", "web"),
  part("app.proxy", "Proxy", "Proxies", "people", "web"),
  part("app.process", "Application process", "Application processes", "applications", "process"),
  part("app.container", "Container", "Containers", "applications", "container", {
    headline: { metric: "container.memory.usage", word: "" },
    charts: [
      "container.cpu.used",
      "container.cpu.throttled",
      "container.memory.used",
      "container.memory.usage",
      "container.restarts",
      ...PROCESS_CHARTS,
    ],
    chartsBelow: ["container.cpu.used", "container.cpu.throttled", "container.memory.used"],
  }),
  part("app.endpoint", "Listening port", "Listening ports", "applications", "process", { headline: null }),
  part("db.relational", "Relational database", "Relational databases", "data", "data"),
  part("db.cache", "Cache", "Caches", "data", "data"),
  part("db.series", "Time series database", "Time series databases", "data", "data"),
  part("queue.broker", "Message broker", "Message brokers", "data", "queue"),
  part("dir.ldap", "Directory", "Directories", "data", "directory"),
];

/**
 * What tells most of a service by its members, as patterns of metrics in this order: how long answers take, then what
 * its hosts and processes use.
 */
export const SERVICE_CHARTS: readonly string[] = [
  "*duration*.p95",
  "*latency*.p95",
  "cpu.used",
  "memory.used",
  "process.memory",
  "process.cpu",
  "net.in",
];

const byKind = new Map(SHIPPED.map((info) => [info.kind, info]));

/** Takes the kinds of kits up; see `extendCatalogue`. */
export function addKinds(kinds: Extension["kinds"]): void {
  for (const { like, ...given } of kinds) {
    const model = byKind.get(like) as KindInfo;
    byKind.set(given.kind, { ...model, ...given });
  }
}

/** What is known of a kind; kinds of later versions fall back to their family. */
export function kindInfo(kind: string): KindInfo {
  const known = byKind.get(kind);
  if (known) return known;
  const model = byKind.get(
    kind.startsWith("net.") ? "net.switch" : kind.startsWith("host.") ? "host.unknown" : "app.process",
  ) as KindInfo;
  return { ...model, kind, label: kind, plural: kind };
}

/** Every kind there is, by its id. */
export const allKinds = (): [string, KindInfo][] => [...byKind];

export const hasKind = (kind: string): boolean => byKind.has(kind);

/** Whether components of a kind have an address and parts of their own. */
export const isHostLike = (kind: string): boolean => kindInfo(kind).isHost;

/** Whether a kind is meant by a pattern: an exact kind, a family such as `host.*`, or `*`. */
export function kindMatches(pattern: string, kind: string): boolean {
  return pattern === "*" || pattern === kind || (pattern.endsWith(".*") && kind.startsWith(pattern.slice(0, -1)));
}
