import { parseDurationMs } from "#core/time/windows";
import { makeRhythm, seedOf, type RhythmCurve } from "../rhythm";
import type { Scenario, ScenarioProcess, ScenarioRole, ScenarioTalk } from "../scenario/schema";
import type {
  Container,
  Disk,
  Figure,
  Job,
  Layout,
  Link,
  Load,
  Machine,
  Operation,
  Pool,
  Queue,
  Station,
  Way,
} from "./layout";

/** @param anchorMs the instant that "before" and "since" in the scenario count from */
export function layOut(scenario: Scenario, anchorMs: number): Layout {
  const builder = new Builder(scenario, anchorMs);
  builder.makeMachines();
  builder.wire();
  builder.connect();
  return builder.finish();
}

class Builder {
  private readonly rhythms: Map<string, RhythmCurve>;
  private readonly machines: Machine[] = [];
  private readonly byName = new Map<string, Machine>();
  private readonly stations: Station[] = [];
  private readonly disks: Disk[] = [];
  private readonly containers: Container[] = [];
  private readonly operations: Operation[] = [];
  private readonly pools: Pool[] = [];
  private readonly ways: Way[] = [];
  private readonly links: Link[] = [];
  private readonly queues: Queue[] = [];
  /** The first switch of a site, by site and cell. */
  private readonly cores = new Map<string, Machine>();
  private readonly siteLinks = new Map<string, Link>();

  constructor(
    private readonly scenario: Scenario,
    private readonly anchorMs: number,
  ) {
    this.rhythms = new Map(Object.entries(scenario.rhythms).map(([id, rhythm]) => [id, makeRhythm(rhythm)]));
  }

  private rhythm(id: string): RhythmCurve {
    return this.rhythms.get(id) as RhythmCurve;
  }

  makeMachines(): void {
    const sites = new Map(this.scenario.sites.map((site) => [site.id, site]));
    for (const host of this.scenario.hosts) {
      const role = this.scenario.roles[host.role] as ScenarioRole;
      const machine: Machine = {
        index: this.machines.length,
        name: host.name,
        address: host.address,
        site: sites.get(host.site) as Machine["site"],
        cell: host.cell,
        roleName: host.role,
        role,
        rhythm: this.rhythm(role.rhythm),
        seed: seedOf(host.name, this.scenario.seed),
        sinceMs: host.since ? this.anchorMs - (parseDurationMs(host.since) ?? 0) : Number.NEGATIVE_INFINITY,
        spare: host.spare,
        below: host.on === undefined ? undefined : this.byName.get(host.on),
        guests: [],
        stations: [],
        disks: [],
        containers: [],
        link: undefined,
        wired: [],
        entrance: [],
        watched: [],
      };
      machine.below?.guests.push(machine);
      this.machines.push(machine);
      this.byName.set(machine.name, machine);
      for (const spec of role.disks) {
        const disk = { index: this.disks.length, machine, spec, seed: seedOf(spec.mount, machine.seed) };
        this.disks.push(disk);
        machine.disks.push(disk);
      }
      for (const spec of role.containers) {
        const container = { index: this.containers.length, machine, spec, seed: seedOf(spec.name, machine.seed) };
        this.containers.push(container);
        machine.containers.push(container);
      }
      for (const spec of role.processes) this.addStation(machine, spec);
    }
  }

  private addStation(machine: Machine, spec: ScenarioProcess): void {
    const station: Station = {
      index: 0,
      machine,
      spec,
      seed: seedOf(spec.name, machine.seed),
      operations: [],
      pools: [],
      callers: [],
      disk: machine.disks.find((disk) => disk.spec.mount === spec.data) ?? machine.disks[0],
      container: machine.containers.find((container) => container.spec.process === spec.name),
      takes: [],
    };
    machine.stations.push(station);
    this.stations.push(station);
    for (const one of spec.operations) {
      const operation = { index: this.operations.length, station, spec: one, calls: [], baseSeconds: 0 };
      this.operations.push(operation);
      station.operations.push(operation);
    }
  }

  private addLink(a: Machine, b: Machine, mbps: number, ms: number, between?: [string, string]): Link {
    const link: Link = {
      index: this.links.length,
      machine: between ? undefined : a,
      ends: [a, b],
      between,
      mbps,
      delaySeconds: ms / 1000,
    };
    this.links.push(link);
    return link;
  }

  /** Hosts of a site hang on its switches in turn, further switches on the first, first switches on each other. */
  wire(): void {
    const cells = [...new Set(this.machines.map((one) => one.cell))];
    for (const site of this.scenario.sites)
      for (const cell of cells) {
        const here = this.machines.filter((one) => one.site === site && one.cell === cell);
        const switches = here.filter((one) => one.role.system === "switch");
        const core = switches[0] ?? this.cores.get(`${site.id} 1`);
        if (!core) continue;
        if (switches[0]) this.cores.set(`${site.id} ${cell}`, switches[0]);
        const own = switches.length ? switches : [core];
        here
          .filter((one) => one.role.system !== "switch" && !one.below)
          .forEach((machine, index) => {
            const at = own[index % own.length] as Machine;
            at.wired.push(machine);
            machine.link = this.addLink(machine, at, machine.role.system === "hypervisor" ? 10_000 : 1000, 0.1);
          });
        for (const other of switches.slice(1)) {
          core.wired.push(other);
          other.link = this.addLink(other, core, 10_000, 0.05);
        }
        // The first switch of a further cell hangs on that of the first.
        const root = this.cores.get(`${site.id} 1`);
        if (cell > 1 && switches[0] && root && root !== switches[0]) {
          root.wired.push(switches[0]);
          switches[0].link = this.addLink(switches[0], root, 10_000, 0.05);
        }
      }
    this.wireSites();
    this.lookFromOutside();
  }

  private wireSites(): void {
    const { sites } = this.scenario;
    sites.forEach((a, index) => {
      for (const b of sites.slice(index + 1)) {
        const [from, to] = [this.cores.get(`${a.id} 1`), this.cores.get(`${b.id} 1`)];
        if (!from || !to) continue;
        const spec = this.scenario.links.find((one) => one.between.includes(a.id) && one.between.includes(b.id));
        const link = this.addLink(from, to, spec?.mbps ?? 1000, spec?.ms ?? 1, [a.id, b.id]);
        this.siteLinks.set(`${a.id} ${b.id}`, link);
        this.siteLinks.set(`${b.id} ${a.id}`, link);
      }
    });
  }

  /** The lines from a machine up to the first switch of its site. */
  private up(machine: Machine): Link[] {
    const links: Link[] = [];
    let at: Machine | undefined = machine.below ?? machine;
    while (at?.link) {
      links.push(at.link);
      at = at.link.ends[1];
    }
    return links;
  }

  /** The lines between two machines. */
  private path(from: Machine, to: Machine): Link[] {
    if (from === to || (from.below && from.below === to.below) || from.below === to || to.below === from) return [];
    const [a, b] = [this.up(from), this.up(to)];
    while (a.length && b.length && a.at(-1) === b.at(-1)) {
      a.pop();
      b.pop();
    }
    const between = from.site === to.site ? undefined : this.siteLinks.get(`${from.site.id} ${to.site.id}`);
    return between ? [...a, between, ...b] : [...a, ...b];
  }

  private lookFromOutside(): void {
    const observer = this.scenario.observer ?? this.scenario.sites[0]?.id;
    for (const machine of this.machines) {
      machine.entrance = this.up(machine);
      const between = machine.site.id === observer ? undefined : this.siteLinks.get(`${observer} ${machine.site.id}`);
      machine.watched = between ? [between, ...machine.entrance] : machine.entrance;
    }
  }

  connect(): void {
    const instances = new Map<string, Station[]>();
    for (const station of this.stations) {
      const key = `${station.machine.roleName} ${station.spec.name}`;
      instances.set(key, [...(instances.get(key) ?? []), station]);
    }
    const find = (role: string, process: string, cell: number): Station[] => {
      const all = instances.get(`${role} ${process}`) ?? [];
      const here = all.filter((one) => one.machine.cell === cell);
      return here.length ? here : all.filter((one) => one.machine.cell === 1);
    };
    const cells = [...new Set(this.machines.map((one) => one.cell))];
    for (const spec of this.scenario.queues)
      for (const cell of cells) {
        const brokers = this.stations.filter((one) => one.spec.name === spec.broker && one.machine.cell === cell);
        const consumers = find(spec.consumer.role, spec.consumer.process, cell).flatMap((station) => {
          const operation = station.operations.find((one) => one.spec.name === spec.consumer.operation);
          return operation && station.machine.cell === cell ? [operation] : [];
        });
        if (!brokers.length || !consumers.length) continue;
        const queue = { index: this.queues.length, name: spec.name, cell, brokers, consumers };
        for (const one of consumers) one.station.takes.push(queue);
        this.queues.push(queue);
      }
    for (const station of this.stations) {
      for (const spec of station.spec.talksTo)
        this.addPool(station, spec, find(spec.role, spec.process, station.machine.cell));
      for (const operation of station.operations) this.addCalls(operation);
    }
    this.order();
  }

  private addPool(station: Station, spec: ScenarioTalk, all: readonly Station[]): void {
    const others = all.filter((one) => one !== station);
    const near = others.filter((one) => one.machine.site === station.machine.site);
    const called = spec.reach === "same-site" && near.length ? near : others;
    const pool: Pool = { index: this.pools.length, station, spec, ways: [] };
    for (const target of called) {
      const links = this.path(station.machine, target.machine);
      const way: Way = {
        index: this.ways.length,
        pool,
        target,
        links,
        delaySeconds: links.reduce((sum, link) => sum + link.delaySeconds, 0),
      };
      this.ways.push(way);
      pool.ways.push(way);
      target.callers.push(way);
    }
    this.pools.push(pool);
    station.pools.push(pool);
  }

  private addCalls(operation: Operation): void {
    for (const spec of operation.spec.calls) {
      const pool = operation.station.pools.find((one) => one.spec.process === spec.to);
      if (!pool?.ways.length) continue;
      const targets = pool.ways.map(
        (way) => way.target.operations.find((one) => one.spec.name === spec.operation) as Operation,
      );
      const queue = this.queues.find((one) => one.name === spec.queue && one.cell === operation.station.machine.cell);
      operation.calls.push({ operation, pool, times: spec.times, targets, queue });
    }
  }

  /** Puts callers before those they call (depth first; a circle is cut where it closes). */
  private order(): void {
    const seen = new Set<Station>();
    const reversed: Station[] = [];
    const visit = (station: Station) => {
      if (seen.has(station)) return;
      seen.add(station);
      for (const operation of station.operations)
        for (const call of operation.calls) {
          for (const target of call.targets) visit(target.station);
          for (const consumer of call.queue?.consumers ?? []) visit(consumer.station);
        }
      reversed.push(station);
    };
    for (const station of this.stations) visit(station);
    this.stations.splice(0, this.stations.length, ...reversed.reverse());
    this.stations.forEach((station, index) => (station.index = index));
    for (const station of [...this.stations].reverse())
      for (const one of station.operations) {
        const { cpuMs, diskMs, restMs } = one.spec;
        one.baseSeconds = (cpuMs + diskMs + restMs) / 1000;
        for (const { times, targets } of one.calls)
          one.baseSeconds += (times * targets.reduce((sum, each) => sum + each.baseSeconds, 0)) / targets.length;
      }
  }

  finish(): Layout {
    const { scenario, machines } = this;
    const cells = [...new Set(machines.map((one) => one.cell))];
    const loads: Load[] = scenario.loads.flatMap((spec) =>
      cells.flatMap((cell) => {
        const targets = this.operations.filter(
          (one) =>
            one.spec.name === spec.to.operation &&
            one.station.spec.name === spec.to.process &&
            one.station.machine.roleName === spec.to.role &&
            one.station.machine.cell === cell,
        );
        return targets.length
          ? [
              {
                index: 0,
                spec,
                rhythm: this.rhythm(spec.rhythm),
                seed: seedOf(`${spec.name} ${cell}`, scenario.seed),
                targets,
              },
            ]
          : [];
      }),
    );
    loads.forEach((load, index) => (load.index = index));
    const station = (host: string, process: string) =>
      this.byName.get(host)?.stations.find((one) => one.spec.name === process);
    return {
      scenario,
      anchorMs: this.anchorMs,
      machines,
      disks: this.disks,
      containers: this.containers,
      stations: this.stations,
      operations: this.operations,
      pools: this.pools,
      ways: this.ways,
      links: this.links,
      queues: this.queues,
      loads,
      jobs: this.jobs(station),
      figures: this.figures(),
      machine: (name) => this.byName.get(name),
      station,
    };
  }

  private jobs(station: Layout["station"]): Job[] {
    return this.scenario.jobs.flatMap((spec, index) => {
      const at = station(spec.host, spec.process);
      if (!at) return [];
      const calls = spec.calls.flatMap((call) => {
        const pool = at.pools.find((one) => one.spec.process === call.to);
        if (!pool?.ways.length) return [];
        const targets = pool.ways.map(
          (way) => way.target.operations.find((one) => one.spec.name === call.operation) as Operation,
        );
        return [{ pool, targets, everyRows: call.everyRows }];
      });
      return [{ index, spec, station: at, calls }];
    });
  }

  private figures(): Figure[] {
    return this.scenario.figures.map((spec, index) => {
      const asked = spec.counts ?? spec.lasts;
      return {
        index,
        spec,
        machine: this.byName.get(spec.host) as Machine,
        operations: asked
          ? this.operations.filter(
              (one) =>
                one.spec.name === asked.operation &&
                one.station.spec.name === asked.process &&
                one.station.machine.cell === 1,
            )
          : [],
        queue: this.queues.find((one) => one.name === spec.waiting && one.cell === 1),
        rhythm: spec.rhythm === undefined ? undefined : this.rhythm(spec.rhythm),
        seed: seedOf(spec.metric, this.scenario.seed),
      };
    });
  }
}
