import type { Observation } from "../../estate/observation";
import { nativeKey, type PlatformAccount } from "../observe";
import { CLUSTER_LIST_NAMES, LIST_OF_SORT, LIST_OF_SORT_NAMES, nameOf, WORKLOADS, type ClusterList } from "./lists";
import type { ObjectMeta, PodContainer, PodObject, WarningObject, WorkloadObject } from "./objects";
import { observe } from "./observations";
import { Shared } from "./shared";
import { newsOfWarning } from "./warnings";
import { differencesOf } from "./words";

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
  workloadOf(pod: ObjectMeta): { list: ClusterList; name: string } | undefined {
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
      const seen = object ? observe(this, list, object) : [];
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

  /** What made an object, where that is among those that are listed. */
  ownerOf({ owner }: ObjectMeta): { list: ClusterList; name: string } | undefined {
    return owner && this.owners.get(owner.uid);
  }

  /** It does one piece of work and ends. */
  isShortLived(pod: PodObject): boolean {
    return (
      pod.owner?.sort === "Job" || this.workloadOf(pod)?.list === "jobs" || this.workloadOf(pod)?.list === "cronjobs"
    );
  }

  /** Runs of jobs that are by a calendar, as the cluster keeps the last ones; in the order in which they began. */
  runs(): { key: string; startedMs: number; endedMs: number | undefined; failed: boolean }[] {
    const found = [];
    for (const job of this.get<WorkloadObject>("jobs").values()) {
      const owner = this.ownerOf(job);
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
/** What others are on or part of goes first. */
const placeOf = (dirty: string) => CLUSTER_LIST_NAMES.indexOf(dirty.slice(0, dirty.indexOf(" ")) as ClusterList);
