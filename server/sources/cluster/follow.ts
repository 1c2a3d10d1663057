import { setMaxListeners } from "node:events";
import { setTimeout as wait } from "node:timers/promises";
import { ContainerFigures } from "#core/platforms/cluster/figures";
import { metaOf, type NodeObject, type ObjectMeta } from "#core/platforms/cluster/objects";
import { CLUSTER_LIST_NAMES, CLUSTER_LISTS, type ClusterList } from "#core/platforms/cluster/lists";
import { figuresOf } from "#core/platforms/cluster/object-figures";
import { ClusterState } from "#core/platforms/cluster/state";
import { nativePrefix, type PlatformAccount } from "#core/platforms/observe";
import { PLATFORM } from "#core/estate/labels";
import type { Observation } from "#core/estate/observation";
import { eachLimited } from "../../outside/limit";
import type { Found, Measure, PlatformMemory } from "../driver";
import { PlatformFailure } from "../platform/failure";
import { TooOld, type ClusterClient } from "./client";

/** What changed is handed over this often, machine time. */
const HAND_OVER_MS = 1000;
/** After a watch broke it is begun anew, later each time. */
const FIRST_WAIT_MS = 500;
const LONGEST_WAIT_MS = 30_000;
const PAGES_AT_ONCE = 6;
/** Observations handed over together. */
const AT_ONCE = 500;
const LISTS_AT_ONCE = 4;

/** A cluster read once, or followed. */
export class ClusterReader {
  private state: ClusterState;
  private account: PlatformAccount = { platform: "container cluster", id: "", name: "" };
  private readonly figures = new ContainerFigures();
  private readonly versions = new Map<ClusterList, string>();
  /** Lists that were read whole since this was told. */
  private readonly listed = new Set<ClusterList>();
  private readonly failures = new Map<string, string>();
  private counts = { tried: 0, answering: 0, recognised: 0, failed: 0 };

  constructor(
    private readonly client: ClusterClient,
    private readonly name: string,
    private readonly memory: PlatformMemory,
    private readonly now: () => number,
    private readonly signal: AbortSignal,
  ) {
    this.state = new ClusterState(this.account);
    // Every list that is watched listens to it.
    setMaxListeners(0, signal);
  }

  /** Everything once. Throws a PlatformFailure where nothing can be read. */
  async *read(): AsyncGenerator<Found> {
    yield* this.begin();
    await this.readLists();
    yield* this.news();
    yield* this.listedNow();
    yield* this.told();
  }

  /** Everything, then what changes, for as long as it goes well; with the figures of nodes every so often. */
  async *follow(): AsyncGenerator<Found> {
    yield* this.read();
    yield* this.measure();
    yield { what: "round" };
    const ended = new AbortController();
    setMaxListeners(0, ended.signal);
    const stop = () => ended.abort();
    this.signal.addEventListener("abort", stop);
    const watching = Promise.all(
      CLUSTER_LIST_NAMES.filter((list) => this.versions.has(list)).map((list) => this.watch(list, ended.signal)),
    );
    try {
      let nextMs = performance.now() + this.memory.everyMs;
      while (!this.signal.aborted) {
        await wait(HAND_OVER_MS, undefined, { signal: this.signal }).catch(() => undefined);
        if (this.signal.aborted) break;
        yield* this.news();
        yield* this.listedNow();
        if (performance.now() < nextMs) continue;
        nextMs = performance.now() + this.memory.everyMs;
        yield* this.told();
        yield* this.measure();
        yield { what: "round" };
      }
    } finally {
      ended.abort();
      this.signal.removeEventListener("abort", stop);
      await watching;
    }
  }

  /** Which cluster it is: the id of its own name space stays the same for as long as it lives. */
  private async *begin(): AsyncGenerator<Found> {
    const system = metaOf(await this.client.json("/api/v1/namespaces/kube-system"));
    if (!system)
      throw new PlatformFailure("This is no container cluster's interface: it has no name space of its own.");
    const version = await this.client.json("/version").catch(() => ({}) as Record<string, unknown>);
    this.account = { ...this.account, id: system.uid, name: this.name };
    if (this.memory.account !== undefined && this.memory.account !== system.uid)
      throw new PlatformFailure(
        `This is another cluster than the one that this source has read so far (${system.uid}, not ${this.memory.account}). Make another source for it.`,
      );
    this.state = new ClusterState(this.account);
    yield { what: "account", account: system.uid, key: this.state.clusterKey };
    const cluster: Observation = {
      keys: [{ value: this.state.clusterKey, strength: 3 }],
      kind: { is: "platform.cluster", reason: "its interface says so", confidence: 0.95 },
      name: this.name,
      depth: 1,
      readBy: PLATFORM,
      facts: { version: String(version.gitVersion ?? "unknown"), "cluster id": system.uid },
    };
    yield { what: "observations", observations: [cluster] };
  }

  private async readLists(): Promise<void> {
    await eachLimited(CLUSTER_LIST_NAMES, LISTS_AT_ONCE, (list) => this.readList(list), this.signal);
    if (this.versions.size === 0)
      throw new PlatformFailure([...this.failures.values()][0] ?? "None of its lists can be read.");
  }

  private async readList(list: ClusterList): Promise<void> {
    this.counts.tried++;
    const { path, read } = CLUSTER_LISTS[list];
    const objects: ObjectMeta[] = [];
    try {
      const version = await this.client.list(path, (items) => {
        for (const item of items) {
          const object = read(item);
          if (object) objects.push(object);
        }
      });
      this.state.replace(list, objects);
      this.versions.set(list, version);
      this.listed.add(list);
      this.failures.delete(list);
      this.counts.answering++;
      this.counts.recognised += objects.length;
    } catch (error) {
      if (this.signal.aborted) return;
      if (!(error instanceof PlatformFailure || error instanceof TooOld)) throw error;
      this.counts.failed++;
      this.failures.set(
        list,
        error instanceof TooOld ? "The list changed faster than it could be read." : error.message,
      );
    }
  }

  /** Keeps a list up to date: from where it was, or read anew where that is too old. */
  private async watch(list: ClusterList, signal: AbortSignal): Promise<void> {
    const { path, read } = CLUSTER_LISTS[list];
    let waitMs = 0;
    while (!signal.aborted) {
      try {
        for await (const { type, object } of this.client.watch(path, this.versions.get(list) ?? "", signal)) {
          if (signal.aborted) return;
          waitMs = 0;
          this.failures.delete(list);
          const meta = (object.metadata ?? {}) as { resourceVersion?: unknown };
          // A cluster that began its versions anew is read anew; a version of nothing is none.
          if (typeof meta.resourceVersion === "string" && meta.resourceVersion !== "")
            this.versions.set(list, meta.resourceVersion);
          if (type === "BOOKMARK") continue;
          const one = read(object);
          if (one && (type === "ADDED" || type === "MODIFIED")) this.state.apply(list, { what: "put", object: one });
          else if (one && type === "DELETED") this.state.apply(list, { what: "gone", object: one });
        }
      } catch (error) {
        if (signal.aborted) return;
        if (error instanceof TooOld) await this.readList(list);
        else if (error instanceof PlatformFailure) {
          this.failures.set(list, error.message);
          waitMs = Math.min(LONGEST_WAIT_MS, Math.max(FIRST_WAIT_MS, waitMs * 2));
        } else throw error;
      }
      await wait(Math.max(waitMs, 20), undefined, { signal }).catch(() => undefined);
    }
  }

  private *news(): Generator<Found> {
    const { observations, gone, changes } = this.state.take();
    for (let at = 0; at < observations.length; at += AT_ONCE)
      yield { what: "observations", observations: observations.slice(at, at + AT_ONCE) };
    if (gone.length) yield { what: "gone", keys: gone };
    if (changes.length) yield { what: "changes", changes };
  }

  /** A list that was read whole says what is not there any more, whatever was missed meanwhile. */
  private *listedNow(): Generator<Found> {
    for (const list of this.listed) {
      yield { what: "listed", prefix: nativePrefix(this.account, "", list) };
      if (list === "pods") yield { what: "listed", prefix: nativePrefix(this.account, "", "containers") };
    }
    this.listed.clear();
  }

  private *told(): Generator<Found> {
    for (const [address, reason] of this.failures) yield { what: "failure", address, reason };
    yield { what: "progress", ...this.counts };
  }

  /** Figures of the objects, and those of each node's page. */
  private async *measure(): AsyncGenerator<Found> {
    const started = performance.now();
    const measures: Measure[] = [...figuresOf(this.state)];
    const failed: Found[] = [];
    const nodes = [...this.state.get<NodeObject>("nodes").values()];
    await eachLimited(
      nodes,
      PAGES_AT_ONCE,
      async ({ name }) => {
        try {
          const page = await this.client.text(`/api/v1/nodes/${encodeURIComponent(name)}/proxy/metrics/cadvisor`);
          measures.push(...this.figures.read(page, this.now(), this.state));
        } catch (error) {
          if (this.signal.aborted) return;
          const reason = error instanceof Error ? error.message : String(error);
          failed.push({ what: "failure", address: `figures of node ${name}`, reason });
        }
      },
      this.signal,
    );
    const keys = new Set(measures.map((one) => one.key));
    measures.push(...this.figures.ofWorkloads((key) => keys.has(key)));
    const own = (metric: string, unit: string, value: number) => ({
      key: this.state.clusterKey,
      metric,
      instance: "",
      unit,
      value,
    });
    measures.push(
      own("platform.reachable", "0/1", Number(failed.length < nodes.length || nodes.length === 0)),
      own("platform.response", "ms", Math.round(performance.now() - started)),
      own("platform.failures", "1", this.failures.size + failed.length),
    );
    yield* failed;
    yield { what: "measures", measures };
    yield { what: "runs", runs: this.state.runs() };
  }
}
