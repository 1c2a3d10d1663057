import { kindInfo } from "#core/catalogue/kinds";
import { guestKey } from "#core/estate/guests";
import { Restarts } from "#core/changes/restarts";
import { measureHost, type CounterMemory, type HostPoll, type Measured } from "#core/telemetry/poll";
import type { SampleWriter } from "../ingest/sample-writer";
import { eachLimited } from "../outside/limit";
import type { Access } from "../vault/kinds";
import type { Vault } from "../vault/vault";
import type { PollTarget, Process, SourceDriver, SourceTools } from "../sources/driver";
import { driverOf } from "../sources/registry";
import type { Db } from "../store/database";
import { noteRestart } from "../store/changes";
import { componentById, currentComponents, type ComponentRow } from "../store/estate";
import { guestsOfHypervisors } from "../store/relations";
import { listServices, type FigureSource } from "../store/services";
import { sightingsOfHosts } from "../store/sightings";
import { unwatched } from "../store/labels";
import { listSources, type SourceRow } from "../store/sources";
import { fetchFigure } from "./figures";
import { Talks } from "./talks";

/** One host under watch. */
export interface PolledHost {
  id: number;
  driver: SourceDriver;
  target: Omit<PollTarget<unknown>, "tools">;
  everyMs: number;
  nextMs: number;
  /** Component ids of its processes by name. */
  processes: Map<string, number>;
  /** Component ids of its virtual machines by what they go by. */
  guests: Map<string, number>;
  isHypervisor: boolean;
  counters: CounterMemory;
  /** Looks in a row whose failure was put down to this process itself. */
  excused: number;
}

interface PolledFigure {
  serviceId: number;
  figure: FigureSource;
  nextMs: number;
}

/** How the hosts of a source are polled. */
interface Way {
  driver: SourceDriver;
  settings: unknown;
  access: readonly Access[];
  everyMs: number;
}

const FIGURE_EVERY_MS = 15_000;
const POLLS_AT_ONCE = 48;

/** Spreads polls over the interval, so that an estate is not asked all at once. */
const staggered = (id: number, everyMs: number) => (id * 7919) % everyMs;

/** How long a host may take to answer, in the clock's time, and the least of the machine's that is left for it. */
const TIMEOUT_MS = 1500;
const LEAST_TIMEOUT_MS = 400;
/** A silence is no host's own while this process was held up for so much of the time that was waited. */
const OWN_SHARE = 0.4;
const MOST_EXCUSED = 1;
/** A host was started anew where at least so many programs were, and none was not. */
const LEAST_OF_HOST = 2;

/** Whether a process is among those of its host. */
const RUNNING = { metric: "process.running", instance: "", unit: "0/1" };

/**
 * Keeps the list of what is polled and looks at each when its time has come. What sources find is taken up by
 * `reload`.
 */
export class Poller {
  readonly hosts = new Map<number, PolledHost>();
  private figures: PolledFigure[] = [];
  private busy = new Set<number>();
  missed = 0;
  done = 0;
  readonly talks: Talks;
  private readonly restarts = new Restarts();

  /** Processes that others connect to: they run all the time, and are missed where they do not. */
  private serving: ReadonlySet<number> = new Set();

  constructor(
    private readonly db: Db,
    private readonly vault: Pick<Vault, "ofSource">,
    private readonly sampleWriter: SampleWriter,
    private readonly onSeen: (componentId: number) => void,
    /** How fast the clock runs: answers are waited for in its time, so that a silent host is as quickly known at any pace. */
    private readonly pace: () => number,
    private readonly tools: () => SourceTools,
    /** The longest that this process itself was held up since an instant of `performance.now()`, ms. */
    private readonly heldUpSince: (fromMs: number) => number = () => 0,
  ) {
    this.talks = new Talks(db);
  }

  reload(atMs: number): void {
    const ways = new Map(
      listSources(this.db).flatMap((source) => {
        const way = this.wayOf(source);
        return way ? [[source.id, way] as const] : [];
      }),
    );
    const off = unwatched(this.db);
    const components = currentComponents(this.db);
    const wanted = new Set<number>();
    // What an agent reports on goes on being asked by who saw it too.
    const sighted = new Map<number, Way>();
    for (const { component_id, source_id } of sightingsOfHosts(this.db)) {
      const way = ways.get(source_id);
      if (way && !sighted.has(component_id)) sighted.set(component_id, way);
    }
    for (const row of components) {
      const way = (row.source_id === null ? undefined : ways.get(row.source_id)) ?? sighted.get(row.id);
      // Only what let its system be read can be polled.
      if (row.host_id !== null || row.depth < 2 || !row.address || !way || off.has(row.id)) continue;
      wanted.add(row.id);
      this.follow(row, row.address, way, atMs);
    }
    for (const id of this.hosts.keys()) if (!wanted.has(id)) this.hosts.delete(id);
    for (const row of components)
      if (row.process !== null && row.host_id !== null) this.hosts.get(row.host_id)?.processes.set(row.process, row.id);
    this.serving = new Set(components.flatMap((row) => (row.process !== null && row.port !== null ? [row.id] : [])));
    this.restarts.keep(new Set(components.map((row) => row.id)));
    const reporting = components.flatMap(({ id, read_by, host_id, address }) =>
      read_by === "agent" && host_id === null && address !== null && !this.hosts.has(id) ? [{ id, address }] : [],
    );
    this.talks.reload([
      ...[...this.hosts.values()].map(({ id, target }) => ({ id, address: target.address })),
      ...reporting,
    ]);
    for (const { hypervisor, key, guest } of guestsOfHypervisors(this.db)) {
      const host = this.hosts.get(hypervisor);
      if (!host) continue;
      host.guests.set(key, guest);
      host.isHypervisor = true;
    }
    const before = new Map(this.figures.map((one) => [one.serviceId, one.nextMs]));
    this.figures = listServices(this.db).flatMap((service) =>
      service.figure ? [{ serviceId: service.id, figure: service.figure, nextMs: before.get(service.id) ?? atMs }] : [],
    );
  }

  private wayOf(source: SourceRow): Way | undefined {
    const driver = driverOf(source.kind);
    if (!driver.poll || source.pollSeconds === undefined) return undefined;
    const access = this.vault.ofSource(source.id, `polling ${source.name}`);
    return { driver, settings: source.settings, access, everyMs: source.pollSeconds * 1000 };
  }

  private follow(row: ComponentRow, address: string, { driver, settings, access, everyMs }: Way, atMs: number): void {
    const known = this.hosts.get(row.id);
    this.hosts.set(row.id, {
      id: row.id,
      driver,
      target: { address, settings, access },
      everyMs,
      nextMs: known?.nextMs ?? atMs + staggered(row.id, everyMs),
      processes: new Map(),
      guests: new Map(),
      isHypervisor: kindInfo(row.kind).hasGuests,
      counters: known?.counters ?? new Map(),
      excused: known?.excused ?? 0,
    });
  }

  /** Gives every host its place in the interval anew, after the clock was set. */
  spread(atMs: number): void {
    for (const host of this.hosts.values()) host.nextMs = atMs + staggered(host.id, host.everyMs);
  }

  /** Looks at everything that is due. Failing to answer is a sample too: `reachable` is 0 then. */
  async pollDue(now: () => number): Promise<void> {
    const at = now();
    const due = [...this.hosts.values()].filter((host) => host.nextMs <= at && !this.busy.has(host.id));
    for (const host of due) {
      const late = Math.floor((at - host.nextMs) / host.everyMs);
      this.missed += late;
      host.nextMs += (late + 1) * host.everyMs;
    }
    const figures = this.figures.filter((one) => one.nextMs <= at);
    for (const one of figures) one.nextMs = at + FIGURE_EVERY_MS;
    await Promise.all([
      eachLimited(due, POLLS_AT_ONCE, (host) => this.poll(host, now)),
      eachLimited(figures, 8, async ({ serviceId, figure }) => {
        try {
          this.takeFigure(serviceId, figure, await fetchFigure(figure.url, figure.metric), now());
        } catch {
          // A figure that cannot be read leaves a gap; its service's health shows why.
        }
      }),
    ]);
  }

  private async poll(host: PolledHost, now: () => number): Promise<void> {
    this.busy.add(host.id);
    const started = performance.now();
    const askedMs = now();
    const timeoutMs = Math.max(LEAST_TIMEOUT_MS, TIMEOUT_MS / Math.max(1, this.pace()));
    try {
      const poll = await host.driver.poll?.(
        { ...host.target, tools: this.tools() },
        { processes: host.processes.size > 0, guests: host.isHypervisor, timeoutMs },
      );
      const tookMs = performance.now() - started;
      // How long it took says something of the host only where nothing here was in the way.
      if (poll) this.take(host, poll, now(), this.heldUpSince(started) > 0 ? undefined : tookMs, askedMs);
      host.excused = 0;
    } catch {
      if (this.heldUpSince(started) < timeoutMs * OWN_SHARE || host.excused >= MOST_EXCUSED) {
        host.excused = 0;
        this.takeSilence(host.id, now());
      } else {
        // Asked again at once; a process that is always held up must still hear that a host is silent.
        host.excused++;
        host.nextMs = now();
        this.missed++;
      }
    } finally {
      this.busy.delete(host.id);
      this.done++;
    }
  }

  /** The process table of a polled host; throws with a reason when it cannot be read. */
  async processesOf(componentId: number): Promise<Process[]> {
    const host = this.hosts.get(componentId);
    if (!host?.driver.processes) throw new Error("Its processes are not listed by what polls it.");
    return host.driver.processes({ ...host.target, tools: this.tools() });
  }

  take(host: PolledHost, poll: HostPoll, atMs: number, tookMs: number | undefined, askedMs = atMs): void {
    if (poll.tables) this.talks.note(host.id, poll.tables);
    const measured = measureHost(poll, atMs, host.counters, new Set(host.processes.keys()), askedMs);
    // Rates are worked out from the exact instants; the samples of one look share a whole second.
    const second = Math.floor(atMs / 1000) * 1000;
    const put = (componentId: number, list: readonly Measured[]) => {
      for (const one of list)
        this.sampleWriter.record(
          this.sampleWriter.series({ componentId, serviceId: null }, one.metric, one.instance, one.unit, second),
          second,
          one.value,
        );
    };
    put(host.id, measured.host);
    this.tellRestarts(host, poll, atMs);
    put(host.id, [{ metric: "reachable", instance: "", unit: "0/1", value: 1 }]);
    if (tookMs !== undefined)
      put(host.id, [{ metric: "response", instance: "", unit: "ms", value: Math.round(tookMs * 10) / 10 }]);
    for (const [name, list] of measured.processes) {
      const id = host.processes.get(name);
      if (id === undefined) continue;
      put(id, list);
      if (this.serving.has(id)) put(id, [{ ...RUNNING, value: 1 }]);
      this.onSeen(id);
    }
    // Only what was met by this name in the table of processes is missed there.
    for (const name of measured.absent) {
      const id = host.processes.get(name);
      if (id === undefined || !this.serving.has(id)) continue;
      if (this.sampleWriter.find({ componentId: id, serviceId: null }, RUNNING.metric, ""))
        put(id, [{ ...RUNNING, value: 0 }]);
    }
    poll.guests?.forEach((guest, index) => {
      const id = host.guests.get(guestKey(guest, host.id));
      if (id === undefined) return;
      put(id, measured.guests[index] ?? []);
      if (guest.running) this.onSeen(id);
    });
    this.onSeen(host.id);
  }

  /** Programs that were started anew since the look before; where all were, their host was. */
  private tellRestarts(host: PolledHost, poll: HostPoll, atMs: number): void {
    const programs = poll.processes.flatMap(({ name, pids }) => {
      const id = host.processes.get(name);
      return id === undefined || !pids?.length ? [] : [[id, pids] as const];
    });
    const { restarts, counts } = this.restarts.look(programs, atMs);
    const second = Math.floor(atMs / 1000) * 1000;
    for (const [componentId, count] of counts)
      this.sampleWriter.record(
        this.sampleWriter.series({ componentId, serviceId: null }, "process.restarts", "", "1", second),
        second,
        count,
      );
    const tell = (id: number, what: string) => {
      const component = componentById(this.db, id);
      if (component?.valid_to === null)
        noteRestart(this.db, { componentId: id, atMs, summary: `${component.name}: ${what}`, by: "polling" });
    };
    if (restarts.length >= LEAST_OF_HOST && restarts.length === programs.length)
      return tell(host.id, `started anew, with all ${restarts.length} of its programs`);
    for (const { id, pids } of restarts)
      tell(id, `started anew${pids ? `, process ${pids[1]} in place of ${pids[0]}` : ""}`);
  }

  takeSilence(hostId: number, atMs: number): void {
    this.sampleWriter.record(
      this.sampleWriter.series({ componentId: hostId, serviceId: null }, "reachable", "", "0/1", atMs),
      atMs,
      0,
    );
  }

  takeFigure(serviceId: number, figure: FigureSource, value: number, atMs: number): void {
    this.sampleWriter.record(
      this.sampleWriter.series({ componentId: null, serviceId }, figure.metric, "", figure.unit, atMs),
      atMs,
      value,
    );
  }
}
