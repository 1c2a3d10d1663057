import type { ScenarioEffect, ScenarioFault } from "../scenario/schema";
import type { Layout, Machine, Station } from "./layout";

/** A fault, or something harmless, from its beginning to its end. */
export interface Spell {
  /** Id of the fault; undefined for what goes on beside a drill. */
  faultId: string | undefined;
  drillId: string | undefined;
  fault: ScenarioFault | undefined;
  effects: readonly ScenarioEffect[];
  fromMs: number;
  toMs: number;
}

/** Share, 0 to 1, to which an effect is at work. */
export function strengthOf(effect: ScenarioEffect, spell: Spell, atMs: number): number {
  if (atMs >= spell.toMs) return 0;
  const since = (atMs - spell.fromMs) / 1000 - effect.afterSeconds;
  if (since < 0 || (effect.lastsSeconds !== undefined && since >= effect.lastsSeconds)) return 0;
  if (effect.periodSeconds !== undefined && since % effect.periodSeconds >= effect.periodSeconds / 2) return 0;
  return effect.riseSeconds > 0 ? Math.min(1, since / effect.riseSeconds) : 1;
}

/** Whether an effect begins, ends, rises or turns over within a span of time. */
export function movesWithin(effect: ScenarioEffect, spell: Spell, fromMs: number, toMs: number): boolean {
  const start = spell.fromMs + effect.afterSeconds * 1000;
  const end = Math.min(
    spell.toMs,
    effect.lastsSeconds === undefined ? Number.POSITIVE_INFINITY : start + effect.lastsSeconds * 1000,
  );
  if (toMs < start || fromMs > end) return false;
  if (effect.periodSeconds !== undefined || effect.what === "crash-loop") return true;
  if (effect.what === "restart" && fromMs <= start + effect.awaySeconds * 1000) return true;
  return fromMs <= start + effect.riseSeconds * 1000 || toMs >= end;
}

/** What the effects of an instant change in the world; neutral where nothing is wrong. */
export class Modifiers {
  readonly cpuTimes: Float64Array;
  readonly diskTimes: Float64Array;
  readonly restTimes: Float64Array;
  readonly errors: Float64Array;
  readonly lockSeconds: Float64Array;
  readonly workers: Float64Array;
  readonly spin: Float64Array;
  readonly stopped: Uint8Array;
  readonly stuck: Uint8Array;
  readonly connections: Float64Array;
  readonly expired: Uint8Array;
  /** Percent of the host's memory that a leak comes to, and seconds until then. */
  readonly leakTo: Float64Array;
  readonly leakSeconds: Float64Array;
  readonly poolTo: Float64Array;
  readonly closed: Uint8Array;
  readonly off: Uint8Array;
  readonly putIn: Uint8Array;
  readonly drift: Float64Array;
  readonly hog: Float64Array;
  readonly cache: Float64Array;
  readonly fillTo: Float64Array;
  readonly fillSeconds: Float64Array;
  readonly diskSlower: Float64Array;
  readonly linkLoss: Float64Array;
  readonly linkDelay: Float64Array;
  readonly linkCut: Uint8Array;
  readonly linkCapacity: Float64Array;
  /** Processors that a machine has now. */
  readonly cores: Float64Array;
  readonly quotaCpu: Float64Array;
  readonly quotaMemory: Float64Array;
  readonly loadTimes: Float64Array;
  /** What an operation's errors say, by operation. */
  readonly says = new Map<number, string>();
  private dirty = true;

  constructor(private readonly layout: Layout) {
    const { operations, stations, pools, ways, machines, disks, links, containers, loads } = layout;
    const numbers = (list: readonly unknown[]) => new Float64Array(list.length);
    const flags = (list: readonly unknown[]) => new Uint8Array(list.length);
    this.cpuTimes = numbers(operations);
    this.diskTimes = numbers(operations);
    this.restTimes = numbers(operations);
    this.errors = numbers(operations);
    this.lockSeconds = numbers(operations);
    this.workers = numbers(stations);
    this.spin = numbers(stations);
    this.stopped = flags(stations);
    this.stuck = flags(stations);
    this.connections = numbers(stations);
    this.expired = flags(stations);
    this.leakTo = numbers(stations);
    this.leakSeconds = numbers(stations);
    this.poolTo = numbers(pools);
    this.closed = flags(ways);
    this.off = flags(machines);
    this.putIn = flags(machines);
    this.drift = numbers(machines);
    this.hog = numbers(machines);
    this.cache = numbers(machines);
    this.fillTo = numbers(disks);
    this.fillSeconds = numbers(disks);
    this.diskSlower = numbers(disks);
    this.linkLoss = numbers(links);
    this.linkDelay = numbers(links);
    this.linkCut = flags(links);
    this.linkCapacity = numbers(links);
    this.cores = numbers(machines);
    this.quotaCpu = numbers(containers);
    this.quotaMemory = numbers(containers);
    this.loadTimes = numbers(loads);
    this.reset();
  }

  private reset(): void {
    if (!this.dirty) return;
    for (const list of [
      this.cpuTimes,
      this.diskTimes,
      this.restTimes,
      this.diskSlower,
      this.linkCapacity,
      this.loadTimes,
    ])
      list.fill(1);
    for (const list of [
      this.errors,
      this.lockSeconds,
      this.spin,
      this.leakTo,
      this.leakSeconds,
      this.drift,
      this.hog,
      this.cache,
      this.fillTo,
      this.fillSeconds,
      this.linkLoss,
      this.linkDelay,
    ])
      list.fill(0);
    for (const list of [this.stopped, this.stuck, this.expired, this.closed, this.off, this.putIn, this.linkCut])
      list.fill(0);
    this.workers.fill(Number.POSITIVE_INFINITY);
    this.poolTo.fill(Number.POSITIVE_INFINITY);
    for (const station of this.layout.stations)
      this.connections[station.index] = station.spec.mostConnections ?? Number.POSITIVE_INFINITY;
    for (const machine of this.layout.machines) this.cores[machine.index] = machine.role.cores;
    for (const container of this.layout.containers) {
      this.quotaCpu[container.index] = container.spec.cpuLimit;
      this.quotaMemory[container.index] = container.spec.memoryLimitMiB;
    }
    this.says.clear();
    this.dirty = false;
  }

  /** Brings everything to what holds at an instant. */
  become(spells: readonly Spell[], atMs: number): void {
    this.reset();
    for (const spell of spells)
      if (spell.fromMs <= atMs && atMs < spell.toMs)
        for (const effect of spell.effects) {
          const strength = strengthOf(effect, spell, atMs);
          if (strength > 0) this.apply(effect, strength, atMs, spell);
        }
  }

  private apply(effect: ScenarioEffect, strength: number, atMs: number, spell: Spell): void {
    this.dirty = true;
    if (effect.what === "link") return this.applyLink(effect, strength);
    if (effect.what === "load") {
      for (const load of this.layout.loads)
        if (load.spec.name === effect.load) times(this.loadTimes, load.index, effect.times, strength);
      return;
    }
    if (effect.what === "job") return;
    if ("process" in effect)
      for (const station of stationsOf(this.layout, effect))
        this.applyToStation(effect, strength, atMs, spell, station);
    else for (const machine of machinesOf(this.layout, effect)) this.applyToMachine(effect, strength, machine);
  }

  private applyLink(effect: Extract<ScenarioEffect, { what: "link" }>, strength: number): void {
    for (const link of linksOf(this.layout, effect)) {
      this.linkLoss[link.index] = Math.max(this.linkLoss[link.index] as number, (effect.lossPercent / 100) * strength);
      this.linkDelay[link.index] = (this.linkDelay[link.index] as number) + (effect.delayMs / 1000) * strength;
      if (effect.cut) this.linkCut[link.index] = 1;
      this.linkCapacity[link.index] =
        (this.linkCapacity[link.index] as number) * (1 - (1 - effect.capacityPercent / 100) * strength);
    }
  }

  private applyToStation(
    effect: Extract<ScenarioEffect, { process: string }>,
    strength: number,
    atMs: number,
    spell: Spell,
    station: Station,
  ): void {
    const { index } = station;
    const operations = station.operations.filter(
      (one) => !("operation" in effect) || effect.operation === undefined || one.spec.name === effect.operation,
    );
    switch (effect.what) {
      case "leak":
        this.leakTo[index] = effect.toPercent;
        this.leakSeconds[index] = Math.max(1, effect.riseSeconds);
        break;
      case "spin":
        this.spin[index] = (this.spin[index] as number) + effect.threads * strength;
        break;
      case "slower":
        for (const one of operations) {
          if (effect.part === "all" || effect.part === "cpu") times(this.cpuTimes, one.index, effect.times, strength);
          if (effect.part === "all" || effect.part === "disk") times(this.diskTimes, one.index, effect.times, strength);
          if (effect.part === "all" || effect.part === "rest") times(this.restTimes, one.index, effect.times, strength);
        }
        break;
      case "errors":
        for (const one of operations) {
          const left = (1 - (this.errors[one.index] as number)) * (1 - (effect.percent / 100) * strength);
          this.errors[one.index] = 1 - left;
          this.says.set(one.index, effect.says);
        }
        break;
      case "lock":
        for (const one of operations)
          if (effect.operation !== undefined || one.spec.writeKiB > 0)
            this.lockSeconds[one.index] = (this.lockSeconds[one.index] as number) + (effect.ms / 1000) * strength;
        break;
      case "fewer-workers":
        this.workers[index] = Math.min(
          this.workers[index] as number,
          station.spec.workers + (effect.to - station.spec.workers) * strength,
        );
        break;
      case "connection-limit":
        this.connections[index] = Math.min(this.connections[index] as number, effect.to);
        break;
      case "pool":
        for (const pool of station.pools)
          if (pool.spec.process === effect.target)
            this.poolTo[pool.index] = pool.spec.connections + (effect.to - pool.spec.connections) * strength;
        break;
      case "stop":
        this.stopped[index] = 1;
        break;
      case "crash-loop": {
        const since = (atMs - spell.fromMs) / 1000 - effect.afterSeconds;
        if (since % (effect.upSeconds + effect.downSeconds) < effect.downSeconds) this.stopped[index] = 1;
        break;
      }
      case "restart":
        if ((atMs - spell.fromMs) / 1000 - effect.afterSeconds < effect.awaySeconds) this.stopped[index] = 1;
        break;
      case "stuck":
        this.stuck[index] = 1;
        break;
      case "expired-certificate":
        this.expired[index] = 1;
        break;
    }
  }

  private applyToMachine(effect: ScenarioEffect, strength: number, machine: Machine): void {
    const { index } = machine;
    const disk = "mount" in effect ? machine.disks.find((one) => one.spec.mount === effect.mount) : undefined;
    switch (effect.what) {
      case "fill":
        if (disk) {
          this.fillTo[disk.index] = effect.toPercent / 100;
          this.fillSeconds[disk.index] = Math.max(1, effect.riseSeconds);
        }
        break;
      case "slow-disk":
        if (disk) times(this.diskSlower, disk.index, effect.times, strength);
        break;
      case "power":
        this.off[index] = 1;
        break;
      case "put-in":
        this.putIn[index] = 1;
        break;
      case "drift":
        this.drift[index] = effect.seconds * strength;
        break;
      case "hog":
        this.hog[index] = effect.threads * strength;
        break;
      case "cache":
        this.cache[index] = (effect.toPercent / 100) * strength;
        break;
      case "closed-to":
        for (const station of machine.stations)
          for (const pool of station.pools)
            if (pool.spec.role === effect.target) for (const way of pool.ways) this.closed[way.index] = 1;
        break;
      case "resize":
        this.cores[index] = effect.cores;
        break;
      case "quota":
        for (const container of machine.containers)
          if (container.spec.name === effect.container) {
            if (effect.cpu !== undefined) this.quotaCpu[container.index] = effect.cpu;
            if (effect.memoryMiB !== undefined) this.quotaMemory[container.index] = effect.memoryMiB;
          }
        break;
    }
  }
}

function times(list: Float64Array, index: number, factor: number, strength: number): void {
  list[index] = (list[index] as number) * (1 + (factor - 1) * strength);
}

/** The machines that an effect is about. */
export function machinesOf(
  layout: Layout,
  effect: { host?: string | undefined; role?: string | undefined },
): Machine[] {
  if (effect.host !== undefined) {
    const one = layout.machine(effect.host);
    return one ? [one] : [];
  }
  return effect.role === undefined ? [] : layout.machines.filter((one) => one.roleName === effect.role);
}

export function stationsOf(
  layout: Layout,
  effect: { host?: string | undefined; role?: string | undefined; process: string },
): Station[] {
  return machinesOf(layout, effect).flatMap((machine) =>
    machine.stations.filter((one) => one.spec.name === effect.process),
  );
}

export function linksOf(layout: Layout, effect: { host?: string | undefined; between?: [string, string] | undefined }) {
  return layout.links.filter((link) =>
    effect.between
      ? link.between !== undefined && effect.between.every((site) => link.between?.includes(site))
      : link.machine?.name === effect.host,
  );
}
