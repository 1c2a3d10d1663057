import type { z } from "zod";
import type { scenarioSchema } from "../scenario/schema";
import { Chance } from "./chance";
import { capital, Names } from "./names";
import { sized } from "./sizes";

export type Draft = z.input<typeof scenarioSchema>;
export type DraftRole = Draft["roles"][string];
export type DraftProcess = NonNullable<DraftRole["processes"]>[number];
export type DraftOperation = NonNullable<DraftProcess["operations"]>[number];
export type DraftFault = NonNullable<Draft["faults"]>[number];
export type DraftDrill = NonNullable<Draft["drills"]>[number];
type DraftCall = NonNullable<DraftOperation["calls"]>[number];

/** What a role is for in the estate. */
export type Work = "web" | "app" | "store" | "cache" | "broker" | "worker" | "partner" | "directory" | "box" | "copier";

/** A role with its one process and the hosts that run it. */
export interface Station {
  work: Work;
  role: string;
  process: string;
  hosts: string[];
  site: string;
}

export interface GrownEstate {
  draft: Draft;
  setup: object;
  stations: Station[];
  hypervisors: string[];
}

const PORTS: Record<Work, number> = {
  web: 8080,
  app: 8081,
  worker: 8085,
  box: 8087,
  partner: 8443,
  store: 5433,
  cache: 11_311,
  broker: 5673,
  directory: 1636,
  copier: 8083,
};
const WEEK = [1, 0.97, 0.96, 0.98, 0.9, 0.3, 0.2];
/** Curves of a day (UTC), with enough to do in the forenoon. */
const RHYTHMS: Draft["rhythms"] = {
  office: {
    hours: [3, 3, 3, 3, 5, 10, 35, 75, 96, 100, 97, 90, 70, 88, 94, 86, 62, 40, 25, 16, 10, 8, 5, 4].map(
      (one) => one / 100,
    ),
    weekdays: WEEK,
  },
  early: {
    hours: [5, 5, 8, 20, 55, 85, 98, 100, 97, 85, 65, 48, 40, 36, 32, 30, 28, 24, 18, 14, 10, 8, 6, 5].map(
      (one) => one / 100,
    ),
    weekdays: WEEK,
  },
  round: {
    hours: [45, 42, 40, 40, 45, 55, 70, 85, 95, 100, 100, 98, 95, 95, 96, 97, 95, 92, 88, 80, 70, 62, 55, 48].map(
      (one) => one / 100,
    ),
    weekdays: [1, 1, 1, 1, 1, 0.9, 0.85],
  },
};

/** Grows an estate: sites, services in tiers, what they share, and the load that they are made for. The same seed, the same estate. */
export function growEstate(seed: number): GrownEstate {
  const grower = new Grower(seed);
  grower.ground();
  grower.shared();
  const services = grower.chance.whole(3, 5);
  for (let index = 0; index < services; index++) grower.service();
  grower.copier();
  return grower.done();
}

class Grower {
  readonly chance: Chance;
  private readonly names: Names;
  private readonly draft: Draft;
  private readonly stations: Station[] = [];
  private readonly hypervisors: string[] = [];
  private readonly services: object[] = [];
  private readonly lastAddress = new Map<string, number>();
  private directory: Station | undefined;
  /** The one front of all services, where they have one together. */
  private front: Station | undefined;
  private readonly apps: { station: Station; look: string }[] = [];

  constructor(private readonly seed: number) {
    this.chance = new Chance(seed);
    this.names = new Names(this.chance);
    const place = this.names.place();
    this.draft = {
      name: this.names.organisation(place),
      organisation: { domain: `${place}.example`, maker: capital(place) },
      seed,
      snmpPort: 1161,
      sshPort: 2222,
      hypervisorSsh: true,
      sites: [],
      links: [],
      rhythms: RHYTHMS,
      roles: {
        "core-switch": { system: "switch", rhythm: "round", cores: 1, memoryGiB: 2, cpu: [5, 11] },
        base: {
          system: "hypervisor",
          rhythm: "round",
          cores: 32,
          memoryGiB: 256,
          cpu: [3, 3],
          disks: [{ mount: "/vol", sizeGiB: 8000, usedPercent: 46 }],
        },
      },
      hosts: [],
      loads: [],
      queues: [],
      jobs: [],
      faults: [],
      drills: [],
    };
  }

  private get sites(): Draft["sites"] {
    return this.draft.sites;
  }

  private host(site: string, name: string, role: string, on?: string, spare = false): string {
    const place = (this.lastAddress.get(site) ?? 1) + 1;
    this.lastAddress.set(site, place);
    const at = this.sites.findIndex((one) => one.id === site);
    const code = site.slice(0, 3);
    const full = `${code}-${name}`;
    this.draft.hosts.push({
      name: full,
      role,
      site,
      address: `127.${70 + at}.1.${place}`,
      ...(on === undefined ? {} : { on }),
      ...(spare ? { spare } : {}),
    });
    return full;
  }

  /** Sites with their switches, hypervisors and lines. */
  ground(): void {
    const count = this.chance.whole(2, 4);
    const codes = new Set<string>();
    while (this.sites.length < count) {
      const id = this.names.place();
      if (codes.has(id.slice(0, 3))) continue;
      codes.add(id.slice(0, 3));
      this.sites.push({
        id,
        name: capital(id),
        network: `127.${70 + this.sites.length}.1.0/24`,
        community: `read-${id}`,
        contact: `${id}@${this.draft.organisation.domain}`,
      });
    }
    this.sites.forEach(({ id }, index) => {
      const switches = index === 0 ? 2 : this.chance.whole(1, 2);
      for (let each = 1; each <= switches; each++) this.host(id, `sw-${each}`, "core-switch");
      const bases = index === 0 ? this.chance.whole(2, 3) : this.chance.whole(0, 1);
      for (let each = 1; each <= bases; each++) this.hypervisors.push(this.host(id, `base-${each}`, "base"));
      if (index > 0)
        this.draft.links?.push({
          between: [this.sites[0]?.id ?? "", id],
          mbps: this.chance.one([100, 200, 500]),
          ms: this.chance.whole(2, 12),
        });
    });
  }

  /** A role with its process on so many hosts; half of them are machines of a hypervisor of the site, where it has one. */
  private station(
    work: Work,
    name: string,
    site: string,
    hosts: number,
    process: DraftProcess,
    more: Partial<DraftRole> = {},
  ): Station {
    const isData = process.data !== undefined;
    this.draft.roles[name] = {
      system: "linux",
      rhythm: "round",
      cores: 2,
      memoryGiB: 4,
      cpu: [2, 4],
      trafficMbps: 2,
      disks: [
        { mount: "/", sizeGiB: 60, usedPercent: this.chance.whole(25, 45) },
        ...(isData
          ? [
              {
                mount: process.data ?? "",
                sizeGiB: this.chance.whole(2, 12) * 100,
                usedPercent: this.chance.whole(30, 75),
              },
            ]
          : []),
      ],
      processes: [process],
      ...more,
    };
    const bases = isData ? [] : this.hypervisors.filter((one) => one.startsWith(`${site.slice(0, 3)}-`));
    const first = this.chance.whole(0, 8);
    const names = Array.from({ length: hosts }, (_, index) =>
      this.host(site, `${name}-${index + 1}`, name, bases.length ? bases[(first + index) % bases.length] : undefined),
    );
    const station = { work, role: name, process: process.name, hosts: names, site };
    this.stations.push(station);
    return station;
  }

  private program(
    work: Work,
    does: string,
    memoryMiB: number,
    operations: DraftOperation[],
    more: Partial<DraftProcess> = {},
  ): DraftProcess {
    return {
      name: this.names.program(does),
      version: `${this.chance.whole(1, 9)}.${this.chance.whole(0, 9)}.${this.chance.whole(0, 9)}`,
      memoryMiB: Math.round(memoryMiB),
      listens: [
        {
          port: PORTS[work],
          speaks: ["web", "app", "worker", "box", "partner", "copier"].includes(work) ? "http" : "silent",
          ...(work === "partner" ? { certificateDays: 200 } : {}),
        },
      ],
      operations,
      talksTo: [],
      ...more,
    };
  }

  /** One process calls another: a pool, and calls of its operation. */
  private calls(
    from: Station,
    operation: string,
    to: Station,
    called: string,
    times: number,
    more: Partial<DraftCall> & { onFail?: "fail" | "go-on" | "keep" } = {},
  ): void {
    const process = this.processOf(from);
    const { onFail, ...rest } = more;
    const known = process.talksTo?.some((one) => one.role === to.role && one.process === to.process);
    if (!known)
      process.talksTo?.push({
        role: to.role,
        process: to.process,
        retries: this.chance.is(0.4) ? 1 : 0,
        ...(onFail === undefined ? {} : { onFail }),
        ...(to.work === "partner" ? { tls: true } : {}),
      });
    const one = process.operations?.find((each) => each.name === operation);
    one?.calls?.push({ to: to.process, operation: called, times, ...rest });
  }

  private processOf(station: Station): DraftProcess {
    const found = this.draft.roles[station.role]?.processes?.find((one) => one.name === station.process);
    if (!found) throw new Error(`There is no ${station.process} on ${station.role}.`);
    return found;
  }

  private work(cpuMs: number, more: Partial<DraftOperation> & { name: string }): DraftOperation {
    return { cpuMs: Number(this.chance.size(cpuMs / 1.6, cpuMs * 1.6).toPrecision(2)), calls: [], ...more };
  }

  /** What every service asks. */
  shared(): void {
    const main = this.sites[0]?.id ?? "";
    this.directory = this.station(
      "directory",
      "names",
      main,
      this.chance.whole(1, 2),
      this.program("directory", "keys", 500, [this.work(5, { name: "check", diskMs: 0.5 })]),
    );
    if (this.chance.is(0.5))
      this.front = this.station("web", "edge", main, this.chance.whole(2, 3), this.program("web", "gate", 420, []));
  }

  /** A service: whom it is for, what answers them, and what that asks. */
  service(): void {
    const { chance } = this;
    const about = this.names.work();
    const site = chance.is(0.6) ? (this.sites[0]?.id ?? "") : chance.one(this.sites).id;
    const rhythm = chance.one(["office", "early", "round"]);
    const [look, change] = [`GET /${about}`, `POST /${about}`];
    const perHour = chance.size(50_000, 400_000);
    const app = this.app(about, site, rhythm, look, change);
    const store = this.store(about, site);
    this.calls(app, look, store, "read", chance.whole(1, 4));
    this.calls(app, change, store, "write", chance.whole(1, 3));
    if (this.directory) this.calls(app, change, this.directory, "check", chance.is(0.5) ? 1 : 0.4);
    if (chance.is(0.4)) this.cacheOf(about, site, app, look);
    if (chance.is(0.45)) this.later(about, site, app, change, store);
    const other = chance.one([...this.apps, undefined]);
    if (other && chance.is(0.4)) this.calls(app, look, other.station, other.look, 0.3);
    this.apps.push({ station: app, look });
    const door = this.door(about, site, app, look, change);
    const title = capital(about);
    const load = (name: string, operation: string, most: number, by: "desks" | "anybody" | "partners" | "devices") =>
      this.draft.loads?.push({
        name: `${about}-${name}`,
        to: { role: door.role, process: door.process, operation },
        rhythm,
        perHour: [Math.round(most / 30), Math.round(most)],
        service: title,
        by,
        ...(by === "devices" ? { timeoutSeconds: 8, retries: 1 } : {}),
      });
    load("look", look, perHour, chance.one(["desks", "anybody", "partners"]));
    load("change", change, perHour * chance.size(0.06, 0.3), chance.one(["desks", "anybody", "devices"]));
    const worker = this.stations.find((one) => one.work === "worker" && one.role === `${about}-work`);
    this.services.push({
      uid: about,
      name: title,
      purpose: `Whoever looks after ${about}`,
      owner: "Operations",
      entries: [
        {
          host: `*-${door.role}-*`,
          process: door.process,
          ...(door === this.front ? { operations: [look, change] } : {}),
        },
        ...(worker ? [{ host: `*-${worker.role}-*`, process: worker.process }] : []),
      ],
    });
  }

  private app(about: string, site: string, rhythm: string, look: string, change: string): Station {
    const { chance } = this;
    const operations = [
      this.work(14, { name: look, carriesKiB: 20, failPercent: 0.1 }),
      this.work(30, { name: change, failPercent: chance.is(0.5) ? 0.1 : 0.4, checksClock: chance.is(0.3) }),
    ];
    if (!chance.is(0.25))
      return this.station(
        "app",
        `${about}-app`,
        site,
        chance.whole(2, 4),
        this.program("app", "desk", chance.size(900, 3000), operations),
        { rhythm },
      );
    // In a container, on hosts with an agent.
    const process = this.program("box", "box", chance.size(200, 500), operations);
    return this.station("box", `${about}-box`, site, chance.whole(2, 3), process, {
      rhythm,
      agent: true,
      containers: [
        {
          name: `${about}-box`,
          image: `house/${about}-box:${process.version}`,
          process: process.name,
          cpuLimit: 2,
          memoryLimitMiB: 2 * process.memoryMiB,
        },
      ],
    });
  }

  private store(about: string, site: string): Station {
    return this.station(
      "store",
      `${about}-db`,
      site,
      1,
      this.program(
        "store",
        "store",
        this.chance.size(4000, 14_000),
        [
          this.work(6, { name: "read", diskMs: 2.5, carriesKiB: 10 }),
          this.work(9, { name: "write", diskMs: 3.5, writeKiB: 12 }),
        ],
        { data: "/data", mostConnections: 400 },
      ),
    );
  }

  private cacheOf(about: string, site: string, app: Station, look: string): void {
    const process = this.program(
      "cache",
      "bin",
      this.chance.size(2000, 6000),
      [this.work(0.8, { name: "get", carriesKiB: 8 })],
      { requestKiB: 8 },
    );
    const cache = this.station("cache", `${about}-cache`, site, this.chance.whole(1, 2), process);
    this.calls(app, look, cache, "get", 2, { onFail: "go-on" });
  }

  /** What is done later: a queue, who takes from it, and perhaps a partner whom they call. */
  private later(about: string, site: string, app: Station, change: string, store: Station): void {
    const { chance } = this;
    const broker = this.station(
      "broker",
      `${about}-mq`,
      site,
      1,
      this.program(
        "broker",
        "queue",
        chance.size(1500, 3000),
        [this.work(2, { name: "put", diskMs: 1, writeKiB: 4 }), this.work(2, { name: "take", diskMs: 1 })],
        { data: "/data" },
      ),
    );
    const worker = this.station(
      "worker",
      `${about}-work`,
      site,
      chance.whole(2, 3),
      this.program("worker", "hand", chance.size(800, 1800), [this.work(60, { name: "settle", restMs: 40 })]),
    );
    this.draft.queues?.push({
      name: about,
      broker: broker.process,
      consumer: { role: worker.role, process: worker.process, operation: "settle" },
    });
    this.calls(app, change, broker, "put", 1, { queue: about });
    this.calls(worker, "settle", broker, "take", 1);
    this.calls(worker, "settle", store, "write", 1);
    if (!chance.is(0.5)) return;
    const partner = this.station(
      "partner",
      `${about}-out`,
      site,
      1,
      this.program("partner", "bridge", 600, [this.work(12, { name: "POST /hand-over", restMs: 150 })]),
    );
    this.calls(worker, "settle", partner, "POST /hand-over", 1);
  }

  /** Where people come in: the front of all, one of its own, or the application itself. */
  private door(about: string, site: string, app: Station, look: string, change: string): Station {
    const own = !this.front && this.chance.is(0.6);
    if (!own && !this.front) return app;
    const door =
      this.front ??
      this.station(
        "web",
        `${about}-web`,
        site,
        this.chance.whole(2, 3),
        this.program("web", "door", this.chance.size(300, 600), []),
      );
    for (const name of [look, change]) {
      this.processOf(door).operations?.push(this.work(6, { name, carriesKiB: 24 }));
      this.calls(door, name, app, name, 1);
    }
    return door;
  }

  /** A host that does its work by night, and copies when it is told to. */
  copier(): void {
    const site = this.sites.at(-1)?.id ?? "";
    const station = this.station(
      "copier",
      "vault",
      site,
      1,
      this.program("copier", "loft", 900, [], { data: "/keep" }),
    );
    this.draft.jobs?.push({
      name: "keep-copy",
      host: station.hosts[0] ?? "",
      process: station.process,
      at: "23:10",
      days: [7],
      rows: 2_400_000,
      rowsPerSecond: 250,
      cores: 1.6,
      diskShare: 0.5,
      megabytesPerSecond: 30,
    });
  }

  done(): GrownEstate {
    // One more of a front or an application waits to be put in.
    const waits = this.stations.find((one) => one.work === "web") ?? this.stations.find((one) => one.work === "app");
    if (waits) this.host(waits.site, `${waits.role}-${waits.hosts.length + 1}`, waits.role, undefined, true);
    sized(this.draft, this.chance);
    const ports = [...new Set([2222, ...Object.values(PORTS)])].sort((a, b) => a - b).join(", ");
    const setup = {
      organisation: this.draft.name,
      site: this.sites[0]?.name,
      sources: this.sites.map((one, index) => ({
        name: one.name,
        site: one.name,
        ranges: `127.${70 + index}.1.1-${(this.lastAddress.get(one.id) ?? 1) + 5}`,
        ports,
        snmpPort: 1161,
        community: one.community,
        pollSeconds: 15,
      })),
      services: this.services,
    };
    return { draft: this.draft, setup, stations: this.stations, hypervisors: this.hypervisors };
  }
}
