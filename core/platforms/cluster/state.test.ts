import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { Observation } from "../../estate/observation";
import { ContainerFigures } from "./figures";
import { podOf, readQuantity, workloadOf } from "./objects";
import { CLUSTER_LIST_NAMES, CLUSTER_LISTS, type ClusterList } from "./lists";
import { figuresOf } from "./object-figures";
import { ClusterState } from "./state";

const ACCOUNT = { platform: "container cluster", id: "c1", name: "Test cluster" };
type Json = Record<string, unknown>;

const meta = (name: string, uid: string, more: Json = {}) => ({
  metadata: { name, namespace: "shop", uid, creationTimestamp: "2026-03-17T10:00:00Z", ...more },
});
const owned = (kind: string, name: string, uid: string) => ({
  ownerReferences: [{ kind, name, uid, controller: true }],
});

const deployment = (name: string, image = "app:1", limits: Json = { cpu: "500m", memory: "256Mi" }, replicas = 2) => ({
  ...meta(name, `d-${name}`),
  spec: {
    replicas,
    template: {
      metadata: { labels: { app: name } },
      spec: { containers: [{ name: "main", image, resources: { limits } }] },
    },
  },
  status: { readyReplicas: replicas, updatedReplicas: replicas },
});
const replicaSet = (name: string, of: string) => ({
  ...meta(name, `r-${name}`, owned("Deployment", of, `d-${of}`)),
  spec: {},
});
const pod = (name: string, set: string, node: string, more: Json = {}) => ({
  ...meta(name, `p-${name}-${String(more.uid ?? "")}`, {
    ...owned("ReplicaSet", set, `r-${set}`),
    labels: { app: "x" },
  }),
  spec: {
    nodeName: node,
    containers: [{ name: "main", image: "app:1", resources: { limits: { cpu: "500m", memory: "256Mi" } } }],
  },
  status: {
    phase: "Running",
    containerStatuses: [
      {
        name: "main",
        ready: true,
        restartCount: 1,
        state: { running: {} },
        containerID: `x://${"ab".repeat(32)}`,
        ...more,
      },
    ],
  },
});
const node = (name: string) => ({
  metadata: { name, uid: `n-${name}` },
  status: {
    conditions: [{ type: "Ready", status: "True" }],
    addresses: [{ type: "InternalIP", address: "10.0.0.1" }],
    nodeInfo: {},
  },
});
const service = (name: string, app: string) => ({
  ...meta(name, `s-${name}`),
  spec: { selector: { app }, ports: [{ port: 80 }] },
});

function put(state: ClusterState, list: ClusterList, object: Json): void {
  const read = CLUSTER_LISTS[list].read(object);
  if (!read) throw new Error("no object");
  state.apply(list, { what: "put", object: read });
}

/** What somebody who took everything in knows. */
class Known {
  readonly observations = new Map<string, Observation>();
  take(state: ClusterState): void {
    const { observations, gone } = state.take();
    for (const key of gone) this.observations.delete(key);
    for (const one of observations) this.observations.set(one.keys[0]?.value ?? "", one);
  }
}

function small(): ClusterState {
  const state = new ClusterState(ACCOUNT);
  put(state, "nodes", node("n1"));
  put(state, "deployments", deployment("web"));
  put(state, "replicasets", replicaSet("web-1", "web"));
  put(state, "pods", pod("web-1-a", "web-1", "n1"));
  put(state, "services", service("web", "web"));
  return state;
}

describe("a cluster", () => {
  it("tells of containers on their nodes, as parts of their workloads", () => {
    const { observations } = small().take();
    const container = observations.find((one) => one.kind.is === "app.container");
    expect(container).toMatchObject({
      name: "main @ n1",
      nameElse: "web-1-a",
      host: { key: "native:container%20cluster/c1//nodes/n1" },
      facts: { "platform CPU limit": "0.5", "platform memory limit MiB": "256", "platform image": "app:1" },
      relations: [{ type: "part-of", to: "native:container%20cluster/c1//deployments/shop/web" }],
    });
    expect(container?.keys.map((one) => one.value)).toContain(`container:${"ab".repeat(32)}`);
    const services = observations.find((one) => one.kind.is === "platform.service");
    expect(services?.relations).toContainEqual({
      type: "talks-to",
      to: "native:container%20cluster/c1//deployments/shop/web",
      detail: "",
    });
  });

  it("tells of a roll-out with what was before and is after, once", () => {
    const state = small();
    state.take();
    put(state, "deployments", deployment("web", "app:2", { cpu: "60m", memory: "256Mi" }));
    expect(state.take().changes).toEqual([
      {
        key: "native:container%20cluster/c1//deployments/shop/web",
        summary: "shop/web was rolled out: image of main app:1 → app:2; CPU limit of main 0.5 → 0.06",
      },
    ]);
    put(state, "deployments", deployment("web", "app:2", { cpu: "60m", memory: "256Mi" }));
    expect(state.take().changes).toEqual([]);
    put(state, "deployments", deployment("web", "app:2", { cpu: "60m", memory: "256Mi" }, 5));
    expect(state.take().changes[0]?.summary).toBe("shop/web was scaled: 2 → 5 replicas");
  });

  it("says why a container ended, and counts what is short-lived to its workload", () => {
    const state = small();
    put(
      state,
      "pods",
      pod("web-1-a", "web-1", "n1", {
        ready: false,
        state: { waiting: { reason: "CrashLoopBackOff" } },
        lastState: { terminated: { reason: "OOMKilled", exitCode: 137, finishedAt: "2026-03-17T10:05:00Z" } },
      }),
    );
    put(state, "cronjobs", {
      ...meta("tidy", "c-tidy"),
      spec: { jobTemplate: { spec: { template: { spec: { containers: [] } } } } },
    });
    for (const [run, ended] of [
      [1, { succeeded: 1, completionTime: "2026-03-17T10:21:00Z" }],
      [2, { failed: 1, conditions: [{ type: "Failed", status: "True", lastTransitionTime: "2026-03-17T10:32:00Z" }] }],
      [3, {}],
    ] as const) {
      put(state, "jobs", {
        ...meta(`tidy-${run}`, `j-${run}`, owned("CronJob", "tidy", "c-tidy")),
        spec: {},
        status: ended,
      });
      put(state, "pods", {
        ...meta(`tidy-${run}-x`, `jp-${run}`, owned("Job", `tidy-${run}`, `j-${run}`)),
        spec: { nodeName: "n1", containers: [{ name: "main" }] },
        status: { phase: "Running" },
      });
    }
    const { observations } = state.take();
    const containers = observations.filter((one) => one.kind.is === "app.container");
    expect(containers).toHaveLength(1);
    expect(containers[0]?.facts["platform last end"]).toBe(
      "killed for want of memory (exit code 137) at 2026-03-17T10:05Z",
    );
    expect(
      observations
        .filter((one) => one.kind.is === "app.workload")
        .map((one) => one.name)
        .sort(),
    ).toEqual(["tidy", "web"]);
    const figures = [...figuresOf(state)].filter((one) => one.key.endsWith("/cronjobs/shop/tidy"));
    expect(Object.fromEntries(figures.map((one) => [one.metric, one.value]))).toEqual({
      "workload.jobs.succeeded": 1,
      "workload.jobs.failed": 1,
      "workload.jobs.active": 1,
    });
    const key = figures[0]?.key;
    const began = Date.parse("2026-03-17T10:00:00Z");
    expect(state.runs().map((one) => ({ ...one, startedMs: began }))).toEqual([
      { key, startedMs: began, endedMs: Date.parse("2026-03-17T10:21:00Z"), failed: false },
      { key, startedMs: began, endedMs: Date.parse("2026-03-17T10:32:00Z"), failed: true },
      { key, startedMs: began, endedMs: undefined, failed: false },
    ]);
  });

  it("ends the same whatever order things came in, however often lists were read anew", () => {
    const names = ["a", "b", "c"] as const;
    const step = fc.record({
      what: fc.constantFrom("put" as const, "gone" as const, "relist" as const, "take" as const),
      list: fc.constantFrom<ClusterList>("deployments", "replicasets", "pods", "nodes", "services"),
      name: fc.constantFrom(...names),
      version: fc.integer({ min: 1, max: 3 }),
    });
    const make = (list: ClusterList, name: string, version: number): Json => {
      if (list === "deployments") return deployment(name, `app:${version}`);
      if (list === "replicasets") return replicaSet(`${name}-1`, names[version - 1] as string);
      if (list === "pods")
        return pod(`${name}-p`, `${names[version - 1]}-1`, name, { restartCount: version, uid: version });
      return list === "nodes" ? node(name) : service(name, names[version - 1] as string);
    };
    fc.assert(
      fc.property(fc.array(step, { maxLength: 40 }), (steps) => {
        const state = new ClusterState(ACCOUNT);
        const known = new Known();
        const there = new Map<ClusterList, Map<string, Json>>(CLUSTER_LIST_NAMES.map((one) => [one, new Map()]));
        for (const { what, list, name, version } of steps) {
          const objects = there.get(list) as Map<string, Json>;
          const object = make(list, name, version);
          const own = String((object.metadata as Json).name);
          if (what === "put") {
            objects.set(own, object);
            put(state, list, object);
          } else if (what === "gone") {
            const before = objects.get(own);
            objects.delete(own);
            const read = before && CLUSTER_LISTS[list].read(before);
            if (read) state.apply(list, { what: "gone", object: read });
          } else if (what === "relist")
            // A watch that broke missed something: what is read anew is what is there.
            state.replace(
              list,
              [...objects.values()].flatMap((one) => CLUSTER_LISTS[list].read(one) ?? []),
            );
          else known.take(state);
        }
        known.take(state);
        const fresh = new ClusterState(ACCOUNT);
        for (const list of [...CLUSTER_LIST_NAMES].reverse())
          fresh.replace(
            list,
            [...(there.get(list) ?? new Map<string, Json>()).values()].flatMap(
              (one) => CLUSTER_LISTS[list].read(one) ?? [],
            ),
          );
        const expected = new Known();
        expected.take(fresh);
        const sorted = (one: Known) => [...one.observations].sort(([a], [b]) => (a < b ? -1 : 1));
        expect(sorted(known)).toEqual(sorted(expected));
      }),
      { numRuns: 2000 },
    );
  });
});

it.each([
  ["250m", 0.25],
  ["2", 2],
  ["128Mi", 134_217_728],
  ["1.5Gi", 1_610_612_736],
  ["500M", 5e8],
  ["1e3", 1000],
  ["100u", 1e-4],
  [4, 4],
  ["", undefined],
  ["much", undefined],
  ["5Xi", undefined],
])("a quantity of %s", (text, value) => {
  const read = readQuantity(text);
  if (value === undefined) expect(read).toBeUndefined();
  else expect(read).toBeCloseTo(value, 9);
});

it("objects that are none, or hold what nobody expects, are read as far as they go", () => {
  expect(podOf(null)).toBeUndefined();
  expect(podOf({ metadata: { name: "x" } })).toBeUndefined();
  expect(
    podOf({ metadata: { name: "x", uid: "1" }, spec: { containers: "none" }, status: [] })?.containers,
  ).toHaveLength(1);
  expect(
    workloadOf({ metadata: { name: "x", uid: "1", labels: 5, ownerReferences: {} }, spec: 7 }, "Deployment"),
  ).toMatchObject({ wanted: 0, containers: [] });
});

describe("figures of containers", () => {
  const page = (cpu: number, periods: number, held: number, atMs: number) => `# HELP container_cpu_usage_seconds_total x
# TYPE container_cpu_usage_seconds_total counter
container_cpu_usage_seconds_total{container="main",cpu="total",namespace="shop",pod="web-1-a"} ${cpu} ${atMs}
container_cpu_usage_seconds_total{container="",namespace="shop",pod="web-1-a"} 99999 ${atMs}
# TYPE container_cpu_cfs_periods_total counter
container_cpu_cfs_periods_total{container="main",namespace="shop",pod="web-1-a"} ${periods} ${atMs}
# TYPE container_cpu_cfs_throttled_periods_total counter
container_cpu_cfs_throttled_periods_total{container="main",namespace="shop",pod="web-1-a"} ${held} ${atMs}
# TYPE container_memory_working_set_bytes gauge
container_memory_working_set_bytes{container="main",namespace="shop",pod="web-1-a"} 134217728 ${atMs}
# TYPE machine_nonsense counter
machine_nonsense{ this is no line
`;
  const T = 1_773_741_600_000;
  const values = (list: { metric: string; value: number }[]) =>
    Object.fromEntries(list.map((one) => [one.metric, one.value]));

  it("are rates between two pages, against what the container is kept to", () => {
    const state = small();
    const figures = new ContainerFigures();
    expect(values(figures.read(page(100, 1000, 10, T), T, state))).toEqual({
      "container.memory.usage": 134_217_728,
      "container.memory.used": 50,
    });
    expect(values(figures.read(page(103, 1100, 60, T + 15_000), T + 15_000, state))).toEqual({
      "container.cpu.usage": 0.2,
      "container.cpu.used": 40,
      "container.cpu.throttled": 50,
      "container.memory.usage": 134_217_728,
      "container.memory.used": 50,
    });
    expect(values(figures.ofWorkloads(() => true))).toMatchObject({
      "workload.cpu.usage": 0.2,
      "workload.cpu.throttled": 50,
    });
  });
  it("are the same on a page of thousands of lines, wherever it is cut", () => {
    const crowded = (short: string, count: number) => {
      const other = (name: string) =>
        Array.from(
          { length: count },
          (_, one) => `${name}{container="main",namespace="shop",pod="gone-${one}"} 1 ${T}`,
        );
      const lines = short.split("\n");
      return lines
        .flatMap((line) =>
          line.startsWith("container_") ? [...other(line.slice(0, line.indexOf("{"))), line] : [line],
        )
        .join("\n");
    };
    for (const count of [1, 333, 998, 999, 1000, 1001, 2500]) {
      const [state, figures] = [small(), new ContainerFigures()];
      figures.read(crowded(page(100, 1000, 10, T), count), T, state);
      expect(values(figures.read(crowded(page(103, 1100, 60, T + 15_000), count), T + 15_000, state))).toEqual({
        "container.cpu.usage": 0.2,
        "container.cpu.used": 40,
        "container.cpu.throttled": 50,
        "container.memory.usage": 134_217_728,
        "container.memory.used": 50,
      });
    }
  });
  it("begin anew where a container did, and are not told twice from one reading", () => {
    const state = small();
    const figures = new ContainerFigures();
    figures.read(page(100, 1000, 10, T), T, state);
    expect(values(figures.read(page(1, 10, 0, T + 15_000), T + 15_000, state))).not.toHaveProperty(
      "container.cpu.usage",
    );
    expect(values(figures.read(page(1, 10, 0, T + 15_000), T + 30_000, state))).not.toHaveProperty(
      "container.cpu.usage",
    );
    expect(values(figures.read(page(4, 10, 0, T + 30_000), T + 45_000, state))).toHaveProperty(
      "container.cpu.usage",
      0.2,
    );
  });
});

describe("what a cluster warns of", () => {
  const warning = (times: number, more: Json = {}) => ({
    ...meta("web-1-a.backoff", "e-1"),
    type: "Warning",
    reason: "BackOff",
    message: "Back-off restarting failed container main",
    count: times,
    lastTimestamp: "2026-03-17T10:05:00Z",
    involvedObject: { kind: "Pod", namespace: "shop", name: "web-1-a" },
    ...more,
  });
  const told = (state: ClusterState) => state.take().changes.map((one) => one.summary);

  it("is told at the workload of the pod, and again each time it has come twice as often", () => {
    const state = small();
    state.take();
    put(state, "warnings", warning(1));
    const [first] = state.take().changes;
    expect(first).toEqual({
      key: state.keyOf("deployments", { namespace: "shop", name: "web" }),
      summary: "web-1-a: BackOff, Back-off restarting failed container main",
      kind: "event",
      atMs: Date.parse("2026-03-17T10:05:00Z"),
    });
    const counts: number[] = [];
    for (let times = 2; times <= 20; times++) {
      put(state, "warnings", warning(times));
      if (told(state).length) counts.push(times);
    }
    expect(counts).toEqual([2, 4, 8, 16]);
  });

  it("is no news where it stood there at first, nor where all goes its way", () => {
    const state = small();
    state.take();
    const old = CLUSTER_LISTS.warnings.read(warning(3));
    if (!old) throw new Error("unread");
    state.replace("warnings", [old]);
    expect(told(state)).toEqual([]);
    put(state, "warnings", warning(4));
    expect(told(state)).toHaveLength(1);
    expect(CLUSTER_LISTS.warnings.read(warning(1, { type: "Normal" }))).toBeUndefined();
  });

  it("of a node is told at the node, and of what is not known at the cluster", () => {
    const state = small();
    state.take();
    put(state, "warnings", warning(1, { ...meta("n1.x", "e-2"), involvedObject: { kind: "Node", name: "n1" } }));
    put(state, "warnings", warning(1, { ...meta("y", "e-3"), involvedObject: { kind: "Pod", name: "gone" } }));
    expect(state.take().changes.map((one) => one.key)).toEqual([
      state.keyOf("nodes", { namespace: "", name: "n1" }),
      state.clusterKey,
    ]);
  });
});
