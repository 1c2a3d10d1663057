import { createServer, type Server } from "node:https";
import type { IncomingMessage, ServerResponse } from "node:http";
import type { Authority } from "../certificates";
import type { Estate } from "../seen/estate";
import type { ClusterObject } from "./meta";
import { ClusterObjects } from "./objects";

const LOOK_MS = 500;
/** How long a request hangs whose answer does not get through. */
const HANG_MS = 60_000;
const BOOKMARK_MS = 15_000;
/** Changes that a watch can go on from; what is older has to be read anew. */
const KEPT = 5_000;
const PAGE_LIFE_MS = 60_000;
const MOST_BODY = 64 * 1024;
const SCALE = /^\/apis\/apps\/v1\/namespaces\/([^/]+)\/deployments\/([^/]+)\/scale$/;
const YEAR_MS = 365 * 86_400_000;

interface Change {
  version: number;
  path: string;
  type: "ADDED" | "MODIFIED" | "DELETED";
  object: ClusterObject;
}

interface Watcher {
  path: string;
  response: ServerResponse;
  endMs: number;
}

/** The interface of one pretended cluster: lists in pages, and watches that go on from any version it still knows. */
export class ClusterServer {
  private version = 1000;
  private readonly now = new Map<string, Map<string, { object: ClusterObject; text: string; version: number }>>();
  private readonly changes: Change[] = [];
  private readonly watchers = new Set<Watcher>();
  /** Lists that are being read in pages, as they stood at the first. */
  private readonly reads = new Map<string, { items: unknown[]; version: number; untilMs: number }>();
  private nextRead = 1;

  constructor(
    readonly objects: ClusterObjects,
    private readonly clock: () => number,
  ) {
    this.look();
  }

  /** Takes up what changed in the world. */
  look(): void {
    if (!this.objects.isReached(this.clock())) this.breakWatches(false);
    for (const [path, objects] of Object.entries(this.objects.snapshot(this.clock()))) {
      const known = this.now.get(path) ?? new Map<string, { object: ClusterObject; text: string; version: number }>();
      this.now.set(path, known);
      const present = new Set<string>();
      for (const object of objects) {
        const name = `${object.metadata.namespace ?? ""}/${object.metadata.name}`;
        present.add(name);
        const before = known.get(name);
        if (before && before.object === object) continue;
        const text = JSON.stringify(object);
        if (before?.text === text) continue;
        this.put(path, name, object, text, before ? "MODIFIED" : "ADDED");
      }
      for (const [name, { object }] of known)
        if (!present.has(name)) {
          known.delete(name);
          this.note({ version: ++this.version, path, type: "DELETED", object });
        }
    }
  }

  private put(path: string, name: string, object: ClusterObject, text: string, type: "ADDED" | "MODIFIED"): void {
    const version = ++this.version;
    this.now.get(path)?.set(name, { object, text, version });
    this.note({ version, path, type, object });
  }

  /** Something changed of one of the many. */
  churn(index: number): void {
    const object = this.objects.more.churn(index);
    this.put(
      "/api/v1/pods",
      `${object.metadata.namespace ?? ""}/${object.metadata.name}`,
      object,
      JSON.stringify(object),
      "MODIFIED",
    );
  }

  private note(change: Change): void {
    this.changes.push(change);
    if (this.changes.length > KEPT) this.changes.splice(0, this.changes.length - KEPT);
    for (const one of this.watchers) if (one.path === change.path) one.response.write(lineOf(change));
  }

  /** Ends watches whose time is over, and tells the others where they stand. */
  pulse(): void {
    for (const one of this.watchers) {
      if (Date.now() >= one.endMs) {
        // Nothing may be written after the end, though the line is closed only when the other side has heard of it.
        this.watchers.delete(one);
        one.response.end();
      } else
        one.response.write(
          `${JSON.stringify({ type: "BOOKMARK", object: { metadata: { resourceVersion: String(this.version) } } })}\n`,
        );
    }
    for (const [key, { untilMs }] of this.reads) if (untilMs < Date.now()) this.reads.delete(key);
  }

  /** Breaks every watch, as a restart of the interface does. @param forget older versions are not known any more */
  breakWatches(forget: boolean): void {
    if (forget) this.changes.length = 0;
    for (const one of this.watchers) one.response.destroy();
  }

  answer(request: IncomingMessage, response: ServerResponse): void {
    // Over a line that is cut nothing comes back.
    if (!this.objects.isReached(this.clock())) {
      setTimeout(() => response.destroy(), HANG_MS).unref();
      return;
    }
    const url = new URL(request.url ?? "/", "https://cluster");
    const send = (status: number, body: unknown) => {
      response.writeHead(status, { "content-type": "application/json" });
      response.end(JSON.stringify(body));
    };
    const refuse = (status: number, message: string) =>
      send(status, { kind: "Status", status: "Failure", message, code: status });
    if (request.headers.authorization !== `Bearer ${this.objects.cluster.token}`) return refuse(401, "Unauthorized");
    const { pathname: path, searchParams } = url;
    if (path === "/version") return send(200, { gitVersion: "v1.31.4" });
    const page = /^\/api\/v1\/nodes\/([^/]+)\/proxy\/metrics\/cadvisor$/.exec(path)?.[1];
    if (page !== undefined) {
      const text = this.objects.page(decodeURIComponent(page), this.clock());
      if (text === undefined) return refuse(503, "the node does not answer");
      response.writeHead(200, { "content-type": "text/plain; version=0.0.4" });
      return void response.end(text);
    }
    const [, , name] = SCALE.exec(path) ?? [];
    if (name !== undefined) return this.scale(name, request, send, refuse);
    const space = /^\/api\/v1\/namespaces\/([^/]+)$/.exec(path)?.[1];
    if (space !== undefined) {
      const found = this.now.get("/api/v1/namespaces")?.get(`/${space}`);
      return found ? send(200, found.object) : refuse(404, "not found");
    }
    if (!this.now.has(path)) return refuse(404, "the server could not find the requested resource");
    if (searchParams.get("watch") === "1") return this.watch(path, searchParams, response);
    this.list(path, searchParams, send, refuse);
  }

  /** How many copies of a deployment are wanted, read and changed by a merge patch. */
  private scale(
    name: string,
    request: IncomingMessage,
    send: (status: number, body: unknown) => void,
    refuse: (status: number, message: string) => void,
  ): void {
    const answer = () =>
      send(200, {
        kind: "Scale",
        metadata: { name, resourceVersion: String(this.versionOf(name)) },
        spec: { replicas: this.objects.scaleOf(name) },
      });
    if (this.objects.scaleOf(name) === undefined) return refuse(404, `deployments "${name}" not found`);
    if (request.method === "GET") return answer();
    if (request.method !== "PATCH") return refuse(405, "method not allowed");
    let text = "";
    request.on("data", (part: Buffer) => {
      text += part.toString("utf8");
      if (text.length > MOST_BODY) request.destroy();
    });
    request.on("end", () => {
      let change: { metadata?: { resourceVersion?: string }; spec?: { replicas?: unknown } };
      try {
        change = JSON.parse(text) as typeof change;
      } catch {
        return refuse(400, "the body is no JSON");
      }
      const { metadata, spec } = change;
      if (metadata?.resourceVersion !== undefined && metadata.resourceVersion !== String(this.versionOf(name)))
        return refuse(409, "the object has been modified; please apply your changes to the latest version");
      const replicas = spec?.replicas;
      if (typeof replicas !== "number" || !Number.isInteger(replicas) || replicas < 0)
        return refuse(422, "spec.replicas: must be a whole number that is not negative");
      this.objects.scale(name, replicas, this.clock());
      this.look();
      answer();
    });
  }

  private versionOf(name: string): number {
    for (const [key, { version }] of this.now.get("/apis/apps/v1/deployments") ?? [])
      if (key.endsWith(`/${name}`)) return version;
    return 0;
  }

  private list(
    path: string,
    query: URLSearchParams,
    send: (status: number, body: unknown) => void,
    refuse: (status: number, message: string) => void,
  ): void {
    const limit = Math.max(1, Number(query.get("limit") ?? 1e9));
    const [read = "", at = "0"] = (query.get("continue") ?? "").split("-");
    const known = read
      ? this.reads.get(read)
      : {
          version: this.version,
          untilMs: Date.now() + PAGE_LIFE_MS,
          items: [...(this.now.get(path)?.values() ?? [])].map((one) => withVersion(one.object, one.version)),
        };
    if (!known) return refuse(410, "The provided continue parameter is too old");
    const from = Number(at);
    const end = from + limit;
    let next = "";
    if (end < known.items.length) {
      const key = read || `r${this.nextRead++}`;
      this.reads.set(key, known);
      next = `${key}-${end}`;
    }
    send(200, {
      metadata: { resourceVersion: String(known.version), ...(next ? { continue: next } : {}) },
      items: known.items.slice(from, end),
    });
  }

  private watch(path: string, query: URLSearchParams, response: ServerResponse): void {
    const from = Number(query.get("resourceVersion") ?? 0);
    response.writeHead(200, { "content-type": "application/json" });
    const oldest = this.changes[0]?.version ?? this.version + 1;
    if (from + 1 < oldest && from < this.version) {
      const object = { kind: "Status", code: 410, message: `too old resource version: ${from}` };
      return void response.end(`${JSON.stringify({ type: "ERROR", object })}\n`);
    }
    response.flushHeaders();
    for (const change of this.changes)
      if (change.version > from && change.path === path) response.write(lineOf(change));
    const seconds = Math.min(600, Number(query.get("timeoutSeconds") ?? 300));
    const watcher: Watcher = { path, response, endMs: Date.now() + seconds * 1000 };
    this.watchers.add(watcher);
    response.on("close", () => this.watchers.delete(watcher));
  }
}

const withVersion = (object: ClusterObject, version: number) => ({
  ...object,
  metadata: { ...object.metadata, resourceVersion: String(version) },
});
const lineOf = ({ type, object, version }: Change) =>
  `${JSON.stringify({ type, object: withVersion(object, version) })}\n`;

/** Serves every cluster of the scenario, with certificates of the house's own authority. */
export async function startClusters(estate: Estate, authority: Authority, now: () => number): Promise<Server[]> {
  const servers: Server[] = [];
  for (const cluster of estate.scenario.clusters) {
    const identity = await authority.issue(`${cluster.name}-cluster`, Date.now() + YEAR_MS, cluster.address);
    const one = new ClusterServer(new ClusterObjects(estate, cluster), now);
    const server = createServer(identity, (request, response) => one.answer(request, response));
    await new Promise<void>((resolve, reject) =>
      server.once("error", reject).listen(cluster.port, cluster.address, resolve),
    );
    setInterval(() => one.look(), LOOK_MS).unref();
    setInterval(() => one.pulse(), BOOKMARK_MS).unref();
    if (cluster.churnPerSecond > 0 && cluster.more > 0) {
      let index = 0;
      setInterval(() => one.churn(index++ % cluster.more), 1000 / cluster.churnPerSecond).unref();
    }
    servers.push(server);
  }
  return servers;
}
