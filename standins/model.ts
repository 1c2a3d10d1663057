import type { HostPoll } from "#core/telemetry/poll";
import type {
  ConnectionRow,
  InterfaceRow,
  ListenerRow,
  NeighbourRow,
  SoftwareRow,
  StorageRow,
} from "#core/estate/sighting";
import { parseDurationMs } from "#core/time/windows";
import { makeRhythm, scatter, seedOf, wander, type RhythmCurve } from "./rhythm";
import type { Scenario, ScenarioFault, ScenarioListener, ScenarioProcess, ScenarioRole } from "./scenario";

const GIB = 1024 ** 3;
const MIB = 1024 ** 2;
const MINUTE = 60_000;

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

interface ActiveFault {
  fault: ScenarioFault;
  host: HostModel;
  fromMs: number;
  toMs: number;
}

interface ProcessModel {
  spec: ScenarioProcess;
  seed: number;
  version: { fromMs: number; version: string }[];
  /** When it was started, latest last; the time between a stop and the next start is down time. */
  spells: { fromMs: number; toMs: number }[];
}

/** How long a restarted process stays away. */
/** Step in which what faults use is added up. */
const SPENT_STEP_MS = 5000;
const RESTART_MS = 3_000;
const FOREVER = Number.POSITIVE_INFINITY;

/** One pretended host: everything it would answer is a function of the instant. */
export class HostModel {
  readonly processes: ProcessModel[];
  readonly faults: ActiveFault[] = [];
  readonly sinceMs: number;
  readonly seed: number;
  neighbours: NeighbourRow[] = [];
  /** The hypervisor it is on, and the machines on it. */
  below: HostModel | undefined;
  readonly guests: HostModel[] = [];
  private links: {
    process: ProcessModel;
    to: HostModel;
    toProcess: ProcessModel;
    port: number;
    count: number;
    key: number;
  }[] = [];
  private incoming: typeof this.links = [];
  private readonly baseMs: number;

  constructor(
    readonly name: string,
    readonly address: string,
    readonly site: Scenario["sites"][number],
    readonly roleName: string,
    readonly role: ScenarioRole,
    private readonly rhythm: RhythmCurve,
    seed: number,
    anchorMs: number,
    since: string | undefined,
    private readonly sshPort: number,
  ) {
    this.seed = seedOf(name, seed);
    this.sinceMs = since ? anchorMs - (parseDurationMs(since) ?? 0) : Number.NEGATIVE_INFINITY;
    // Counters begin well before any history so that they are never small or negative.
    this.baseMs = Math.floor((anchorMs - 40 * 86_400_000) / 3_600_000) * 3_600_000;
    this.processes = role.processes.map((spec) => ({
      spec,
      seed: seedOf(spec.name, this.seed),
      version: [{ fromMs: Number.NEGATIVE_INFINITY, version: spec.version }],
      spells: [{ fromMs: Number.NEGATIVE_INFINITY, toMs: FOREVER }],
    }));
  }

  process(name: string): ProcessModel | undefined {
    return this.processes.find((process) => process.spec.name === name);
  }

  link(process: ProcessModel, to: HostModel, toProcess: ProcessModel, port: number, count: number): void {
    const link = {
      process,
      to,
      toProcess,
      port,
      count,
      key: Math.abs(seedOf(`${to.name}:${port}`, process.seed)) % 20_000,
    };
    this.links.push(link);
    to.incoming.push({ ...link, to: this });
  }

  /** Whom a process of this host calls. */
  calls(process: ProcessModel): readonly { to: HostModel; toProcess: ProcessModel }[] {
    return this.links.filter((link) => link.process === process);
  }

  /** Whether it is switched on and in service. */
  isUp(atMs: number): boolean {
    if (this.below && !this.below.isUp(atMs)) return false;
    return (
      atMs >= this.sinceMs &&
      !this.faults.some((one) => one.fault.effect.type === "power-loss" && atMs >= one.fromMs && atMs < one.toMs)
    );
  }

  isRunning(process: ProcessModel, atMs: number): boolean {
    return this.isUp(atMs) && process.spells.some((spell) => atMs >= spell.fromMs && atMs < spell.toMs);
  }

  /** Stops and starts a process; whatever ailed it ends. Returns false when there is no such process. */
  restart(name: string, atMs: number, startAgain = true): boolean {
    const process = this.process(name);
    if (!process) return false;
    const last = process.spells.at(-1);
    if (last && last.toMs > atMs) last.toMs = atMs;
    if (startAgain) process.spells.push({ fromMs: atMs + RESTART_MS, toMs: FOREVER });
    for (const one of this.faults)
      if ("process" in one.fault.effect && one.fault.effect.process === name && one.toMs > atMs) one.toMs = atMs;
    return true;
  }

  /** Frees a disk that a fault fills. */
  tidy(mount: string, atMs: number): boolean {
    let freed = false;
    for (const one of this.faults)
      if (one.fault.effect.type === "disk-fill" && one.fault.effect.mount === mount && one.toMs > atMs) {
        one.toMs = atMs;
        freed = true;
      }
    return freed;
  }

  /** Share, 0 to 1, to which a fault has taken effect. */
  private strength(one: ActiveFault, atMs: number): number {
    if (atMs < one.fromMs || atMs >= one.toMs) return 0;
    const rise = "riseSeconds" in one.fault.effect ? one.fault.effect.riseSeconds * 1000 : 1;
    return Math.min(1, (atMs - one.fromMs) / rise);
  }

  /** Share, 0 to 1, to which a fault of this host is at work; without a name, the one most at work. */
  suffers(atMs: number, id?: string): number {
    let most = 0;
    for (const one of this.faults)
      if (id === undefined || one.fault.id === id) most = Math.max(most, this.strength(one, atMs));
    return this.below && this.below.hogged(atMs)?.guest !== this.name
      ? Math.max(most, id === undefined ? this.below.suffers(atMs) : 0)
      : most;
  }

  /**
   * Which machine of a hypervisor takes its processors from the others, to which percentage and how far that has come.
   */
  private hogged(atMs: number): { guest: string; toPercent: number; share: number } | undefined {
    for (const one of this.faults)
      if (one.fault.effect.type === "guest-hog") {
        const share = this.strength(one, atMs);
        if (share > 0) return { guest: one.fault.effect.guest, toPercent: one.fault.effect.toPercent, share };
      }
    return undefined;
  }

  /** Percent of the time in which it wanted to run and its hypervisor did not let it. */
  stolenPercent(atMs: number): number {
    if (!this.below) return 0;
    const hog = this.below.hogged(atMs);
    const usual = 0.4 + 0.3 * wander(this.seed + 2, atMs, 6 * MINUTE);
    return Math.max(
      0,
      hog && hog.guest !== this.name ? usual + 38 * hog.share * (0.5 + 0.5 * this.level(atMs)) : usual,
    );
  }

  /** How busy it is at an instant, 0 to 1. */
  level(atMs: number): number {
    return this.rhythm.level(atMs);
  }

  faultStrength(metric: string, atMs: number): { factor: number; share: number } | undefined {
    for (const one of this.faults)
      if (one.fault.figure?.metric === metric) {
        const share = this.strength(one, atMs);
        if (share > 0) return { factor: one.fault.figure.factor, share };
      }
    return undefined;
  }

  private processMemory(process: ProcessModel, atMs: number): number {
    const base = process.spec.memoryMiB * MIB;
    let bytes = base * (1 + 0.06 * this.rhythm.level(atMs) + 0.025 * wander(process.seed, atMs, 7 * MINUTE));
    const started = process.spells.at(-1)?.fromMs ?? Number.NEGATIVE_INFINITY;
    if (started > 0 && atMs - started < 10 * MINUTE) bytes *= 0.6 + (0.4 * Math.max(0, atMs - started)) / (10 * MINUTE);
    for (const one of this.faults)
      if (one.fault.effect.type === "memory-leak" && one.fault.effect.process === process.spec.name) {
        const rest = this.usedByOthers(process, atMs);
        const full = (one.fault.effect.toPercent / 100) * this.role.memoryGiB * GIB - rest;
        bytes += Math.max(0, full - bytes) * this.strength(one, atMs);
      }
    return Math.round(bytes / 4096) * 4096;
  }

  private usedByOthers(process: ProcessModel, atMs: number): number {
    let bytes = this.systemMemory(atMs);
    for (const other of this.processes) if (other !== process) bytes += other.spec.memoryMiB * MIB;
    return bytes;
  }

  private systemMemory(atMs: number): number {
    return this.role.memoryGiB * GIB * (0.09 + 0.008 * wander(this.seed + 1, atMs, 23 * MINUTE)) + 54 * MIB;
  }

  /** Percent of processor without its wandering: a hypervisor's is that of its machines and a little for itself. */
  private expectedLoad(atMs: number): number {
    if (this.role.system === "hypervisor")
      return this.loadOfGuests(atMs) + (this.hogging(atMs) * 100) / this.role.cores;
    const load = this.usualLoad(atMs) + (this.runawayCores(atMs) * 100) / this.role.cores;
    return this.below ? load + (this.below.hogging(atMs, this.name) * 100) / this.role.cores : load;
  }

  private usualLoad(atMs: number): number {
    const [low, high] = this.role.cpu;
    return low + (high - low) * this.rhythm.level(atMs);
  }

  /**
   * Percent of a hypervisor's processors that its machines use, each as usual or with a process that spins, and
   * itself.
   */
  private loadOfGuests(atMs: number): number {
    const cores = this.guests.reduce((sum, guest) => sum + (guest.isUp(atMs) ? guest.ownCores(atMs) : 0), 0);
    return this.role.cpu[0] + (cores * 100) / this.role.cores;
  }

  /** Processors that a host uses of its own accord. */
  private ownCores(atMs: number): number {
    return (this.usualLoad(atMs) * this.role.cores) / 100 + this.runawayCores(atMs);
  }

  /** Processors that spinning processes use beyond what is usual; of one process where it is named. */
  private runawayCores(atMs: number, process?: string): number {
    let cores = 0;
    for (const one of this.faults) {
      const { effect } = one.fault;
      if (effect.type !== "cpu-runaway" || (process !== undefined && effect.process !== process)) continue;
      cores +=
        (Math.max(0, effect.toPercent - this.usualLoad(atMs)) * this.role.cores * this.strength(one, atMs)) / 100;
    }
    return cores;
  }

  /**
   * Processors that a machine takes of its hypervisor beyond its usual ones: what is free up to the percentage of the
   * fault, and no more than the machine has.
   * @param guest counts for that machine only
   */
  private hogging(atMs: number, guest?: string): number {
    const hog = this.hogged(atMs);
    const machine = hog && this.guests.find((one) => one.name === hog.guest);
    if (!hog || !machine || (guest !== undefined && guest !== hog.guest)) return 0;
    const free = ((hog.toPercent - this.loadOfGuests(atMs)) * this.role.cores) / 100;
    return Math.max(0, Math.min(free, machine.role.cores - machine.ownCores(atMs))) * hog.share;
  }

  /** What faults used of processors up to an instant, in processor seconds: `rate` added up from each beginning on. */
  private spent(faults: readonly ActiveFault[], fromMs: number, atMs: number, rate: (atMs: number) => number): number {
    let seconds = 0;
    for (const one of faults) {
      const end = Math.min(atMs, one.toMs);
      for (let at = Math.max(one.fromMs, fromMs); at < end; at += SPENT_STEP_MS) {
        const step = Math.min(SPENT_STEP_MS, end - at);
        seconds += (rate(at + step / 2) * step) / 1000;
      }
    }
    return seconds;
  }

  private processorLoad(core: number, atMs: number): number {
    let load =
      this.expectedLoad(atMs) +
      4 * wander(this.seed + 17 + core, atMs, 3 * MINUTE) +
      2.5 * (scatter(this.seed + core, Math.floor(atMs / 5000)) - 0.5);
    return Math.max(0, Math.min(100, Math.round(load)));
  }

  /** RFC 4122 text, always the same for the same machine. */
  get uuid(): string {
    const hex = [1, 2, 3, 4]
      .map((part) => (seedOf(`uuid${part}`, this.seed) >>> 0).toString(16).padStart(8, "0"))
      .join("");
    return [hex.slice(0, 8), hex.slice(8, 12), `4${hex.slice(13, 16)}`, `a${hex.slice(17, 20)}`, hex.slice(20)].join(
      "-",
    );
  }

  /** What a hypervisor tells of its machines. */
  guestRows(atMs: number): NonNullable<HostPoll["guests"]> {
    return this.guests
      .filter((guest) => atMs >= guest.sinceMs)
      .map((guest) => {
        const [low, high] = guest.role.cpu;
        const full = guest.role.cores * 1e6;
        const hogs = this.faults.filter(
          ({ fault: { effect } }) => effect.type === "guest-hog" && effect.guest === guest.name,
        );
        const runaways = guest.faults.filter(({ fault }) => fault.effect.type === "cpu-runaway");
        const extra =
          this.spent(hogs, this.baseMs, atMs, (at) => this.hogging(at, guest.name)) +
          this.spent(runaways, this.baseMs, atMs, (at) => guest.runawayCores(at));
        return {
          name: guest.name,
          uuid: guest.uuid,
          running: guest.isUp(atMs),
          processors: guest.role.cores,
          memoryBytes: guest.role.memoryGiB * GIB,
          cpuMicroseconds: Math.round(
            guest.counter(guest.seed + 5, (full * low) / 100, (full * high) / 100, atMs) + extra * 1e6,
          ),
        };
      });
  }

  /** hrSWRunPerfCPU and interface counters: a running total that follows the rhythm and never falls. */
  private counter(seed: number, perSecondLow: number, perSecondHigh: number, atMs: number): number {
    const seconds = (atMs - this.baseMs) / 1000;
    const total =
      perSecondLow * seconds +
      (perSecondHigh - perSecondLow) * (this.rhythm.total(atMs) - this.rhythm.total(this.baseMs));
    const period = 11 * MINUTE;
    const sway = 0.28 * perSecondLow * (period / 1000) * wander(seed, atMs, period);
    return Math.max(0, Math.round(total + sway));
  }

  /**
   * Processor time of a process since it was started, in hundredths of a second; what spins counts, until it is
   * restarted.
   */
  private processTime(process: ProcessModel, atMs: number): number {
    const { name, cpu } = process.spec;
    const startedMs = Math.max(
      this.baseMs,
      process.spells.findLast((spell) => atMs >= spell.fromMs)?.fromMs ?? this.baseMs,
    );
    const usual = (at: number) => this.counter(process.seed, cpu * 20, cpu * 100, at);
    const spinning = this.faults.filter(
      ({ fault: { effect } }) => effect.type === "cpu-runaway" && effect.process === name,
    );
    const spun = this.spent(spinning, startedMs, atMs, (at) => this.runawayCores(at, name)) * 100;
    return Math.max(0, Math.round(usual(atMs) - (startedMs > this.baseMs ? usual(startedMs) : 0) + spun)) % 2 ** 31;
  }

  /** What a look at the host measures. */
  poll(atMs: number): HostPoll {
    const { role } = this;
    const processorLoads: number[] = [];
    for (let core = 0; core < role.cores; core++) processorLoads.push(this.processorLoad(core, atMs));
    let used = this.systemMemory(atMs);
    const processes: HostPoll["processes"] = [];
    for (const process of this.processes) {
      if (!this.isRunning(process, atMs)) continue;
      const memoryBytes = this.processMemory(process, atMs);
      used += memoryBytes;
      processes.push({
        name: process.spec.name,
        memoryBytes,
        cpuHundredths: this.processTime(process, atMs),
      });
    }
    const size = role.memoryGiB * GIB;
    const free = Math.max(0, size - used);
    const buffers = Math.min(free * 0.1, size * 0.02);
    const cached = Math.min(free * 0.7, size * 0.3);
    const storage: HostPoll["storage"] = [
      { label: "Physical memory", type: "ram", usedBytes: Math.min(size, used + buffers + cached), sizeBytes: size },
      { label: "Memory buffers", type: "other", usedBytes: buffers, sizeBytes: size },
      { label: "Cached memory", type: "other", usedBytes: cached, sizeBytes: size },
    ];
    for (const disk of role.disks) {
      const days = (atMs - this.baseMs) / 86_400_000;
      let percent = disk.usedPercent + 0.04 * days + 0.4 * wander(seedOf(disk.mount, this.seed), atMs, 180 * MINUTE);
      for (const one of this.faults)
        if (one.fault.effect.type === "disk-fill" && one.fault.effect.mount === disk.mount)
          percent += Math.max(0, one.fault.effect.toPercent - percent) * this.strength(one, atMs);
      storage.push({
        label: disk.mount,
        type: "disk",
        usedBytes: (Math.min(100, percent) / 100) * disk.sizeGiB * GIB,
        sizeBytes: disk.sizeGiB * GIB,
      });
    }
    if (role.system === "hypervisor") {
      const ram = storage[0] as (typeof storage)[number];
      ram.usedBytes = Math.min(
        size,
        size * 0.05 + this.guests.reduce((sum, guest) => sum + (guest.isUp(atMs) ? guest.role.memoryGiB * GIB : 0), 0),
      );
      storage.splice(1, 2);
    }
    for (const row of storage) row.usedBytes = Math.round(row.usedBytes / 4096) * 4096;
    const octets = (role.trafficMbps * 1e6) / 8;
    const interfaces = this.interfaceNames().map((name, index) => ({
      name,
      inOctets: this.counter(
        seedOf(`in${name}`, this.seed),
        octets * 0.05,
        octets * (index === 0 ? 1 : 0.2) * 0.9,
        atMs,
      ),
      outOctets: this.counter(
        seedOf(`out${name}`, this.seed),
        octets * 0.05,
        octets * (index === 0 ? 1 : 0.2) * 0.7,
        atMs,
      ),
      errors: Math.floor((atMs - this.baseMs) / (6 * 3_600_000)),
      up: true,
    }));
    return {
      processorLoads,
      storage,
      interfaces,
      processes,
      ...(role.system === "hypervisor" ? { guests: this.guestRows(atMs) } : {}),
    };
  }

  private interfaceNames(): string[] {
    if (this.role.system === "linux") return ["eth0"];
    if (this.role.system === "hypervisor") return ["eth0", "eth1"];
    return Array.from({ length: Math.max(4, this.neighbours.length) }, (_, index) => `port${index + 1}`);
  }

  interfaceRows(): InterfaceRow[] {
    const speedBps = this.role.system === "switch" ? 10e9 : 1e9;
    return this.interfaceNames().map((name, index) => ({
      index: index + 1,
      name,
      type: 6,
      speedBps,
      physAddress: [2, 0x5e, ...[0, 8, 16].map((shift) => (this.seed >>> shift) & 255), index + 1]
        .map((byte) => byte.toString(16).padStart(2, "0"))
        .join(":"),
      up: true,
    }));
  }

  storageRows(atMs: number): StorageRow[] {
    return this.poll(atMs).storage.map((row, index) => ({
      index: row.type === "disk" ? 31 + index : index + 1,
      label: row.label,
      type: row.type,
      unitBytes: 4096,
      sizeUnits: Math.round(row.sizeBytes / 4096),
      usedUnits: Math.round(row.usedBytes / 4096),
    }));
  }

  private pidOf(process: ProcessModel, atMs: number): number {
    const spell = process.spells.findIndex((one) => atMs >= one.fromMs && atMs < one.toMs);
    return 1000 + (Math.abs(process.seed) % 20_000) + Math.max(0, spell) * 137;
  }

  versionOf(process: ProcessModel, atMs: number): string {
    return process.version.filter((one) => atMs >= one.fromMs).at(-1)?.version ?? process.spec.version;
  }

  /** Running software with memory and processor time, as hrSWRunTable and hrSWRunPerfTable list it. */
  software(atMs: number): (SoftwareRow & { memoryBytes: number; cpuHundredths: number })[] {
    if (this.role.system !== "linux") return [];
    const poll = this.poll(atMs);
    const system = HOUSEKEEPING.map(([name, path, mib], index) => ({
      pid: index === 0 ? 1 : index === 1 ? 2 : 400 + index * 31,
      name,
      path,
      parameters: "",
      memoryBytes: Math.round(mib * MIB * (1 + 0.02 * wander(this.seed + index, atMs, 30 * MINUTE))),
      cpuHundredths: this.counter(this.seed + 77 + index, 0.1, 0.5, atMs) % 2 ** 31,
    }));
    const own = this.processes
      .filter((process) => this.isRunning(process, atMs))
      .map((process) => {
        const used = poll.processes.find((row) => row.name === process.spec.name);
        return {
          pid: this.pidOf(process, atMs),
          name: process.spec.name,
          path: `/opt/${process.spec.name}/bin/${process.spec.name}`,
          parameters: process.spec.parameters,
          memoryBytes: used?.memoryBytes ?? 0,
          cpuHundredths: used?.cpuHundredths ?? 0,
        };
      });
    return [...system, ...own].sort((a, b) => a.pid - b.pid);
  }

  listeners(atMs: number): ListenerRow[] {
    const sshd = 400 + 7 * 31;
    const rows: ListenerRow[] =
      this.role.system === "linux" ? [{ address: "0.0.0.0", port: this.sshPort, pid: sshd }] : [];
    for (const process of this.processes)
      if (this.isRunning(process, atMs))
        for (const listens of process.spec.listens)
          rows.push({ address: this.address, port: listens.port, pid: this.pidOf(process, atMs) });
    return rows;
  }

  connections(atMs: number): ConnectionRow[] {
    const rows: ConnectionRow[] = [];
    const add = (link: (typeof this.links)[number], called: boolean) => {
      const caller = called ? link.to : this;
      const server = called ? this : link.to;
      if (!caller.isRunning(link.process, atMs) || !server.isRunning(link.toProcess, atMs)) return;
      for (let index = 0; index < link.count; index++) {
        const port = 32_768 + ((link.key + index * 7) % 28_000);
        rows.push(
          called
            ? {
                localAddress: this.address,
                localPort: link.port,
                remoteAddress: caller.address,
                remotePort: port,
                pid: this.pidOf(link.toProcess, atMs),
              }
            : {
                localAddress: this.address,
                localPort: port,
                remoteAddress: server.address,
                remotePort: link.port,
                pid: this.pidOf(link.process, atMs),
              },
        );
      }
    };
    for (const link of this.links) add(link, false);
    for (const link of this.incoming) add(link, true);
    return rows;
  }

  upSinceMs(atMs: number): number {
    const lost = this.faults
      .filter((one) => one.fault.effect.type === "power-loss" && one.toMs <= atMs)
      .map((one) => one.toMs);
    return Math.max(this.baseMs + (Math.abs(this.seed) % 1_000_000_000), Math.max(this.sinceMs, this.baseMs), ...lost);
  }

  openListeners(atMs: number): { process: ProcessModel; listens: ScenarioListener }[] {
    return this.processes.flatMap((process) =>
      this.isRunning(process, atMs) ? process.spec.listens.map((listens) => ({ process, listens })) : [],
    );
  }
}

/** The pretended estate: a pure function of seed, anchor and instant, changed only by drills and repairs. */
export class EstateModel {
  readonly hosts: HostModel[];
  private readonly byName: Map<string, HostModel>;
  private readonly rhythms: Map<string, RhythmCurve>;

  /** @param anchorMs the instant that "before" and "since" in the scenario count from */
  constructor(
    readonly scenario: Scenario,
    readonly anchorMs: number,
  ) {
    this.rhythms = new Map(Object.entries(scenario.rhythms).map(([id, rhythm]) => [id, makeRhythm(rhythm)]));
    const sites = new Map(scenario.sites.map((site) => [site.id, site]));
    this.hosts = scenario.hosts.map((host) => {
      const role = scenario.roles[host.role] as ScenarioRole;
      const site = sites.get(host.site) as Scenario["sites"][number];
      return new HostModel(
        host.name,
        host.address,
        site,
        host.role,
        role,
        this.rhythm(role.rhythm),
        scenario.seed,
        anchorMs,
        host.since,
        scenario.sshPort,
      );
    });
    this.byName = new Map(this.hosts.map((host) => [host.name, host]));
    scenario.hosts.forEach(({ on }, index) => {
      const below = on === undefined ? undefined : this.byName.get(on);
      const host = this.hosts[index] as HostModel;
      host.below = below;
      below?.guests.push(host);
    });
    this.wire();
    for (const past of scenario.past) {
      const fault = scenario.faults.find((one) => one.id === past.fault) as ScenarioFault;
      const fromMs = anchorMs - (parseDurationMs(past.before) ?? 0);
      this.afflict(fault, past.host ?? fault.host, fromMs, fromMs + (parseDurationMs(past.lasts) ?? 0));
    }
    for (const upgrade of scenario.upgrades)
      this.host(upgrade.host)
        ?.process(upgrade.process)
        ?.version.push({ fromMs: anchorMs - (parseDurationMs(upgrade.before) ?? 0), version: upgrade.version });
  }

  host(name: string): HostModel | undefined {
    return this.byName.get(name);
  }

  private rhythm(id: string): RhythmCurve {
    return this.rhythms.get(id) as RhythmCurve;
  }

  private wire(): void {
    const byRole = new Map<string, HostModel[]>();
    for (const host of this.hosts) byRole.set(host.roleName, [...(byRole.get(host.roleName) ?? []), host]);
    for (const host of this.hosts)
      for (const process of host.processes)
        for (const talk of process.spec.talksTo) {
          const all = (byRole.get(talk.role) ?? []).filter((other) => other !== host);
          const near = all.filter((other) => other.site === host.site);
          const called = talk.reach === "same-site" && near.length ? near : all;
          // A large estate is many small ones: a host calls a handful of its peers, not thousands.
          const few =
            called.length > 6
              ? called.filter((_, index) => (index + host.seed) % Math.ceil(called.length / 4) === 0).slice(0, 4)
              : called;
          for (const other of few) {
            const target = other.process(talk.process);
            const port = target?.spec.listens[0]?.port;
            if (target && port) host.link(process, other, target, port, talk.connections);
          }
        }
    for (const site of this.scenario.sites) {
      const here = this.hosts.filter((host) => host.site === site);
      const switches = here.filter((host) => host.role.system === "switch");
      here
        .filter((host) => host.role.system !== "switch" && !host.below)
        .forEach((host, index) => {
          const at = switches[index % switches.length];
          at?.neighbours.push({
            localPort: at.neighbours.length + 1,
            systemName: `${host.name}.halvane.example`,
            portId: "eth0",
          });
        });
      switches.slice(1).forEach((other) => {
        const first = switches[0] as HostModel;
        other.neighbours.push({
          localPort: other.neighbours.length + 1,
          systemName: `${first.name}.halvane.example`,
          portId: `port${first.neighbours.length + 1}`,
        });
      });
    }
  }

  afflict(fault: ScenarioFault, hostName: string, fromMs: number, toMs = FOREVER): void {
    const host = this.host(hostName);
    host?.faults.push({ fault, host, fromMs, toMs });
  }

  startDrill(id: string, atMs: number): ScenarioFault | undefined {
    const fault = this.scenario.faults.find((one) => one.id === id);
    if (!fault || this.isActive(id, atMs)) return undefined;
    this.afflict(fault, fault.host, atMs);
    return fault;
  }

  stopDrill(id: string, atMs: number): boolean {
    let ended = false;
    for (const host of this.hosts)
      for (const one of host.faults)
        if (one.fault.id === id && one.fromMs <= atMs && one.toMs > atMs) {
          one.toMs = atMs;
          ended = true;
        }
    return ended;
  }

  isActive(id: string, atMs: number): boolean {
    return this.activeSince(id, atMs) !== undefined;
  }

  activeSince(id: string, atMs: number): number | undefined {
    for (const host of this.hosts)
      for (const one of host.faults)
        if (one.fault.id === id && one.fromMs <= atMs && one.toMs > atMs) return one.fromMs;
    return undefined;
  }

  /** Value of a business figure, or undefined while its host is down. */
  figure(metric: string, atMs: number): number | undefined {
    const figure = this.scenario.figures.find((one) => one.metric === metric);
    if (!figure || !this.host(figure.host)?.isUp(atMs)) return undefined;
    const seed = seedOf(metric, this.scenario.seed);
    const level = this.rhythm(figure.rhythm).level(atMs);
    let value = figure.low + (figure.high - figure.low) * level;
    value *=
      1 + figure.wander * wander(seed, atMs, 9 * MINUTE) + 0.5 * figure.wander * wander(seed + 1, atMs, 50 * MINUTE);
    for (const host of this.hosts) {
      const hurt = host.faults.length ? host.faultStrength(metric, atMs) : undefined;
      if (hurt) value *= 1 + (hurt.factor - 1) * hurt.share;
    }
    return Math.max(0, Math.round(value * 100) / 100);
  }
}
