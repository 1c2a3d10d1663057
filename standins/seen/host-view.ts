import type {
  ConnectionRow,
  BridgeRow,
  EntityRow,
  InterfaceRow,
  MetRow,
  ListenerRow,
  NeighbourRow,
  SoftwareRow,
  StorageRow,
} from "#core/estate/sighting";
import type { HostPoll } from "#core/telemetry/poll";
import { scatter, seedOf, wander } from "../rhythm";
import type { ScenarioListener } from "../scenario/schema";
import { GIB, MIB, type Link, type Machine, type Station, type Way } from "../world/layout";
import { carries } from "../world/network";
import { containerId } from "./agents";
import { countersOf, deviceOf } from "./disk-counters";
import type { World } from "../world/world";

const MINUTE_MS = 60_000;

/** Processes every Linux host of the estate has besides those of its role; memory in MiB. */
const HOUSEKEEPING: readonly (readonly [string, string, number])[] = [
  ["init", "/sbin/init", 11],
  ["kthreadd", "", 0.1],
  ["crond", "/usr/sbin/crond", 4],
  ["syslogd", "/usr/sbin/syslogd", 9],
  ["ntpd", "/usr/sbin/ntpd", 6],
  ["agetty", "/sbin/agetty", 2],
  ["snmpd", "/usr/sbin/snmpd", 14],
  ["sshd", "/usr/sbin/sshd", 8],
];

interface Port {
  name: string;
  link: Link | undefined;
  neighbour: NeighbourRow | undefined;
}

/** Hardware address of one of a machine's interfaces. */
export const hardwareOf = ({ seed }: Machine, index: number): string =>
  [2, 0x5e, ...[0, 8, 16].map((shift) => (seed >>> shift) & 255), index + 1]
    .map((byte) => byte.toString(16).padStart(2, "0"))
    .join(":");

/** What one machine of the world shows to those who look at it. Every look lives the world on to its instant first. */
/** A cache that was cleared is full again after so long. */
const CACHE_FILLS_MS = 30 * 60_000;

export class HostView {
  private readonly ports: Port[];

  constructor(
    readonly world: World,
    readonly machine: Machine,
  ) {
    this.ports = this.portsOf();
  }

  get name(): string {
    return this.machine.name;
  }
  get address(): string {
    return this.machine.address;
  }
  get site() {
    return this.machine.site;
  }
  get role() {
    return this.machine.role;
  }
  get stations(): readonly Station[] {
    return this.machine.stations;
  }
  get fullName(): string {
    return `${this.machine.name}.${this.world.scenario.organisation.domain}`;
  }

  /** Whether it answers at Holotaxis' place: it is on and the lines to it carry. */
  answers(atMs: number): boolean {
    this.world.advance(atMs);
    return this.world.isReached(this.machine);
  }

  private portsOf(): Port[] {
    const { machine, world } = this;
    if (machine.role.system === "linux") return [{ name: "eth0", link: machine.link, neighbour: undefined }];
    if (machine.role.system === "hypervisor")
      return [
        { name: "eth0", link: machine.link, neighbour: undefined },
        { name: "eth1", link: undefined, neighbour: undefined },
      ];
    const { domain } = world.scenario.organisation;
    const ports: Port[] = machine.wired
      .filter((other) => other.role.system !== "switch")
      .map((other, index) => ({
        name: `port${index + 1}`,
        link: other.link,
        neighbour: { localPort: index + 1, systemName: `${other.name}.${domain}`, portId: "eth0" },
      }));
    const add = (link: Link, other: Machine | undefined) => {
      const localPort = ports.length + 1;
      ports.push({
        name: `port${localPort}`,
        link,
        neighbour: other && {
          localPort,
          systemName: `${other.name}.${domain}`,
          portId: `port${other.wired.length + 1}`,
        },
      });
    };
    if (machine.link) add(machine.link, machine.link.ends[1]);
    for (const other of machine.wired) if (other.role.system === "switch" && other.link) add(other.link, undefined);
    for (const link of world.layout.links) if (link.between && link.ends.includes(machine)) add(link, undefined);
    while (ports.length < 4) ports.push({ name: `port${ports.length + 1}`, link: undefined, neighbour: undefined });
    return ports;
  }

  /** The line that a port of this switch holds the end of, as repairs know it. */
  lineAt(port: string): { host: string } | { between: [string, string] } | undefined {
    const link = this.ports.find((one) => one.name === port)?.link;
    if (!link) return undefined;
    if (link.between) return { between: link.between };
    const at =
      this.machine.wired.find((one) => one.link === link) ?? (this.machine.link === link ? this.machine : undefined);
    return at && { host: at.name };
  }

  get neighbours(): NeighbourRow[] {
    return this.ports.flatMap((port) => port.neighbour ?? []);
  }

  // --- processors, memory, disks, interfaces

  private processorLoads(atMs: number): number[] {
    const { machine, world } = this;
    const cores = world.coresOf(machine);
    const used = world.state.machine.cores[machine.index] as number;
    let spinning = 0;
    for (const station of machine.stations) spinning += world.state.station.spinCores[station.index] as number;
    // A thread that spins stays where it is: its processor is full, the others share the rest.
    const full = Math.min(cores, Math.floor(spinning + 0.01));
    const rest = full < cores ? (100 * Math.max(0, used - full)) / (cores - full) : 0;
    return Array.from({ length: cores }, (_, core) => {
      if (core < full) return 100;
      const sway =
        4 * wander(machine.seed + 17 + core, atMs, 3 * MINUTE_MS) +
        2.5 * (scatter(machine.seed + core, Math.floor(atMs / 5000)) - 0.5);
      return Math.max(0, Math.min(100, Math.round(rest + (rest > 99 ? 0 : sway))));
    });
  }

  /** What the system keeps in memory of its disks. */
  cachedBytes(atMs: number): number {
    this.world.advance(atMs);
    return this.memory().cached;
  }

  private memory(): { size: number; used: number; buffers: number; cached: number } {
    const { machine, world } = this;
    const { state } = world;
    const size = machine.role.memoryGiB * GIB;
    const used = state.machine.memoryBytes[machine.index] as number;
    const free = Math.max(0, size - used);
    const buffers = Math.min(free * 0.1, size * 0.02);
    const full = Math.max(Math.min(free * 0.7, size * 0.3), (world.mods.cache[machine.index] as number) * size - used);
    // One that was cleared fills again.
    const since = state.machine.cacheSinceMs[machine.index] as number;
    const filled = since > 0 ? Math.max(0, Math.min(1, (state.atMs - since) / CACHE_FILLS_MS)) : 1;
    return { size, used, buffers, cached: Math.min(free - buffers, full * filled) };
  }

  private storage(): HostPoll["storage"] {
    const { machine, world } = this;
    const { state } = world;
    const { size, used, buffers, cached } = this.memory();
    const rows: HostPoll["storage"] = [
      { label: "Physical memory", type: "ram", usedBytes: Math.min(size, used + buffers + cached), sizeBytes: size },
    ];
    if (machine.role.system === "hypervisor") (rows[0] as (typeof rows)[number]).usedBytes = used;
    else
      rows.push(
        { label: "Memory buffers", type: "other", usedBytes: buffers, sizeBytes: size },
        { label: "Cached memory", type: "other", usedBytes: cached, sizeBytes: size },
      );
    for (const disk of machine.disks) {
      const sizeBytes = disk.spec.sizeGiB * GIB;
      rows.push({
        label: disk.spec.mount,
        type: "disk",
        usedBytes: (state.disk.usedShare[disk.index] as number) * sizeBytes,
        sizeBytes,
      });
    }
    for (const row of rows) row.usedBytes = Math.round(row.usedBytes / 4096) * 4096;
    return rows;
  }

  private devices(atMs: number): NonNullable<HostPoll["devices"]> {
    return this.machine.disks.map((disk, index) => {
      const { reads, writes, busyNs } = countersOf(this, disk, atMs);
      return {
        name: deviceOf(this, index),
        reads: Math.round(reads) % 2 ** 32,
        writes: Math.round(writes) % 2 ** 32,
        busyMicroseconds: Math.round(busyNs / 1000),
      };
    });
  }

  private interfaces(atMs: number): HostPoll["interfaces"] {
    const { machine, world } = this;
    const { state } = world;
    const since = world.since(atMs);
    const { inBytes, outBytes, inBytesPerSecond, outBytesPerSecond, errors } = state.machine;
    return this.ports.map(({ name, link }, place) => {
      if (machine.role.system !== "switch" && place === 0 && !(machine.role.system === "hypervisor" && link))
        return {
          name,
          inOctets: Math.round(
            (inBytes[machine.index] as number) + (inBytesPerSecond[machine.index] as number) * since,
          ),
          outOctets: Math.round(
            (outBytes[machine.index] as number) + (outBytesPerSecond[machine.index] as number) * since,
          ),
          errors: Math.floor(errors[machine.index] as number),
          up: true,
        };
      const bytes = link
        ? (state.link.bytes[link.index] as number) + ((state.link.bytesPerSecond[link.index] as number) + 2000) * since
        : 0;
      return {
        name,
        inOctets: Math.round(bytes * 0.45),
        outOctets: Math.round(bytes * 0.55),
        errors: Math.floor(link ? (state.link.errors[link.index] as number) : 0),
        up: link === undefined || state.link.up[link.index] === 1,
      };
    });
  }

  private processTime(station: Station, atMs: number): number {
    const { station: columns } = this.world.state;
    const at = station.index;
    const rate = (columns.cores[at] as number) + (columns.spinCores[at] as number);
    return Math.round(((columns.coreSeconds[at] as number) + rate * this.world.since(atMs)) * 100) % 2 ** 31;
  }

  /** What the clock of the host says at an instant. */
  clockAt(atMs: number): number {
    this.world.advance(atMs);
    return atMs + (this.world.mods.drift[this.machine.index] as number) * 1000;
  }

  /** What a look at the host measures. */
  poll(atMs: number): HostPoll {
    const { machine, world } = this;
    const state = world.advance(atMs);
    return {
      processorLoads: this.processorLoads(atMs),
      storage: this.storage(),
      interfaces: this.interfaces(atMs),
      ...(machine.role.system === "linux" ? { devices: this.devices(atMs) } : {}),
      processes: machine.stations
        .filter((one) => world.isRunning(one))
        .map((one) => ({
          name: one.spec.name,
          memoryBytes: state.station.memoryBytes[one.index] as number,
          cpuHundredths: this.processTime(one, atMs),
        })),
      ...(machine.role.system === "hypervisor" ? { guests: this.guestRows(atMs) } : {}),
    };
  }

  /** What a hypervisor tells of its machines. */
  guestRows(atMs: number): NonNullable<HostPoll["guests"]> {
    const { machine, world } = this;
    const state = world.advance(atMs);
    return machine.guests
      .filter((guest) => atMs >= guest.sinceMs && (!guest.spare || world.isUp(guest)))
      .map((guest) => ({
        name: guest.name,
        uuid: uuidOf(guest),
        running: world.isUp(guest),
        processors: world.coresOf(guest),
        memoryBytes: guest.role.memoryGiB * GIB,
        cpuMicroseconds: Math.round(
          ((state.machine.coreSeconds[guest.index] as number) +
            (state.machine.cores[guest.index] as number) * world.since(atMs)) *
            1e6,
        ),
      }));
  }

  interfaceRows(): InterfaceRow[] {
    const { machine, world } = this;
    const speedBps = machine.role.system === "switch" ? 10e9 : 1e9;
    return this.ports.map(({ name, link }, index) => ({
      index: index + 1,
      name,
      type: 6,
      speedBps,
      physAddress: hardwareOf(machine, index),
      up: link === undefined || world.state.link.up[link.index] === 1,
    }));
  }

  /** Whom a switch met behind which of its ports: what is wired there, and what runs on it. */
  bridgeRows(): BridgeRow[] {
    return this.machine.wired
      .filter((other) => other.role.system !== "switch")
      .flatMap((other, index) =>
        [other, ...other.guests]
          .filter((one) => this.world.isUp(one))
          .map((one) => ({ physAddress: hardwareOf(one, 0), port: index + 1 })),
      );
  }

  /** Whom it met on its wires: the first switch of a site, its way out, everybody there, strangers among them. */
  metRows(): MetRow[] {
    const { layout } = this.world;
    const first = layout.machines.find((one) => one.site === this.site && one.role.system === "switch");
    if (first !== this.machine) return [];
    return [
      ...layout.machines
        .filter((one) => one.site === this.site && one !== this.machine && this.world.isUp(one))
        .map((one) => ({ address: one.address, physAddress: hardwareOf(one, 0) })),
      ...Object.entries(this.site.strangers).map(([address, physAddress]) => ({ address, physAddress })),
    ];
  }

  /** What a switch is made of. */
  entityRows(): EntityRow[] {
    if (this.role.system !== "switch") return [];
    const { maker } = this.world.scenario.organisation;
    const number = (this.machine.seed >>> 0).toString(36).toUpperCase();
    return [
      { sort: "chassis", description: `${maker} access switch`, serial: `HS${number}`, model: "AS-48" },
      { sort: "power supply", description: "Power supply 1", serial: `HP${number}`, model: "PS-250" },
    ];
  }

  storageRows(atMs: number): StorageRow[] {
    this.world.advance(atMs);
    return this.storage().map((row, index) => ({
      index: row.type === "disk" ? 31 + index : index + 1,
      label: row.label,
      type: row.type,
      unitBytes: 4096,
      sizeUnits: Math.round(row.sizeBytes / 4096),
      usedUnits: Math.round(row.usedBytes / 4096),
    }));
  }

  // --- what runs

  /** Number of a process; another one after every start. */
  pidOf(station: Station): number {
    const starts = this.world.state.station.starts[station.index] as number;
    return 1000 + (Math.abs(station.seed) % 20_000) + starts * 137;
  }

  station(name: string): Station | undefined {
    return this.machine.stations.find((one) => one.spec.name === name);
  }

  isRunning(station: Station, atMs: number): boolean {
    this.world.advance(atMs);
    return this.world.isRunning(station);
  }

  versionOf(station: Station, atMs: number): string {
    return this.world.versionOf(station, atMs);
  }

  /** Running software with memory and processor time, as hrSWRunTable and hrSWRunPerfTable list it. */
  software(atMs: number): (SoftwareRow & { memoryBytes: number; cpuHundredths: number })[] {
    const { machine, world } = this;
    if (machine.role.system !== "linux") return [];
    const state = world.advance(atMs);
    const hours = (atMs - world.baseMs) / 36_000;
    const system = HOUSEKEEPING.map(([name, path, mib], index) => ({
      pid: index === 0 ? 1 : index === 1 ? 2 : 400 + index * 31,
      name,
      path,
      parameters: "",
      memoryBytes: Math.round(mib * MIB * (1 + 0.02 * wander(machine.seed + index, atMs, 30 * MINUTE_MS))),
      cpuHundredths: Math.round(hours * (0.5 + index)) % 2 ** 31,
    }));
    const own = machine.stations
      .filter((one) => world.isRunning(one))
      .map((one) => ({
        pid: this.pidOf(one),
        name: one.spec.name,
        path: `/opt/${one.spec.name}/bin/${one.spec.name}`,
        parameters: one.spec.parameters,
        ...(one.container ? { container: containerId(one.container) } : {}),
        memoryBytes: state.station.memoryBytes[one.index] as number,
        cpuHundredths: this.processTime(one, atMs),
      }));
    return [...system, ...own].sort((a, b) => a.pid - b.pid);
  }

  listeners(atMs: number): ListenerRow[] {
    const { machine, world } = this;
    world.advance(atMs);
    const sshd = 400 + 7 * 31;
    const rows: ListenerRow[] =
      machine.role.system === "linux" ? [{ address: "0.0.0.0", port: world.scenario.sshPort, pid: sshd }] : [];
    for (const one of machine.stations)
      if (world.isRunning(one))
        for (const listens of one.spec.listens)
          rows.push({ address: machine.address, port: listens.port, pid: this.pidOf(one) });
    return rows;
  }

  connections(atMs: number): ConnectionRow[] {
    const { machine, world } = this;
    world.advance(atMs);
    const rows: ConnectionRow[] = [];
    for (const station of machine.stations) {
      for (const pool of station.pools) for (const way of pool.ways) this.addConnections(way, false, rows);
      for (const way of station.callers) this.addConnections(way, true, rows);
    }
    return rows;
  }

  private addConnections(way: Way, called: boolean, rows: ConnectionRow[]): void {
    const { world, machine } = this;
    const caller = way.pool.station;
    const port = way.target.spec.listens[0]?.port;
    if (port === undefined || !world.isRunning(caller) || !world.isRunning(way.target)) return;
    if (!carries(world.state, way.links) || world.mods.closed[way.index]) return;
    const admitted = world.state.way.admitted[way.index] as number;
    const open = Math.floor(Math.min(way.pool.spec.connections, world.mods.poolTo[way.pool.index] as number, admitted));
    const key = Math.abs(seedOf(`${way.target.machine.name}:${port}`, caller.seed)) % 20_000;
    for (let index = 0; index < open; index++) {
      const near = 32_768 + ((key + index * 7) % 28_000);
      rows.push(
        called
          ? {
              localAddress: machine.address,
              localPort: port,
              remoteAddress: caller.machine.address,
              remotePort: near,
              pid: this.pidOf(way.target),
            }
          : {
              localAddress: machine.address,
              localPort: near,
              remoteAddress: way.target.machine.address,
              remotePort: port,
              pid: this.pidOf(caller),
            },
      );
    }
  }

  upSinceMs(): number {
    return this.world.state.machine.bootedAtMs[this.machine.index] as number;
  }

  /** Ports that are open to whoever looks from Holotaxis' place. */
  /** Whether a fault let the certificate of a process expire. */
  hasExpired(station: Station): boolean {
    return this.world.mods.expired[station.index] === 1;
  }

  openListeners(atMs: number): { station: Station; listens: ScenarioListener }[] {
    if (!this.answers(atMs)) return [];
    return this.machine.stations.flatMap((station) =>
      this.world.isRunning(station) ? station.spec.listens.map((listens) => ({ station, listens })) : [],
    );
  }
}

/** RFC 4122 text, always the same for the same machine. */
export function uuidOf(machine: Machine): string {
  const hex = [1, 2, 3, 4]
    .map((part) => (seedOf(`uuid${part}`, machine.seed) >>> 0).toString(16).padStart(8, "0"))
    .join("");
  return [hex.slice(0, 8), hex.slice(8, 12), `4${hex.slice(13, 16)}`, `a${hex.slice(17, 20)}`, hex.slice(20)].join("-");
}
