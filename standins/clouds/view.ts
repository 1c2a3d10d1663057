import { scatter, seedOf, wander } from "../rhythm";
import type { ScenarioCloud } from "../scenario/schema";
import type { Estate } from "../seen/estate";
import { hardwareOf, uuidOf } from "../seen/host-view";
import { GIB, type Machine, type Operation } from "../world/layout";

const MINUTE_MS = 60_000;
const DAY_MS = 86_400_000;
/** What a disk that is idle takes to answer, milliseconds. */
const DISK_MS = 0.8;

export interface CloudMachine {
  id: string;
  name: string;
  region: string;
  zone: string;
  size: string;
  cores: number;
  memoryGiB: number;
  image: string;
  isRunning: boolean;
  startedMs: number;
  address: string;
  hardware: string;
  uuid: string;
  host: string;
  tags: Readonly<Record<string, string>>;
  volumes: string[];
  network: string;
}

export interface CloudFigures {
  /** 0 to 1, of what it was given. */
  cpu: number;
  memory: number;
  inBytes: number;
  outBytes: number;
  readBytes: number;
  writtenBytes: number;
}

const idOf = (prefix: string, name: string) => `${prefix}-${(seedOf(name, 7) >>> 0).toString(16).padStart(8, "0")}`;

/** What one pretended cloud has and measures: all of it follows from the world. */
export class CloudView {
  constructor(
    readonly estate: Estate,
    readonly cloud: ScenarioCloud,
    /** Instant that sizes of what grows count from. */
    readonly anchorMs: number,
  ) {}

  /** Whether nobody outside can reach a region: every line to it is cut. */
  isCut(region: string, atMs: number): boolean {
    const state = this.estate.world.advance(atMs);
    const machines = this.cloud.instances.flatMap((one) =>
      one.region === region ? (this.estate.world.layout.machine(one.host) ?? []) : [],
    );
    return machines.length > 0 && machines.every(({ link }) => link !== undefined && !state.link.up[link.index]);
  }

  machines(atMs: number): CloudMachine[] {
    const state = this.estate.world.advance(atMs);
    const own = this.cloud.instances.flatMap((one): CloudMachine[] => {
      const machine = this.estate.world.layout.machine(one.host);
      if (!machine) return [];
      const isUp = state.machine.up[machine.index] === 1;
      // What waits to be put in, or has not been rented yet, is not there.
      if (machine.sinceMs > atMs || (machine.spare && !isUp)) return [];
      return [
        {
          id: idOf("m", one.host),
          name: one.host,
          region: one.region,
          zone: one.zone,
          size: one.size,
          cores: this.estate.world.coresOf(machine),
          memoryGiB: machine.role.memoryGiB,
          image: one.image,
          isRunning: isUp,
          startedMs: Math.max(machine.sinceMs, this.anchorMs - 200 * DAY_MS + (machine.seed % 100) * DAY_MS),
          address: machine.address,
          hardware: hardwareOf(machine, 0),
          uuid: uuidOf(machine),
          host: `${machine.name}.${this.estate.scenario.organisation.domain}`,
          tags: one.tags,
          volumes: machine.disks.map((disk) => this.volumeId(machine, disk.spec.mount)),
          network: idOf("n", this.cloud.networks.find((each) => each.region === one.region)?.name ?? ""),
        },
      ];
    });
    return [...own, ...this.more()];
  }

  /** Instances that nothing runs in. */
  private more(): CloudMachine[] {
    const { cloud } = this;
    return Array.from({ length: cloud.more }, (_, index) => {
      const region = cloud.regions[index % cloud.regions.length] as ScenarioCloud["regions"][number];
      const name = `batch-${String(index + 1).padStart(5, "0")}`;
      const seed = seedOf(name, 11) >>> 0;
      return {
        id: idOf("m", name),
        name,
        region: region.id,
        zone: region.zones[index % region.zones.length] as string,
        size: "b-2",
        cores: 2,
        memoryGiB: 4,
        image: "plain-12",
        isRunning: true,
        startedMs: this.anchorMs - (index % 90) * DAY_MS,
        address: `10.${60 + Math.floor(index / 62_500)}.${Math.floor(index / 250) % 250}.${(index % 250) + 1}`,
        hardware: [2, 0x77, 0, (seed >>> 16) & 255, (seed >>> 8) & 255, seed & 255]
          .map((byte) => byte.toString(16).padStart(2, "0"))
          .join(":"),
        uuid: `00000000-0000-4000-8000-${index.toString(16).padStart(12, "0")}`,
        host: name,
        tags: { pool: "batch" },
        volumes: [],
        network: "",
      };
    });
  }

  private volumeId = (machine: Machine, mount: string) => idOf("v", `${machine.name}${mount}`);

  figures({ name }: Pick<CloudMachine, "name">, atMs: number): CloudFigures {
    const { state, layout } = this.at(atMs);
    const machine = layout.machine(name);
    if (!machine) {
      const seed = seedOf(name, 3);
      const level = 0.2 + 0.1 * wander(seed, atMs, 5 * MINUTE_MS);
      return { cpu: level, memory: level, inBytes: 1e5 * level, outBytes: 1e5 * level, readBytes: 0, writtenBytes: 0 };
    }
    const { index } = machine;
    const sizes = machine.disks.map((disk) => (state.disk.busy[disk.index] as number) * disk.spec.perSecond * 8192);
    const io = sizes.reduce((sum, one) => sum + one, 0);
    return {
      cpu: Math.min(1, (state.machine.cores[index] as number) / this.estate.world.coresOf(machine)),
      memory: Math.min(1, (state.machine.memoryBytes[index] as number) / (machine.role.memoryGiB * GIB)),
      inBytes: state.machine.inBytesPerSecond[index] as number,
      outBytes: state.machine.outBytesPerSecond[index] as number,
      readBytes: io * 0.6,
      writtenBytes: io * 0.4,
    };
  }

  private at(atMs: number) {
    return { state: this.estate.world.advance(atMs), layout: this.estate.world.layout };
  }

  volumes(atMs: number) {
    const { state } = this.at(atMs);
    const present = new Set(this.machines(atMs).map((one) => one.name));
    return this.cloud.instances.flatMap((one) => {
      const machine = this.estate.world.layout.machine(one.host);
      if (!machine || !present.has(one.host)) return [];
      return machine.disks.map((disk) => {
        const busy = state.disk.busy[disk.index] as number;
        const perSecond = busy * disk.spec.perSecond;
        return {
          id: this.volumeId(machine, disk.spec.mount),
          name: `${one.host}${disk.spec.mount === "/" ? "-system" : disk.spec.mount.replaceAll("/", "-")}`,
          region: one.region,
          zone: one.zone,
          machine: idOf("m", one.host),
          sizeGiB: disk.spec.sizeGiB,
          usedShare: state.disk.usedShare[disk.index] as number,
          busy,
          reads: perSecond * 0.6,
          writes: perSecond * 0.4,
          latencyMs: DISK_MS * (state.disk.slowdown[disk.index] as number),
        };
      });
    });
  }

  private operations(process: string | undefined, operation: string | undefined, role?: string): Operation[] {
    return this.estate.world.layout.operations.filter(
      (one) =>
        one.station.spec.name === process &&
        (operation === undefined || one.spec.name === operation) &&
        (role === undefined || one.station.machine.roleName === role),
    );
  }

  /** Calls a second, the share that fails, and the mean response in milliseconds, over some operations. */
  private traffic(operations: readonly Operation[], atMs: number) {
    const { state } = this.at(atMs);
    let perSecond = 0;
    let failing = 0;
    let seconds = 0;
    for (const { index } of operations) {
      const rate = state.operation.arrivals[index] as number;
      perSecond += rate;
      failing += rate * (state.operation.failing[index] as number);
      seconds += rate * (state.operation.responseSeconds[index] as number);
    }
    return {
      perSecond,
      failing: perSecond > 0 ? Math.min(1, failing / perSecond) : 0,
      ms: perSecond > 0 ? (1000 * seconds) / perSecond : 0,
    };
  }

  balancers(atMs: number) {
    const { state } = this.at(atMs);
    const present = new Map(this.machines(atMs).map((one) => [one.name, one]));
    return this.cloud.balancers.map((one) => {
      const stations = this.estate.world.layout.stations.filter(
        ({ spec, machine }) =>
          spec.name === one.process &&
          machine.roleName === one.role &&
          present.get(machine.name)?.region === one.region,
      );
      const traffic = this.traffic(
        stations.flatMap((station) => station.operations),
        atMs,
      );
      return {
        id: this.balancerId(one.name),
        name: one.name,
        region: one.region,
        port: one.port,
        tags: one.tags,
        targets: stations.flatMap(({ machine }) => present.get(machine.name)?.id ?? []),
        healthy: stations.filter(
          ({ index, machine }) => state.station.running[index] && state.machine.up[machine.index],
        ).length,
        ...traffic,
      };
    });
  }

  bucketBytes(one: ScenarioCloud["buckets"][number], atMs: number): number {
    const days = Math.max(0, (atMs - this.anchorMs) / DAY_MS + 60);
    return (one.sizeGiB + one.growGiBPerDay * days) * GIB;
  }

  bucketId = (name: string) => `${this.cloud.account.id}/${name}`;
  functionId = (name: string) => `${this.cloud.account.id}/${name}`;
  balancerId = (name: string) => idOf("b", `${this.cloud.name}${name}`);
  databaseId = (name: string) => idOf("d", `${this.cloud.name}${name}`);

  buckets(atMs: number) {
    return this.cloud.buckets.map((one) => {
      const bytes = this.bucketBytes(one, atMs);
      return {
        id: this.bucketId(one.name),
        name: one.name,
        region: one.region,
        tags: one.tags,
        bytes,
        objects: Math.round(bytes / 240_000),
        requests:
          one.process === undefined ? 0 : this.traffic(this.operations(one.process, one.operation), atMs).perSecond,
      };
    });
  }

  databases(atMs: number) {
    return this.cloud.databases.map((one) => {
      const { perSecond } = this.traffic(this.operations(one.process, one.operation), atMs);
      const seed = seedOf(one.name, 5);
      const isUsed = one.process !== undefined;
      return {
        id: this.databaseId(one.name),
        name: one.name,
        region: one.region,
        engine: one.engine,
        size: one.size,
        tags: one.tags,
        storageGiB: one.storageGiB,
        cpu: isUsed
          ? Math.min(0.98, 0.04 + perSecond * 0.012)
          : 0.006 + 0.002 * scatter(seed, Math.floor(atMs / MINUTE_MS)),
        connections: isUsed ? 4 + Math.round(perSecond * 0.8) : 0,
        usedShare: one.usedPercent / 100,
        ms: isUsed ? 2 + perSecond * 0.05 : 0,
      };
    });
  }

  functions(atMs: number) {
    return this.cloud.functions.map((one) => ({
      id: this.functionId(one.name),
      name: one.name,
      region: one.region,
      runtime: one.runtime,
      memoryMiB: one.memoryMiB,
      tags: one.tags,
      ...this.traffic(this.operations(one.process, one.operation), atMs),
    }));
  }

  networks() {
    return this.cloud.networks.map((one) => ({
      id: idOf("n", one.name),
      name: one.name,
      region: one.region,
      block: one.block,
      tags: one.tags,
    }));
  }
}
