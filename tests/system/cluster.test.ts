import { mkdtempSync, rmSync } from "node:fs";
import { createServer, type Server } from "node:https";
import type { AddressInfo } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";
import fc from "fast-check";
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { SampleWriter } from "#server/ingest/sample-writer";
import type { PlatformPoller } from "#server/polling/platforms";
import type { Db } from "#server/store/database";
import { currentComponents, retireComponent } from "#server/store/estate";
import { factsAt } from "#server/store/facts";
import { platformOf } from "#server/store/platforms";
import { currentRelations } from "#server/store/relations";
import { clusterDriver } from "#server/sources/cluster/driver";
import { insertSource } from "#server/store/sources";
import { seriesOfMetric } from "#server/store/signals";
import type { Access } from "#server/vault/kinds";
import type { ClusterObject, Snapshot } from "#standins/cluster/meta";
import type { ClusterObjects } from "#standins/cluster/objects";
import { ClusterServer } from "#standins/cluster/serve";
import { makeAuthority } from "../certificates";
import { makePlatformPoller } from "../platform-poller";
import { emptyEstate, useStore } from "../store";

const TOKEN = "service-account-token";
const SPACE = "shop";

const meta = (name: string, sort: string, more: object = {}, namespace: string | null = SPACE) => ({
  name,
  ...(namespace ? { namespace } : {}),
  uid: `${sort}-${name}`,
  creationTimestamp: "2026-03-17T10:00:00Z",
  ...more,
});

/** A cluster in the hands of a test. */
class Small {
  cluster = { token: TOKEN };
  images = new Map<string, string>();
  pods = new Set<string>();
  uid = "cluster-1";
  isLineUp = true;
  /** Ids of containers by their pods, where the runtime tells one. */
  ids = new Map<string, string>();

  isReached(): boolean {
    return this.isLineUp;
  }

  snapshot(): Snapshot {
    const names = [...this.images.keys()];
    const template = (name: string) => ({
      metadata: { labels: { app: name } },
      spec: { containers: [{ name: "main", image: this.images.get(name), resources: { limits: { cpu: "1" } } }] },
    });
    const objects = (list: ClusterObject[]) => list;
    return {
      "/api/v1/namespaces": objects([
        { metadata: { ...meta("kube-system", "ns", {}, null), uid: this.uid } },
        { metadata: meta(SPACE, "ns", {}, null) },
      ]),
      "/api/v1/nodes": objects([
        {
          metadata: meta("n1", "node", {}, null),
          status: {
            conditions: [{ type: "Ready", status: "True" }],
            addresses: [{ type: "InternalIP", address: "10.3.0.1" }],
          },
        },
      ]),
      "/apis/apps/v1/deployments": names.map((name) => ({
        metadata: meta(name, "d"),
        spec: { replicas: this.copies.get(name) ?? 1, template: template(name) },
        status: {},
      })),
      "/apis/apps/v1/replicasets": names.map((name) => ({
        metadata: meta(`${name}-1`, "r", {
          ownerReferences: [{ kind: "Deployment", name, uid: `d-${name}`, controller: true }],
        }),
        spec: { template: template(name) },
      })),
      "/apis/apps/v1/statefulsets": [],
      "/apis/apps/v1/daemonsets": [],
      "/apis/batch/v1/cronjobs": [],
      "/apis/batch/v1/jobs": [],
      "/api/v1/pods": [...this.pods].map((pod) => {
        const [name = ""] = pod.split(".");
        return {
          metadata: meta(pod, "p", {
            ownerReferences: [{ kind: "ReplicaSet", name: `${name}-1`, uid: `r-${name}-1`, controller: true }],
          }),
          spec: { nodeName: "n1", ...template(name).spec },
          status: {
            phase: "Running",
            containerStatuses: [
              { name: "main", ready: true, restartCount: 0, state: { running: {} }, containerID: this.ids.get(pod) },
            ],
          },
        };
      }),
      "/api/v1/services": names.map((name) => ({
        metadata: meta(name, "s"),
        spec: { selector: { app: name }, ports: [] },
      })),
      "/apis/networking.k8s.io/v1/ingresses": [
        {
          metadata: meta("door", "i"),
          spec: { rules: [{ host: "shop.example", http: { paths: [{ backend: { service: { name: "late" } } }] } }] },
        },
      ],
      "/api/v1/persistentvolumeclaims": [],
    };
  }
  copies = new Map<string, number>();
  scaleOf = (name: string) => (this.images.has(name) ? (this.copies.get(name) ?? 1) : undefined);
  scale = (name: string, replicas: number) => void this.copies.set(name, replicas);
  page(): string {
    return [...this.pods]
      .map((pod) => `container_memory_working_set_bytes{container="main",namespace="${SPACE}",pod="${pod}"} 1000`)
      .join("\n");
  }
}

let db: Db;
let folder: string;
let authority: ReturnType<typeof makeAuthority>;
let identity: { key: string; cert: string };
let server: Server;
let cluster: Small;
let one: ClusterServer;
let poller: PlatformPoller;
let source: number;
let writer: SampleWriter;
let vault: () => Access[];
/** How far the clock is ahead of the machine's. */
let aheadMs = 0;
useStore((made) => (db = made));
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), "holotaxis-cluster-"));
  authority = makeAuthority(folder);
  identity = authority.issue("localhost");
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

beforeEach(async () => {
  emptyEstate(db);
  cluster = new Small();
  one = new ClusterServer(cluster as unknown as ClusterObjects, () => Date.now());
  server = createServer(identity, (request, response) => one.answer(request, response));
  await new Promise<void>((done) => server.listen(0, "127.0.0.1", done));
  const settings = {
    address: `https://localhost:${(server.address() as AddressInfo).port}`,
    cluster: "Shop cluster",
    authority: authority.cert,
  };
  source = insertSource(
    db,
    { kind: "cluster", name: "Shop", site: "Shop", settings, pollSeconds: 1 },
    undefined,
    Date.now(),
  );
  vault = () => [{ id: 1, name: "account", kind: "bearer", fields: { token: TOKEN }, destinations: "localhost" }];
  start();
});
afterEach(() => {
  poller.stop();
  server.closeAllConnections();
  server.close();
});

function start(): void {
  writer = new SampleWriter(db);
  poller = makePlatformPoller(db, () => Date.now() + aheadMs, { sampleWriter: writer, access: () => vault() });
  poller.pollDue();
}

const present = (kind: string) =>
  currentComponents(db)
    .filter((row) => row.kind === kind)
    .map((row) => row.name)
    .sort();
const expected = () => ({
  workloads: [...cluster.images.keys()].sort(),
  containers: cluster.pods.size,
});
const found = () => ({ workloads: present("app.workload"), containers: present("app.container").length });
const settles = () => expect.poll(found, { timeout: 20_000, interval: 50 }).toEqual(expected());

describe("a workload of a container cluster", () => {
  const scaling = (copies: (now: number) => { copies: number } | { problem: string }, name = "web") =>
    clusterDriver.scale?.(
      {
        address: `https://localhost:${(server.address() as AddressInfo).port}`,
        cluster: "Shop cluster",
        authority: authority.cert,
      },
      vault(),
      [`native:container%20cluster/c1//deployments/${SPACE}/${name}`],
      copies,
      new AbortController().signal,
    );
  beforeEach(() => {
    cluster.images.set("web", "web:1");
    one.look();
  });

  it("is scaled, from what it has now, and that is found as a change", async () => {
    await settles();
    expect(await scaling((now) => ({ copies: now + 2 }))).toEqual({ before: 1, after: 3 });
    expect(cluster.copies.get("web")).toBe(3);
    const changes = () => db.prepare("SELECT summary FROM change WHERE summary LIKE '%scaled%'").pluck().all();
    await expect.poll(changes, { timeout: 10_000 }).toEqual(["shop/web was scaled: 1 → 3 replicas"]);
  });
  it("is left as it is where that goes too far, where somebody else changes it, and where it is not there", async () => {
    expect(await scaling(() => ({ problem: "Too many." }))).toEqual({ problem: "Too many." });
    await expect(
      scaling(() => {
        cluster.scale("web", 7);
        one.look();
        return { copies: 3 };
      }),
    ).rejects.toThrow(/Somebody else changed web on Shop cluster just then/);
    expect(cluster.copies.get("web")).toBe(7);
    await expect(scaling(() => ({ copies: 1 }), "gone")).rejects.toThrow(/deployments "gone" not found/);
    vault = () => [{ id: 1, name: "account", kind: "bearer", fields: { token: "other" }, destinations: "localhost" }];
    await expect(scaling(() => ({ copies: 1 }))).rejects.toThrow(/does not know the credential/);
  });
  it("only, and nothing else of the cluster", async () => {
    await expect(
      clusterDriver.scale?.(
        { address: "https://localhost:1", cluster: "x", authority: "" },
        vault(),
        ["native:container%20cluster/c1//daemonsets/shop/sync", "name:web"],
        () => ({ copies: 1 }),
        new AbortController().signal,
      ),
    ).rejects.toThrow(/no number of copies/);
  });
});

describe("a container cluster over TLS of a private authority", () => {
  it("is listed, watched, measured, and its roll-outs are changes", async () => {
    cluster.images.set("web", "web:1");
    cluster.pods.add("web.a");
    one.look();
    await settles();
    expect(present("platform.cluster")).toEqual(["Shop cluster"]);
    cluster.pods.add("web.b");
    cluster.images.set("web", "web:2");
    one.look();
    await settles();
    const changes = () => db.prepare("SELECT summary FROM change WHERE kind = 'deployment'").pluck().all() as string[];
    await expect.poll(changes, { timeout: 10_000 }).toEqual(["shop/web was rolled out: image of main web:1 → web:2"]);
    cluster.pods.delete("web.a");
    one.look();
    await settles();
    const id = currentComponents(db).find((row) => row.kind === "app.container")?.id ?? 0;
    await expect
      .poll(
        () =>
          seriesOfMetric(db, id, "container.memory.usage")?.unit ??
          writer.find({ componentId: id, serviceId: null }, "container.memory.usage", "") !== undefined,
        { timeout: 10_000 },
      )
      .toBeTruthy();
    const workload = currentComponents(db).find((row) => row.kind === "app.workload")?.id;
    expect(
      currentRelations(db).some((row) => row.type === "part-of" && row.from_id === id && row.to_id === workload),
    ).toBe(true);
  });

  it("knows a container again that has moved to a pod of another name", async () => {
    cluster.images.set("web", "web:1");
    for (const pod of ["web.a", "web.b"]) cluster.ids.set(pod, `any://${"5e".repeat(32)}`);
    cluster.pods.add("web.a");
    one.look();
    await settles();
    const before = currentComponents(db).find((row) => row.kind === "app.container");
    cluster.pods.delete("web.a");
    cluster.pods.add("web.b");
    one.look();
    const podOf = () => factsAt(db, before?.id ?? 0, Date.now()).find((fact) => fact.name === "platform pod")?.value;
    await expect.poll(podOf, { timeout: 10_000 }).toBe("web.b");
    expect(
      currentComponents(db)
        .filter((row) => row.kind === "app.container")
        .map((row) => row.id),
    ).toEqual([before?.id]);
    expect(db.prepare("SELECT count(*) FROM change WHERE summary LIKE '%is gone'").pluck().get()).toBe(0);
  });

  it("relates what was told of before the other end was there", async () => {
    one.look();
    await expect.poll(() => present("platform.ingress"), { timeout: 10_000 }).toEqual(["door"]);
    cluster.images.set("late", "late:1");
    one.look();
    await settles();
    const id = (kind: string) => currentComponents(db).find((row) => row.kind === kind)?.id;
    const leads = () =>
      currentRelations(db).some(
        (row) =>
          row.type === "talks-to" && row.from_id === id("platform.ingress") && row.to_id === id("platform.service"),
      );
    await expect.poll(leads, { timeout: 10_000 }).toBe(true);
  });

  it("tells again of what somebody else took for gone", async () => {
    cluster.images.set("web", "web:1");
    cluster.pods.add("web.a");
    one.look();
    await settles();
    const id = currentComponents(db).find((row) => row.kind === "app.container")?.id ?? 0;
    retireComponent(db, id, Date.now());
    expect(present("app.container")).toEqual([]);
    aheadMs += 120_000;
    // Looks are called for by the engine's ticks.
    const back = () => {
      poller.pollDue();
      return present("app.container").length;
    };
    await expect.poll(back, { timeout: 20_000, interval: 200 }).toBe(1);
  });

  it("says what is wrong with a token, and takes nothing for gone", async () => {
    cluster.images.set("web", "web:1");
    one.look();
    await settles();
    poller.stop();
    vault = () => [{ id: 1, name: "account", kind: "bearer", fields: { token: "old" }, destinations: "localhost" }];
    start();
    await expect
      .poll(() => platformOf(db, source)?.problem, { timeout: 10_000 })
      .toContain("It does not know the credential (401)");
    expect(present("app.workload")).toEqual(["web"]);
  });

  it("is not taken for another one that stands at its address", async () => {
    cluster.images.set("web", "web:1");
    one.look();
    await settles();
    // Whose things they are is kept at the end of a round.
    await expect.poll(() => platformOf(db, source)?.account, { timeout: 10_000 }).toBe("cluster-1");
    poller.stop();
    cluster.uid = "cluster-2";
    cluster.images.clear();
    one.look();
    start();
    await expect.poll(() => platformOf(db, source)?.problem, { timeout: 10_000 }).toContain("This is another cluster");
    expect(present("app.workload")).toEqual(["web"]);
  });

  it("ends in the same estate as a fresh list, whatever came, broke and was resumed in between", async () => {
    const step = fc.record({
      what: fc.constantFrom(
        "pod" as const,
        "image" as const,
        "drop" as const,
        "break" as const,
        "forget" as const,
        "restart" as const,
      ),
      name: fc.constantFrom("web", "app", "store"),
      copy: fc.constantFrom("a", "b", "c"),
    });
    await fc.assert(
      fc.asyncProperty(fc.array(step, { maxLength: 25 }), async (steps) => {
        for (const { what, name, copy } of steps) {
          if (what === "image") cluster.images.set(name, `${name}:${copy}`);
          else if (what === "pod" && cluster.images.has(name)) cluster.pods.add(`${name}.${copy}`);
          else if (what === "drop") {
            if (copy === "c") {
              cluster.images.delete(name);
              for (const pod of cluster.pods) if (pod.startsWith(`${name}.`)) cluster.pods.delete(pod);
            } else cluster.pods.delete(`${name}.${copy}`);
          } else if (what === "restart") {
            poller.stop();
            start();
          }
          if (what === "break" || what === "forget") one.breakWatches(what === "forget");
          one.look();
        }
        await settles();
        const ids = new Set(currentComponents(db).map((row) => row.id));
        for (const row of currentRelations(db)) expect(ids.has(row.from_id) && ids.has(row.to_id)).toBe(true);
      }),
      { numRuns: 8 },
    );
  }, 180_000);
});
