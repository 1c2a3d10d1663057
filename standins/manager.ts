import { createServer, type Server } from "node:http";
import type { ScenarioManager } from "./scenario/schema";
import type { Estate } from "./seen/estate";
import { hardwareOf, uuidOf } from "./seen/host-view";
import { GIB, type Machine } from "./world/layout";

type Cluster = ScenarioManager["clusters"][number];
const MIB = 1024 * 1024;
/** What a disk that is idle takes to answer, milliseconds. */
const DISK_MS = 0.8;
/** How long an interface whose every host is cut off lets a request hang. */
const HANG_MS = 60_000;

const round = (value: number) => Math.round(value * 1000) / 1000;

/** What a manager of hypervisors knows of one of its clusters, in a shape of its own: all of it follows from the world. */
export class ManagerView {
  constructor(
    readonly estate: Estate,
    readonly manager: ScenarioManager,
  ) {}

  private hosts(cluster: Cluster): Machine[] {
    return cluster.hypervisors.flatMap((name) => this.estate.world.layout.machine(name) ?? []);
  }

  private guests(cluster: Cluster, atMs: number): { guest: Machine; host: Machine; isUp: boolean }[] {
    const { machine } = this.estate.world.advance(atMs);
    return this.hosts(cluster).flatMap((host) =>
      host.guests
        .map((guest) => ({ guest, host, isUp: machine.up[guest.index] === 1 }))
        .filter(({ guest, isUp }) => guest.sinceMs <= atMs && (!guest.spare || isUp)),
    );
  }

  listed(what: string, cluster: Cluster, atMs: number): object[] | undefined {
    switch (what) {
      case "hosts":
        return this.hosts(cluster).map((host) => this.host(cluster, host, atMs));
      case "guests":
        return this.guests(cluster, atMs).map((one) => this.guest(one));
      case "switches":
        return [this.switch(cluster, atMs)];
      case "stores":
        return [this.store(cluster, atMs)];
      case "disks":
        return this.guests(cluster, atMs).flatMap(({ guest }) => this.disks(cluster, guest));
      default:
        return undefined;
    }
  }

  private host(cluster: Cluster, host: Machine, atMs: number): object {
    const { machine } = this.estate.world.state;
    const running = this.guests(cluster, atMs).filter((one) => one.host === host && one.isUp);
    const sum = (of: (guest: Machine) => number) => running.reduce((all, { guest }) => all + of(guest), 0);
    return {
      hostRef: `h-${host.index}`,
      title: host.name,
      dns: `${host.name}.${this.estate.scenario.organisation.domain}`,
      biosUuid: uuidOf(host),
      mgmt: host.address,
      power: machine.up[host.index] ? "ON" : "OFF",
      cores: host.role.cores,
      ramMib: host.role.memoryGiB * 1024,
      running: running.length,
      allotted: {
        cores: sum((one) => this.estate.world.coresOf(one)),
        ramMib: sum((one) => one.role.memoryGiB * 1024),
      },
    };
  }

  private guest({ guest, host, isUp }: { guest: Machine; host: Machine; isUp: boolean }): object {
    const { machine } = this.estate.world.state;
    const at = (column: "cores" | "stolen" | "memoryBytes" | "inBytesPerSecond" | "outBytesPerSecond") =>
      machine[column][guest.index] as number;
    const given = guest.role.memoryGiB * 1024;
    const touched = at("memoryBytes") / MIB;
    const cores = this.estate.world.coresOf(guest);
    return {
      guestRef: `g-${guest.index}`,
      title: guest.name,
      biosUuid: uuidOf(guest),
      onHost: `h-${host.index}`,
      power: isUp ? "ON" : "OFF",
      vcpus: cores,
      ramMib: given,
      nics: [{ mac: hardwareOf(guest, 0).toUpperCase(), ip: guest.address }],
      ...(isUp
        ? {
            live: {
              cpu: round((100 * at("cores")) / cores),
              // What others take shows as waiting, a part of it for its own other processors.
              ready: round(at("stolen") * 0.8),
              held: round(cores > 1 ? at("stolen") * 0.2 : 0),
              stolen: round(at("stolen")),
              touchedMib: round(touched),
              backedMib: round(Math.max(touched, given * 0.6)),
              overheadMib: round(64 + given * 0.01),
              balloonMib: 0,
              inBps: round(at("inBytesPerSecond") * 8),
              outBps: round(at("outBytesPerSecond") * 8),
            },
          }
        : {}),
    };
  }

  private switch(cluster: Cluster, atMs: number): object {
    const { machine } = this.estate.world.state;
    const running = this.guests(cluster, atMs).filter((one) => one.isUp);
    const sum = (column: "inBytesPerSecond" | "outBytesPerSecond" | "errors") =>
      running.reduce((all, { guest }) => all + (machine[column][guest.index] as number), 0);
    return {
      switchRef: `s-${cluster.id}`,
      title: `${cluster.id}-switch`,
      plugged: running.map(({ guest }) => `g-${guest.index}`),
      live: {
        ports: running.length,
        // Seen from the switch: what guests send comes in.
        inBps: round(sum("outBytesPerSecond") * 8),
        outBps: round(sum("inBytesPerSecond") * 8),
        errors: 0,
        discards: 0,
      },
    };
  }

  private store(cluster: Cluster, atMs: number): object {
    const { disk } = this.estate.world.state;
    const disks = this.guests(cluster, atMs).flatMap(({ guest }) => guest.disks);
    const size = disks.reduce((sum, one) => sum + one.spec.sizeGiB, 0);
    const used = disks.reduce((sum, one) => sum + one.spec.sizeGiB * (disk.usedShare[one.index] as number), 0);
    const load = (index: number, perSecond: number) => (disk.busy[index] as number) * perSecond;
    const operations = disks.reduce((sum, one) => sum + load(one.index, one.spec.perSecond), 0);
    const waits = disks.reduce(
      (sum, one) => sum + load(one.index, one.spec.perSecond) * DISK_MS * (disk.slowdown[one.index] as number),
      0,
    );
    return {
      storeRef: `d-${cluster.id}`,
      title: `${cluster.id}-store`,
      capacityGib: size * 1.4,
      live: {
        usedPercent: round((100 * used) / Math.max(1, size * 1.4)),
        readsPerS: round(operations * 0.6),
        writesPerS: round(operations * 0.4),
        ...(operations > 0 ? { latencyMs: round(waits / operations) } : {}),
      },
    };
  }

  private disks(cluster: Cluster, guest: Machine): object[] {
    const { disk } = this.estate.world.state;
    return guest.disks.map((one, index) => ({
      diskRef: `v-${one.index}`,
      title: `${guest.name} disk ${index}`,
      ofGuest: `g-${guest.index}`,
      inStore: `d-${cluster.id}`,
      bytes: one.spec.sizeGiB * GIB,
      live: {
        readsPerS: round((disk.busy[one.index] as number) * one.spec.perSecond * 0.6),
        writesPerS: round((disk.busy[one.index] as number) * one.spec.perSecond * 0.4),
        latencyMs: round(DISK_MS * (disk.slowdown[one.index] as number)),
      },
    }));
  }

  isCut(cluster: Cluster, atMs: number): boolean {
    const { link } = this.estate.world.advance(atMs);
    const hosts = this.hosts(cluster);
    return hosts.length > 0 && hosts.every((one) => one.link !== undefined && !link.up[one.link.index]);
  }
}

const MOST_PAGE = 40;

/** Serves one manager: a key in a header, lists by place and size, clusters each by themselves. */
export function startManager(view: ManagerView, now: () => number): Promise<Server> {
  const { manager } = view;
  const server = createServer((request, response) => {
    const send = (status: number, body: unknown) => {
      response.writeHead(status, { "content-type": "application/json" });
      response.end(JSON.stringify(body));
    };
    try {
      const url = new URL(request.url ?? "/", "http://manager");
      if (request.headers["quay-key"] !== manager.key) return send(401, { why: "unknown key" });
      const [, root, what, id, list] = url.pathname.split("/");
      if (root !== "quay") return send(404, { why: "nothing here" });
      if (what === "installation") return send(200, { installation: { serial: manager.name, title: manager.title } });
      const page = (items: readonly object[]) => {
        const from = Math.max(0, Number(url.searchParams.get("skip") ?? 0));
        const size = Math.min(MOST_PAGE, Math.max(1, Number(url.searchParams.get("take") ?? MOST_PAGE)));
        send(200, { total: items.length, entries: items.slice(from, from + size) });
      };
      if (what !== "clusters") return send(404, { why: "nothing here" });
      if (id === undefined) return page(manager.clusters.map((one) => ({ ref: one.id, title: one.name })));
      const cluster = manager.clusters.find((one) => one.id === id);
      if (!cluster) return send(404, { why: "no such cluster" });
      const atMs = now();
      if (view.isCut(cluster, atMs)) return void setTimeout(() => response.destroy(), HANG_MS).unref();
      const items = view.listed(list ?? "", cluster, atMs);
      if (!items) return send(404, { why: "no such list" });
      page(items);
    } catch (error) {
      send(500, { why: error instanceof Error ? error.message : "failed" });
    }
  });
  server.keepAliveTimeout = 60_000;
  return new Promise((resolve, reject) => {
    server.once("error", reject);
    server.listen(manager.port, manager.address, () => resolve(server));
  });
}

/** Serves every manager of the scenario. */
export const startManagers = (estate: Estate, now: () => number): Promise<Server[]> =>
  Promise.all(estate.scenario.managers.map((one) => startManager(new ManagerView(estate, one), now)));
