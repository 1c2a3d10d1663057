import { canonicalAddress } from "../../estate/addresses";
import { readInstant } from "../instant";
import { listOf, textOf } from "../thing";

/** What is kept of an object of a cluster; the rest of it is let go of at once. */
export interface ObjectMeta {
  uid: string;
  namespace: string;
  name: string;
  version: string;
  createdMs: number | undefined;
  labels: Readonly<Record<string, string>>;
  owner: { sort: string; uid: string; name: string } | undefined;
}

export interface NodeObject extends ObjectMeta {
  addresses: string[];
  hostName: string;
  machine: string;
  system: string;
  agent: string;
  isReady: boolean;
  isClosed: boolean;
  /** Conditions that hold though they should not: "memory", "disk". */
  pressures: string[];
  /** Of it: processors, bytes, pods. */
  allocatable: { cpu: number | undefined; memory: number | undefined; pods: number | undefined };
}

/** Processors and bytes that a container asks for, and those it is kept to. */
export interface Quota {
  cpuRequest: number | undefined;
  cpuLimit: number | undefined;
  memoryRequest: number | undefined;
  memoryLimit: number | undefined;
}

export interface ContainerSpec extends Quota {
  name: string;
  image: string;
}

export interface WorkloadObject extends ObjectMeta {
  /** "Deployment", "StatefulSet" … as the interface calls it. */
  sort: string;
  wanted: number;
  ready: number;
  updated: number;
  containers: ContainerSpec[];
  claims: string[];
  /** That its pods bear. */
  podLabels: Readonly<Record<string, string>>;
  /** Of jobs. */
  succeeded: number;
  failed: number;
  /** When a job was over; undefined while it is not, and of anything else. */
  endedMs: number | undefined;
}

export interface PodContainer extends ContainerSpec {
  id: string;
  restarts: number;
  isReady: boolean;
  /** "running", or why it waits or has ended. */
  state: string;
  /** Why and when it ended the time before. */
  lastEnd: { reason: string; code: number; atMs: number | undefined } | undefined;
}

export interface PodObject extends ObjectMeta {
  node: string;
  phase: string;
  address: string;
  containers: PodContainer[];
  claims: string[];
}

/** Something that the cluster warns of, and how often it did so. */
export interface WarningObject extends ObjectMeta {
  reason: string;
  message: string;
  times: number;
  lastMs: number | undefined;
  /** What it is about. */
  about: { sort: string; namespace: string; name: string };
}

export interface ServiceObject extends ObjectMeta {
  sort: string;
  selector: Readonly<Record<string, string>>;
  ports: string[];
  address: string;
}

export interface IngressObject extends ObjectMeta {
  hosts: string[];
  services: string[];
}

export interface ClaimObject extends ObjectMeta {
  volume: string;
  phase: string;
  bytes: number | undefined;
  storageClass: string;
}

type Json = Record<string, unknown>;
const object = (value: unknown): Json =>
  value !== null && typeof value === "object" && !Array.isArray(value) ? (value as Json) : {};
const MOST_LABELS = 60;
const MOST_CONTAINERS = 60;
const words = (value: unknown) => textOf(value, 253);
const count = (value: unknown): number => (typeof value === "number" && Number.isFinite(value) ? value : 0);

function labelsOf(value: unknown): Record<string, string> {
  const labels: Record<string, string> = {};
  for (const [name, one] of Object.entries(object(value)).slice(0, MOST_LABELS))
    labels[name.slice(0, 253)] = words(one);
  return labels;
}

/** What all objects have; undefined where it is none. */
export function metaOf(value: unknown): ObjectMeta | undefined {
  const meta = object(object(value).metadata);
  const name = words(meta.name);
  const uid = words(meta.uid);
  if (name === "" || uid === "") return undefined;
  const owner = listOf(meta.ownerReferences)
    .map(object)
    .find((one) => one.controller === true);
  return {
    uid,
    namespace: words(meta.namespace),
    name,
    version: words(meta.resourceVersion),
    createdMs: readInstant(meta.creationTimestamp),
    labels: labelsOf(meta.labels),
    owner: owner && { sort: words(owner.kind), uid: words(owner.uid), name: words(owner.name) },
  };
}

const BINARY: Readonly<Record<string, number>> = {
  Ki: 2 ** 10,
  Mi: 2 ** 20,
  Gi: 2 ** 30,
  Ti: 2 ** 40,
  Pi: 2 ** 50,
  Ei: 2 ** 60,
};
const DECIMAL: Readonly<Record<string, number>> = {
  n: 1e-9,
  u: 1e-6,
  m: 1e-3,
  "": 1,
  k: 1e3,
  M: 1e6,
  G: 1e9,
  T: 1e12,
  P: 1e15,
  E: 1e18,
};

/** A quantity as the interface writes it, "250m", "128Mi", "1e3", as a number; undefined where it is none. */
export function readQuantity(value: unknown): number | undefined {
  if (typeof value === "number") return Number.isFinite(value) ? value : undefined;
  if (typeof value !== "string") return undefined;
  const [, digits, suffix = ""] =
    /^([+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?)([A-Za-z]{0,2})$/.exec(value.trim()) ?? [];
  if (digits === undefined) return undefined;
  const factor = BINARY[suffix] ?? DECIMAL[suffix];
  return factor === undefined ? undefined : Number(digits) * factor;
}

const conditionsOf = (status: Json) =>
  new Map(
    listOf(status.conditions)
      .map(object)
      .map((one) => [words(one.type), words(one.status) === "True"]),
  );

export function nodeOf(value: unknown): NodeObject | undefined {
  const meta = metaOf(value);
  if (!meta) return undefined;
  const { spec, status } = object(value);
  const info = object(object(status).nodeInfo);
  const allocatable = object(object(status).allocatable);
  const conditions = conditionsOf(object(status));
  const addresses = listOf(object(status).addresses).map(object);
  const addressOf = (type: string) => addresses.filter((one) => one.type === type).map((one) => words(one.address));
  return {
    ...meta,
    addresses: addressOf("InternalIP").flatMap((one) => canonicalAddress(one) ?? []),
    hostName: (addressOf("Hostname")[0] ?? meta.name).toLowerCase(),
    machine: words(info.systemUUID).toLowerCase(),
    system: words(info.osImage),
    agent: words(info.kubeletVersion),
    isReady: conditions.get("Ready") === true,
    isClosed: object(spec).unschedulable === true,
    pressures: (
      [
        ["MemoryPressure", "memory"],
        ["DiskPressure", "disk"],
        ["PIDPressure", "processes"],
        ["NetworkUnavailable", "network"],
      ] as const
    ).flatMap(([type, name]) => (conditions.get(type) ? [name] : [])),
    allocatable: {
      cpu: readQuantity(allocatable.cpu),
      memory: readQuantity(allocatable.memory),
      pods: readQuantity(allocatable.pods),
    },
  };
}

function containerSpecs(value: unknown): ContainerSpec[] {
  return listOf(value)
    .slice(0, MOST_CONTAINERS)
    .map(object)
    .map((one) => {
      const { requests, limits } = object(one.resources);
      return {
        name: words(one.name),
        image: words(one.image),
        cpuRequest: readQuantity(object(requests).cpu),
        cpuLimit: readQuantity(object(limits).cpu),
        memoryRequest: readQuantity(object(requests).memory),
        memoryLimit: readQuantity(object(limits).memory),
      };
    });
}

const claimsOf = (podSpec: Json): string[] =>
  listOf(podSpec.volumes)
    .map((one) => words(object(object(one).persistentVolumeClaim).claimName))
    .filter(Boolean)
    .slice(0, MOST_CONTAINERS);

export function workloadOf(value: unknown, sort: string): WorkloadObject | undefined {
  const meta = metaOf(value);
  if (!meta) return undefined;
  const spec = object(object(value).spec);
  const status = object(object(value).status);
  const whole = object(object(sort === "CronJob" ? object(spec.jobTemplate).spec : spec).template);
  const template = object(whole.spec);
  const isDaemon = sort === "DaemonSet";
  return {
    uid: meta.uid,
    namespace: meta.namespace,
    name: meta.name,
    version: meta.version,
    createdMs: meta.createdMs,
    labels: meta.labels,
    owner: meta.owner,
    sort,
    wanted: isDaemon
      ? count(status.desiredNumberScheduled)
      : count(spec.replicas ?? (sort === "Job" ? spec.parallelism : 0)),
    ready: count(isDaemon ? status.numberReady : status.readyReplicas),
    updated: count(isDaemon ? status.updatedNumberScheduled : status.updatedReplicas),
    containers: containerSpecs(template.containers),
    claims: claimsOf(template),
    podLabels: labelsOf(object(whole.metadata).labels),
    succeeded: count(status.succeeded),
    failed: count(status.failed),
    endedMs: sort === "Job" ? endOf(status) : undefined,
  };
}

/** When a job was complete, or failed for good. */
const endOf = (status: Readonly<Record<string, unknown>>): number | undefined =>
  readInstant(status.completionTime) ??
  listOf(status.conditions)
    .map(object)
    .flatMap((one) =>
      one.type === "Failed" && one.status === "True" ? (readInstant(one.lastTransitionTime) ?? []) : [],
    )[0];

export function podOf(value: unknown): PodObject | undefined {
  const meta = metaOf(value);
  if (!meta) return undefined;
  const spec = object(object(value).spec);
  const status = object(object(value).status);
  const states = new Map(
    listOf(status.containerStatuses)
      .map(object)
      .map((one) => [words(one.name), one]),
  );
  // Field by field: what is spread gets a hidden form of its own in the engine, which weighs more than the pod.
  return {
    uid: meta.uid,
    namespace: meta.namespace,
    name: meta.name,
    version: meta.version,
    createdMs: meta.createdMs,
    labels: meta.labels,
    owner: meta.owner,
    node: words(spec.nodeName),
    phase: words(status.phase),
    address: canonicalAddress(words(status.podIP)) ?? "",
    claims: claimsOf(spec),
    containers: containerSpecs(spec.containers).map((one) => {
      const state = states.get(one.name) ?? {};
      const now = object(state.state);
      const ended = object(object(state.lastState).terminated);
      return {
        name: one.name,
        image: one.image,
        cpuRequest: one.cpuRequest,
        cpuLimit: one.cpuLimit,
        memoryRequest: one.memoryRequest,
        memoryLimit: one.memoryLimit,
        id: words(state.containerID).replace(/^[a-z-]+:\/\//, ""),
        restarts: count(state.restartCount),
        isReady: state.ready === true,
        state:
          "running" in now
            ? "running"
            : words(object(now.waiting).reason ?? object(now.terminated).reason) || "waiting",
        lastEnd:
          "reason" in ended || "exitCode" in ended
            ? { reason: words(ended.reason), code: count(ended.exitCode), atMs: readInstant(ended.finishedAt) }
            : undefined,
      };
    }),
  };
}

export function serviceOf(value: unknown): ServiceObject | undefined {
  const meta = metaOf(value);
  if (!meta) return undefined;
  const spec = object(object(value).spec);
  return {
    ...meta,
    sort: words(spec.type),
    selector: labelsOf(spec.selector),
    ports: listOf(spec.ports)
      .map(object)
      .map((one) => `${words(one.port)}/${(words(one.protocol) || "TCP").toLowerCase()}`)
      .slice(0, MOST_CONTAINERS),
    address: canonicalAddress(words(spec.clusterIP)) ?? "",
  };
}

export function ingressOf(value: unknown): IngressObject | undefined {
  const meta = metaOf(value);
  if (!meta) return undefined;
  const spec = object(object(value).spec);
  const rules = listOf(spec.rules).map(object);
  const backends = [
    object(spec.defaultBackend),
    ...rules.flatMap((rule) => listOf(object(rule.http).paths).map((one) => object(object(one).backend))),
  ];
  return {
    ...meta,
    hosts: rules.map((one) => words(one.host)).filter(Boolean),
    services: [...new Set(backends.map((one) => words(object(one.service).name)).filter(Boolean))],
  };
}

export function claimOf(value: unknown): ClaimObject | undefined {
  const meta = metaOf(value);
  if (!meta) return undefined;
  const { spec, status } = object(value);
  return {
    ...meta,
    volume: words(object(spec).volumeName),
    phase: words(object(status).phase),
    bytes: readQuantity(object(object(status).capacity).storage),
    storageClass: words(object(spec).storageClassName),
  };
}

/** A warning among the events of a cluster (core/v1 Event); undefined for what only says that all goes its way. */
export function warningOf(value: unknown): WarningObject | undefined {
  const meta = metaOf(value);
  const event = object(value);
  if (!meta || words(event.type) !== "Warning") return undefined;
  const about = object(event.involvedObject);
  const series = object(event.series);
  return {
    ...meta,
    reason: words(event.reason).slice(0, 80),
    message: textOf(event.message, 300),
    times: Math.max(1, count(series.count) || count(event.count)),
    lastMs: readInstant(series.lastObservedTime) ?? readInstant(event.lastTimestamp) ?? readInstant(event.eventTime),
    about: { sort: words(about.kind), namespace: words(about.namespace), name: words(about.name) },
  };
}
