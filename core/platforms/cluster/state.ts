import { OF_PLATFORM, PLATFORM, type Label } from "../../estate/labels";
import { identityKey, type Observation } from "../../estate/observation";
import { nativeKey, type PlatformAccount } from "../observe";
import {
  claimOf,
  ingressOf,
  warningOf,
  type WarningObject,
  metaOf,
  nodeOf,
  podOf,
  serviceOf,
  workloadOf,
  type ClaimObject,
  type ContainerSpec,
  type IngressObject,
  type NodeObject,
  type ObjectMeta,
  type PodContainer,
  type PodObject,
  type ServiceObject,
  type WorkloadObject,
} from "./objects";
import { Shared } from "./shared";
import { newsOfWarning } from "./warnings";

/** Lists of a cluster's interface, by their names there. */
export const CLUSTER_LISTS = {
  namespaces: { path: "/api/v1/namespaces", read: metaOf },
  nodes: { path: "/api/v1/nodes", read: nodeOf },
  claims: { path: "/api/v1/persistentvolumeclaims", read: claimOf },
  replicasets: { path: "/apis/apps/v1/replicasets", read: (one: unknown) => workloadOf(one, "ReplicaSet") },
  deployments: { path: "/apis/apps/v1/deployments", read: (one: unknown) => workloadOf(one, "Deployment") },
  statefulsets: { path: "/apis/apps/v1/statefulsets", read: (one: unknown) => workloadOf(one, "StatefulSet") },
  daemonsets: { path: "/apis/apps/v1/daemonsets", read: (one: unknown) => workloadOf(one, "DaemonSet") },
  cronjobs: { path: "/apis/batch/v1/cronjobs", read: (one: unknown) => workloadOf(one, "CronJob") },
  jobs: { path: "/apis/batch/v1/jobs", read: (one: unknown) => workloadOf(one, "Job") },
  pods: { path: "/api/v1/pods", read: podOf },
  services: { path: "/api/v1/services", read: serviceOf },
  ingresses: { path: "/apis/networking.k8s.io/v1/ingresses", read: ingressOf },
  warnings: { path: "/api/v1/events", read: warningOf },
} as const;
export type ClusterList = keyof typeof CLUSTER_LISTS;
export const CLUSTER_LIST_NAMES = Object.keys(CLUSTER_LISTS) as ClusterList[];

/** Workloads that people speak of; what they make to do their work is counted to them. */
const WORKLOADS = ["deployments", "statefulsets", "daemonsets", "cronjobs", "jobs"] as const;
type WorkloadList = (typeof WORKLOADS)[number];
const LIST_OF_SORT: Readonly<Record<string, ClusterList>> = {
  Deployment: "deployments",
  StatefulSet: "statefulsets",
  DaemonSet: "daemonsets",
  CronJob: "cronjobs",
  Job: "jobs",
  ReplicaSet: "replicasets",
};

/** What came over a watch. */
export interface ClusterEvent {
  what: "put" | "gone";
  object: ObjectMeta;
}

export interface ClusterChange {
  key: string;
  summary: string;
  kind?: "event";
  atMs?: number;
}

/** What is to be told since the last time. */
export interface ClusterNews {
  observations: Observation[];
  gone: string[];
  changes: ClusterChange[];
}

const CONFIDENCE = 0.95;
const DEPTH = 1;

/**
 * A cluster as its interface tells of it, object by object. Whatever order objects come in, and however watches break and
 * lists are read anew, what is told of it follows from the objects alone.
 */
export class ClusterState {
  private readonly objects: Record<ClusterList, Map<string, ObjectMeta>>;
  /** Names of objects whose observations are to be told anew. */
  private readonly dirty = new Set<string>();
  /** Keys that were told, by the object that they are of. */
  private readonly told = new Map<string, readonly string[]>();
  /** Objects by uid, of those that own others. */
  private readonly owners = new Map<string, { list: ClusterList; name: string }>();
  /** Objects by what they hang on: the uid of what made them, and their node. */
  private readonly hanging = new Map<string, Set<string>>();
  private readonly shared = new Shared();
  private changes: ClusterChange[] = [];
  private isBaseline = false;
  private knowsWarnings = false;

  constructor(readonly account: PlatformAccount) {
    this.objects = Object.fromEntries(
      CLUSTER_LIST_NAMES.map((one) => [one, new Map()]),
    ) as unknown as typeof this.objects;
  }

  get<One extends ObjectMeta>(list: ClusterList): Map<string, One> {
    return this.objects[list] as Map<string, One>;
  }

  /** Takes a whole list in place of what was known of it. */
  replace(list: ClusterList, objects: readonly ObjectMeta[]): void {
    // What a cluster has warned of before it was looked at for the first time is no news.
    if (list === "warnings") this.isBaseline = !this.knowsWarnings;
    const present = new Set(objects.map(nameOf));
    for (const name of this.objects[list].keys()) if (!present.has(name)) this.drop(list, name);
    for (const one of objects) this.put(list, one);
    if (list === "warnings") [this.isBaseline, this.knowsWarnings] = [false, true];
  }

  apply(list: ClusterList, { what, object }: ClusterEvent): void {
    if (what === "put") this.put(list, object);
    else this.drop(list, nameOf(object));
  }

  private put(list: ClusterList, object: ObjectMeta): void {
    const name = nameOf(object);
    const before = this.objects[list].get(name);
    this.shared.take(object);
    // One that was made anew under its name is another one: what it had goes with it.
    if (before && before.uid !== object.uid) this.owners.delete(before.uid);
    this.objects[list].set(name, object);
    if (before) this.hang(list, before, false);
    this.hang(list, object, true);
    if (LIST_OF_SORT_NAMES.has(list)) this.owners.set(object.uid, { list, name });
    if (list === "warnings") return this.noteWarning(object as WarningObject, before as WarningObject | undefined);
    if (before && before.uid === object.uid) this.noteRollOut(list, before, object);
    this.touch(list, name);
    // Who others belong to changes only with who is there and who made it.
    if (before?.uid !== object.uid || before?.owner?.uid !== object.owner?.uid) {
      if (before) this.touchAround(list, before);
      this.touchAround(list, object);
    } else if ((WORKLOADS as readonly string[]).includes(list)) this.touchServices(object);
  }

  private drop(list: ClusterList, name: string): void {
    const object = this.objects[list].get(name);
    if (!object) return;
    this.objects[list].delete(name);
    this.hang(list, object, false);
    this.owners.delete(object.uid);
    this.touch(list, name);
    this.touchAround(list, object);
  }

  /** Keeps what hangs on what else: on who made it, and for a pod on its node. */
  private hang(list: ClusterList, object: ObjectMeta, isThere: boolean): void {
    const own = `${list} ${nameOf(object)}`;
    const on = [object.owner?.uid, list === "pods" ? nodeHook((object as PodObject).node) : undefined];
    for (const hook of on) {
      if (!hook) continue;
      const hanging = this.hanging.get(hook) ?? new Set<string>();
      if (isThere) hanging.add(own);
      else hanging.delete(own);
      if (hanging.size) this.hanging.set(hook, hanging);
      else this.hanging.delete(hook);
    }
  }

  private touchHanging(hook: string, steps = 0): void {
    for (const own of this.hanging.get(hook) ?? []) {
      this.dirty.add(own);
      const [list = "pods", name = ""] = own.split(/ (.*)/s) as [ClusterList, string];
      const { uid } = this.objects[list].get(name) ?? {};
      if (uid !== undefined && steps < 4) this.touchHanging(uid, steps + 1);
    }
  }

  private touch(list: ClusterList, name: string): void {
    this.dirty.add(`${list} ${name}`);
  }

  /** What is told of others follows from some objects too. */
  private touchAround(list: ClusterList, object: ObjectMeta): void {
    this.touchHanging(object.uid);
    if (list === "nodes") this.touchHanging(`node ${object.name}`);
    if ((WORKLOADS as readonly string[]).includes(list)) this.touchServices(object);
  }

  /** A service leads to whatever bears its labels. */
  private touchServices({ namespace }: ObjectMeta): void {
    for (const [name, service] of this.objects.services)
      if (service.namespace === namespace) this.touch("services", name);
  }

  /** The workload that a pod belongs to, through what made it. */
  private workloadOf(pod: ObjectMeta): { list: ClusterList; name: string } | undefined {
    let at = pod.owner;
    for (let steps = 0; at && steps < 4; steps++) {
      const owner = this.owners.get(at.uid);
      if (!owner) return undefined;
      const next = this.objects[owner.list].get(owner.name)?.owner;
      if (!next || !(next.sort in LIST_OF_SORT)) return owner;
      at = next;
    }
    return undefined;
  }

  private noteRollOut(list: ClusterList, before: ObjectMeta, after: ObjectMeta): void {
    if (!["deployments", "statefulsets", "daemonsets"].includes(list)) return;
    const [was, is] = [(before as WorkloadObject).containers, (after as WorkloadObject).containers];
    const parts = is.flatMap((one) => {
      const old = was.find((each) => each.name === one.name);
      return old ? differencesOf(old, one) : [`container ${one.name} with ${one.image} came`];
    });
    parts.push(
      ...was.flatMap((one) => (is.some((each) => each.name === one.name) ? [] : [`container ${one.name} went`])),
    );
    const [wanted, wants] = [(before as WorkloadObject).wanted, (after as WorkloadObject).wanted];
    if (parts.length)
      this.changes.push({
        key: this.keyOf(list, after),
        summary: `${nameOf(after)} was rolled out: ${parts.join("; ")}`,
      });
    else if (wanted !== wants)
      this.changes.push({
        key: this.keyOf(list, after),
        summary: `${nameOf(after)} was scaled: ${wanted} → ${wants} replicas`,
      });
  }

  private noteWarning(now: WarningObject, before: WarningObject | undefined): void {
    const summary = this.isBaseline ? undefined : newsOfWarning(now, before);
    if (summary === undefined) return;
    const at = now.lastMs === undefined ? {} : { atMs: now.lastMs };
    this.changes.push({ key: this.keyOfWarned(now.about), summary, kind: "event", ...at });
  }

  /** What a warning is told at: of a pod its workload, since pods come and go. */
  private keyOfWarned({ sort, namespace, name }: WarningObject["about"]): string {
    const list = sort === "Pod" ? "pods" : sort === "Node" ? "nodes" : LIST_OF_SORT[sort];
    const object = list && this.objects[list].get(nameOf({ namespace: sort === "Node" ? "" : namespace, name }));
    const owner = object && (list === "pods" || list === "replicasets") ? this.workloadOf(object) : undefined;
    if (owner) return this.keyOf(owner.list, this.objects[owner.list].get(owner.name) ?? { namespace, name });
    return object && list !== "pods" && list !== "replicasets"
      ? this.keyOf(list as ClusterList, object)
      : this.clusterKey;
  }

  keyOf(list: ClusterList, object: Pick<ObjectMeta, "namespace" | "name">): string {
    return nativeKey(this.account, "", list, nameOf(object));
  }

  containerKey(pod: Pick<ObjectMeta, "namespace" | "name">, container: string): string {
    return nativeKey(this.account, "", "containers", `${nameOf(pod)}/${container}`);
  }

  get clusterKey(): string {
    return nativeKey(this.account, "", "account", this.account.id);
  }

  /** What came, changed and went since it was asked before. */
  take(): ClusterNews {
    const observations: Observation[] = [];
    const gone = new Set<string>();
    const byPlace = [...this.dirty].sort((a, b) => placeOf(a) - placeOf(b));
    this.dirty.clear();
    for (const one of byPlace) {
      const [list = "pods", name = ""] = one.split(/ (.*)/s) as [ClusterList, string];
      const object = this.objects[list].get(name);
      const seen = object ? this.observe(list, object) : [];
      const keys = seen.map((each) => each.keys[0]?.value as string);
      for (const key of this.told.get(one) ?? []) if (!keys.includes(key)) gone.add(key);
      if (keys.length) this.told.set(one, keys);
      else this.told.delete(one);
      observations.push(...seen);
    }
    for (const one of observations) gone.delete(one.keys[0]?.value as string);
    const changes = this.changes;
    this.changes = [];
    return { observations, gone: [...gone], changes };
  }

  private observe(list: ClusterList, object: ObjectMeta): Observation[] {
    switch (list) {
      case "namespaces":
        return [this.observation(list, object, "platform.namespace", {}, [partOf(this.clusterKey)])];
      case "nodes":
        return [this.observeNode(object as NodeObject)];
      case "claims":
        return [this.observeClaim(object as ClaimObject)];
      case "services":
        return [this.observeService(object as ServiceObject)];
      case "ingresses":
        return [this.observeIngress(object as IngressObject)];
      case "pods":
        return this.observePod(object as PodObject);
      case "replicasets":
      case "warnings":
        return [];
      default:
        return this.observeWorkload(list as WorkloadList, object as WorkloadObject);
    }
  }

  private observation(
    list: ClusterList,
    object: ObjectMeta,
    kind: string,
    facts: Record<string, string>,
    relations: NonNullable<Observation["relations"]>,
  ): Observation {
    return {
      keys: [{ value: this.keyOf(list, object), strength: 3 }],
      kind: { is: kind, reason: "the cluster's interface lists it", confidence: CONFIDENCE },
      name: object.name,
      nameElse: object.namespace ? `${object.namespace}/${object.name}` : `${object.name} (${this.account.name})`,
      depth: DEPTH,
      readBy: PLATFORM,
      facts: withoutEmpty({
        ...(object.namespace ? { "name space": object.namespace } : {}),
        ...facts,
        created: object.createdMs === undefined ? "" : `${new Date(object.createdMs).toISOString().slice(0, 16)}Z`,
      }),
      labels: labelsOf(object.labels),
      relations,
    };
  }

  private observeNode(node: NodeObject): Observation {
    const base = this.observation(
      "nodes",
      node,
      "host.node",
      {
        state: node.isReady ? (node.isClosed ? "ready, takes nothing new" : "ready") : "not ready",
        pressure: node.pressures.join(", "),
        system: node.system,
        "node agent": node.agent,
        processors: text(node.allocatable.cpu),
        "memory GiB": node.allocatable.memory === undefined ? "" : text(node.allocatable.memory / 2 ** 30),
        "pods at most": text(node.allocatable.pods),
      },
      [partOf(this.clusterKey)],
    );
    const [address] = node.addresses;
    return {
      ...base,
      kind: { ...base.kind, confidence: 0.5 },
      keys: [
        ...base.keys,
        ...(node.machine ? [identityKey("machine", node.machine)] : []),
        identityKey("name", node.hostName),
        ...node.addresses.map((one) => identityKey("addr", one)),
      ],
      ...(address === undefined ? {} : { address }),
      facts: prefixed(base.facts),
    };
  }

  private observeClaim(claim: ClaimObject): Observation {
    const facts = {
      state: claim.phase,
      "size GiB": claim.bytes === undefined ? "" : text(claim.bytes / 2 ** 30),
      "storage class": claim.storageClass,
      volume: claim.volume,
    };
    return this.observation("claims", claim, "storage.volume", facts, [partOf(this.namespaceKey(claim))]);
  }

  private namespaceKey({ namespace }: ObjectMeta): string {
    return this.keyOf("namespaces", { namespace: "", name: namespace });
  }

  private observeWorkload(list: WorkloadList, workload: WorkloadObject): Observation[] {
    // What a calendar starts again and again is counted to the calendar.
    if (workload.owner && workload.owner.sort in LIST_OF_SORT) return [];
    const facts = {
      sort: SORTS[workload.sort] ?? workload.sort,
      images: [...new Set(workload.containers.map((one) => one.image))].join(", "),
      ...Object.fromEntries(workload.containers.map((one) => [`resources of ${one.name}`, quotaInWords(one)])),
    };
    return [
      this.observation(list, workload, "app.workload", facts, [
        partOf(this.namespaceKey(workload)),
        ...workload.claims.map((claim) => ({
          type: "stored-on" as const,
          to: this.keyOf("claims", { namespace: workload.namespace, name: claim }),
          detail: "",
        })),
      ]),
    ];
  }

  private observeService(service: ServiceObject): Observation {
    const wanted = Object.entries(service.selector);
    const behind = wanted.length
      ? WORKLOADS.flatMap((list) =>
          [...this.get<WorkloadObject>(list).values()]
            .filter(
              (one) =>
                one.namespace === service.namespace && wanted.every(([name, value]) => one.podLabels[name] === value),
            )
            .map((one) => ({ type: "talks-to" as const, to: this.keyOf(list, one), detail: "" })),
        )
      : [];
    const facts = { sort: service.sort, ports: service.ports.join(", "), "cluster address": service.address };
    return this.observation("services", service, "platform.service", facts, [
      partOf(this.namespaceKey(service)),
      ...behind,
    ]);
  }

  private observeIngress(ingress: IngressObject): Observation {
    return this.observation("ingresses", ingress, "platform.ingress", { hosts: ingress.hosts.join(", ") }, [
      partOf(this.namespaceKey(ingress)),
      ...ingress.services.map((name) => ({
        type: "talks-to" as const,
        to: this.keyOf("services", { namespace: ingress.namespace, name }),
        detail: "",
      })),
    ]);
  }

  /** Containers of what runs on; what does one piece of work and ends is counted to its workload. */
  private observePod(pod: PodObject): Observation[] {
    const owner = this.workloadOf(pod);
    if (this.isShortLived(pod) || pod.phase === "Succeeded" || pod.phase === "Failed") return [];
    const node = this.get<NodeObject>("nodes").get(pod.node);
    return pod.containers.map((one) => {
      const base = this.observation("pods", { ...pod, labels: {} }, "app.container", {}, []);
      return {
        ...base,
        keys: [
          { value: this.containerKey(pod, one.name), strength: 3 as const },
          ...(/^[0-9a-f]{64}$/.test(one.id) ? [identityKey("container", one.id)] : []),
        ],
        name: `${one.name} @ ${pod.node || "no node"}`,
        nameElse: pod.containers.length === 1 ? pod.name : `${pod.name}/${one.name}`,
        label: one.name,
        ...(node ? { host: { key: this.keyOf("nodes", node) } } : {}),
        ...(one.id ? { container: one.id } : {}),
        facts: prefixed(
          withoutEmpty({
            "name space": pod.namespace,
            pod: pod.name,
            image: one.image,
            state: one.state,
            "CPU request": text(one.cpuRequest),
            "CPU limit": text(one.cpuLimit),
            "memory request MiB": one.memoryRequest === undefined ? "" : text(one.memoryRequest / 2 ** 20),
            "memory limit MiB": one.memoryLimit === undefined ? "" : text(one.memoryLimit / 2 ** 20),
            "last end": lastEndInWords(one),
          }),
        ),
        relations: [
          partOf(owner ? nativeKey(this.account, "", owner.list, owner.name) : this.namespaceKey(pod)),
          ...pod.claims.map((claim) => ({
            type: "stored-on" as const,
            to: this.keyOf("claims", { namespace: pod.namespace, name: claim }),
            detail: "",
          })),
        ],
      };
    });
  }

  private isShortLived(pod: PodObject): boolean {
    return (
      pod.owner?.sort === "Job" || this.workloadOf(pod)?.list === "jobs" || this.workloadOf(pod)?.list === "cronjobs"
    );
  }

  /** Figures that follow from the objects, at the end of a round. */
  *figures(): Generator<{ key: string; metric: string; instance: string; unit: string; value: number }> {
    const figure = (key: string, metric: string, value: number, unit = "1", instance = "") => ({
      key,
      metric,
      instance,
      unit,
      value,
    });
    const podsOnNode = new Map<string, number>();
    const restarts = new Map<string, number>();
    const jobs = new Map<string, { succeeded: number; failed: number; active: number }>();
    for (const pod of this.get<PodObject>("pods").values()) {
      const isOver = pod.phase === "Succeeded" || pod.phase === "Failed";
      if (!isOver) podsOnNode.set(pod.node, (podsOnNode.get(pod.node) ?? 0) + 1);
      const owner = this.workloadOf(pod);
      const sum = pod.containers.reduce((total, one) => total + one.restarts, 0);
      if (owner) restarts.set(`${owner.list} ${owner.name}`, (restarts.get(`${owner.list} ${owner.name}`) ?? 0) + sum);
      if (!isOver && !this.isShortLived(pod))
        for (const one of pod.containers) {
          const key = this.containerKey(pod, one.name);
          yield figure(key, "container.restarts", one.restarts);
          yield figure(key, "container.ready", Number(one.isReady), "0/1");
        }
    }
    for (const node of this.get<NodeObject>("nodes").values()) {
      const key = this.keyOf("nodes", node);
      yield figure(key, "node.ready", Number(node.isReady), "0/1");
      yield figure(key, "node.pods", podsOnNode.get(node.name) ?? 0);
    }
    for (const job of this.get<WorkloadObject>("jobs").values()) {
      const owner = job.owner && this.owners.get(job.owner.uid);
      const name = owner ? `${owner.list} ${owner.name}` : `jobs ${nameOf(job)}`;
      const sum = jobs.get(name) ?? { succeeded: 0, failed: 0, active: 0 };
      jobs.set(name, {
        succeeded: sum.succeeded + job.succeeded,
        failed: sum.failed + job.failed,
        active: sum.active + Number(job.succeeded + job.failed === 0),
      });
    }
    for (const list of WORKLOADS)
      for (const one of this.get<WorkloadObject>(list).values()) {
        if (one.owner && one.owner.sort in LIST_OF_SORT) continue;
        const key = this.keyOf(list, one);
        if (list === "jobs" || list === "cronjobs") {
          const { succeeded, failed, active } = jobs.get(`${list} ${nameOf(one)}`) ?? {
            succeeded: 0,
            failed: 0,
            active: 0,
          };
          yield figure(key, "workload.jobs.succeeded", succeeded);
          yield figure(key, "workload.jobs.failed", failed);
          yield figure(key, "workload.jobs.active", active);
          continue;
        }
        yield figure(key, "workload.wanted", one.wanted);
        yield figure(key, "workload.ready", one.ready);
        yield figure(key, "workload.missing", Math.max(0, one.wanted - one.ready));
        yield figure(key, "workload.restarts", restarts.get(`${list} ${nameOf(one)}`) ?? 0);
      }
  }

  /** Runs of jobs that are by a calendar, as the cluster keeps the last ones; in the order in which they began. */
  runs(): { key: string; startedMs: number; endedMs: number | undefined; failed: boolean }[] {
    const found = [];
    for (const job of this.get<WorkloadObject>("jobs").values()) {
      const owner = job.owner && this.owners.get(job.owner.uid);
      if (owner?.list !== "cronjobs" || job.createdMs === undefined) continue;
      const key = nativeKey(this.account, "", owner.list, owner.name);
      found.push({
        key,
        startedMs: job.createdMs,
        endedMs: job.endedMs,
        failed: job.succeeded === 0 && job.failed > 0,
      });
    }
    return found.sort((a, b) => a.startedMs - b.startedMs);
  }

  /** Container of a metrics page's labels, with what it is kept to. */
  containerOf(
    namespace: string,
    pod: string,
    container: string,
  ): { key: string; spec: PodContainer; workload: string | undefined } | undefined {
    const found = this.get<PodObject>("pods").get(`${namespace}/${pod}`);
    const spec = found?.containers.find((one) => one.name === container);
    if (!found || !spec || this.isShortLived(found)) return undefined;
    const owner = this.workloadOf(found);
    return {
      key: this.containerKey(found, container),
      spec,
      workload: owner && nativeKey(this.account, "", owner.list, owner.name),
    };
  }
}

const nodeHook = (node: string) => (node === "" ? undefined : `node ${node}`);
const LIST_OF_SORT_NAMES = new Set(Object.values(LIST_OF_SORT));
/** Name within its list: name spaces and nodes have none before it. */
const nameOf = ({ namespace, name }: Pick<ObjectMeta, "namespace" | "name">) =>
  namespace ? `${namespace}/${name}` : name;
/** What others are on or part of goes first. */
const placeOf = (dirty: string) => CLUSTER_LIST_NAMES.indexOf(dirty.slice(0, dirty.indexOf(" ")) as ClusterList);
const partOf = (to: string) => ({ type: "part-of" as const, to, detail: "" });

const SORTS: Readonly<Record<string, string>> = {
  Deployment: "deployment",
  StatefulSet: "stateful set",
  DaemonSet: "one on each node",
  CronJob: "job by calendar",
  Job: "job",
};

const text = (value: number | undefined): string =>
  value === undefined ? "" : String(Math.round(value * 1000) / 1000);
const withoutEmpty = (facts: Record<string, string>) =>
  Object.fromEntries(Object.entries(facts).filter(([, value]) => value !== ""));
const prefixed = (facts: Readonly<Record<string, string>>) =>
  Object.fromEntries(Object.entries(facts).map(([name, value]) => [`${OF_PLATFORM}${name}`, value]));

const MOST_LABELS = 30;
function labelsOf(labels: Readonly<Record<string, string>>): Label[] {
  return Object.entries(labels)
    .slice(0, MOST_LABELS)
    .map(([name, value]) => ({
      name: "tag" as const,
      value: `${name}=${value}`.replaceAll(/[,:]+/g, " ").slice(0, 200),
    }));
}

function lastEndInWords({ lastEnd }: PodContainer): string {
  if (!lastEnd) return "";
  const when = lastEnd.atMs === undefined ? "" : ` at ${new Date(lastEnd.atMs).toISOString().slice(0, 16)}Z`;
  return `${REASONS[lastEnd.reason] ?? (lastEnd.reason || "ended")} (exit code ${lastEnd.code})${when}`;
}
const REASONS: Readonly<Record<string, string>> = {
  OOMKilled: "killed for want of memory",
  Error: "failed",
  Completed: "ended",
};

const mib = (bytes: number | undefined) => (bytes === undefined ? "none" : `${text(bytes / 2 ** 20)} MiB`);
const cpus = (count: number | undefined) => (count === undefined ? "none" : text(count));

/** "CPU 0.2 to 1, memory 128 to 256 MiB": what a container asks for, and what it is kept to. */
const quotaInWords = (one: ContainerSpec): string =>
  `CPU request ${cpus(one.cpuRequest)}, limit ${cpus(one.cpuLimit)}; memory request ${mib(one.memoryRequest)}, limit ${mib(one.memoryLimit)}`;

function differencesOf(was: ContainerSpec, is: ContainerSpec): string[] {
  const parts: string[] = [];
  const differs = (name: string, a: string, b: string) => {
    if (a !== b) parts.push(`${name} of ${is.name} ${a} → ${b}`);
  };
  differs("image", was.image, is.image);
  differs("CPU request", cpus(was.cpuRequest), cpus(is.cpuRequest));
  differs("CPU limit", cpus(was.cpuLimit), cpus(is.cpuLimit));
  differs("memory request", mib(was.memoryRequest), mib(is.memoryRequest));
  differs("memory limit", mib(was.memoryLimit), mib(is.memoryLimit));
  return parts;
}
