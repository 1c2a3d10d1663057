import { guestKey } from "#core/discovery/guests";
import { measureHost, type CounterMemory, type HostPoll, type Measured } from "#core/telemetry/poll";
import { isHostLike } from "#core/kinds";
import { eachLimited } from "../collectors/limit";
import { fetchFigure } from "../collectors/figures";
import { pollHost, type SnmpTarget } from "../collectors/snmp";
import type { Db } from "../store/database";
import { componentsWithFact, currentComponents, guestsOfHypervisors } from "../store/estate";
import { listServices, type FigureSource } from "../store/services";
import { listSources } from "../store/sweeps";
import type { Secrets } from "../secrets";
import type { Recorder } from "./recorder";

/** One host under watch. */
export interface PolledHost {
  id: number;
  target: SnmpTarget;
  everyMs: number;
  nextMs: number;
  /** Component ids of its processes by name. */
  processes: Map<string, number>;
  isHypervisor: boolean;
  /** Component ids of its virtual machines by what they go by. */
  guests: Map<string, number>;
  counters: CounterMemory;
}

interface PolledFigure {
  serviceId: number;
  figure: FigureSource;
  nextMs: number;
}

const FIGURE_EVERY_MS = 15_000;
const POLLS_AT_ONCE = 48;

/** Keeps the list of what is watched and looks at each when its time has come. What the sweeps find is taken up by `reload`. */
export class Poller {
  readonly hosts = new Map<number, PolledHost>();
  private figures: PolledFigure[] = [];
  private busy = new Set<number>();
  missed = 0;
  done = 0;

  constructor(
    private readonly db: Db,
    private readonly secrets: Secrets,
    private readonly recorder: Recorder,
    private readonly onSeen: (componentId: number) => void,
  ) {}

  reload(atMs: number): void {
    const sources = new Map(listSources(this.db).map((source) => [source.id, source]));
    const components = currentComponents(this.db);
    const speaksSnmp = componentsWithFact(this.db, "object id");
    const wanted = new Set<number>();
    for (const row of components) {
      const source = row.source_id === null ? undefined : sources.get(row.source_id);
      // Only what told its system by SNMP can be polled by SNMP.
      if (row.host_id !== null || !isHostLike(row.kind) || !row.address || !source || !speaksSnmp.has(row.id)) continue;
      wanted.add(row.id);
      const known = this.hosts.get(row.id);
      const target = {
        address: row.address,
        port: source.snmp_port,
        community: this.secrets.open(source.community_sealed),
      };
      const everyMs = source.poll_seconds * 1000;
      if (known) {
        known.target = target;
        known.everyMs = everyMs;
        known.processes.clear();
        known.guests.clear();
        known.isHypervisor = row.kind === "host.hypervisor";
        // Spread over the interval, so that an estate is not asked all at once.
      } else
        this.hosts.set(row.id, {
          id: row.id,
          target,
          everyMs,
          nextMs: atMs + ((row.id * 7919) % everyMs),
          processes: new Map(),
          isHypervisor: row.kind === "host.hypervisor",
          guests: new Map(),
          counters: new Map(),
        });
    }
    for (const id of this.hosts.keys()) if (!wanted.has(id)) this.hosts.delete(id);
    for (const row of components) {
      const process = row.host_id === null || row.kind === "app.container" ? undefined : row.name.split(" @ ")[0];
      if (process && row.host_id !== null) this.hosts.get(row.host_id)?.processes.set(process, row.id);
    }
    for (const { hypervisor, key, guest } of guestsOfHypervisors(this.db))
      this.hosts.get(hypervisor)?.guests.set(key, guest);
    const before = new Map(this.figures.map((one) => [one.serviceId, one.nextMs]));
    this.figures = listServices(this.db).flatMap((service) =>
      service.figure ? [{ serviceId: service.id, figure: service.figure, nextMs: before.get(service.id) ?? atMs }] : [],
    );
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
      eachLimited(due, POLLS_AT_ONCE, async (host) => {
        this.busy.add(host.id);
        const started = performance.now();
        try {
          const poll = await pollHost(host.target, { processes: host.processes.size > 0, guests: host.isHypervisor });
          this.take(host, poll, now(), performance.now() - started);
        } catch {
          this.takeSilence(host.id, now());
        } finally {
          this.busy.delete(host.id);
          this.done++;
        }
      }),
      eachLimited(figures, 8, async ({ serviceId, figure }) => {
        try {
          this.takeFigure(serviceId, figure, await fetchFigure(figure.url, figure.metric), now());
        } catch {
          // A figure that cannot be read leaves a gap; its service's health shows why.
        }
      }),
    ]);
  }

  take(host: PolledHost, poll: HostPoll, atMs: number, tookMs: number | undefined): void {
    const measured = measureHost(poll, atMs, host.counters, new Set(host.processes.keys()));
    // Rates are worked out from the exact instants; the samples of one look share a whole second.
    const second = Math.floor(atMs / 1000) * 1000;
    const put = (componentId: number, list: readonly Measured[]) => {
      for (const one of list)
        this.recorder.record(
          this.recorder.series({ componentId, serviceId: null }, one.metric, one.instance, one.unit, second),
          second,
          one.value,
        );
    };
    put(host.id, measured.host);
    put(host.id, [{ metric: "reachable", instance: "", unit: "0/1", value: 1 }]);
    if (tookMs !== undefined)
      put(host.id, [{ metric: "response", instance: "", unit: "ms", value: Math.round(tookMs * 10) / 10 }]);
    for (const [name, list] of measured.processes) {
      const id = host.processes.get(name);
      if (id === undefined) continue;
      put(id, list);
      this.onSeen(id);
    }
    poll.guests?.forEach((guest, index) => {
      const id = host.guests.get(guestKey(guest, host.id));
      if (id === undefined) return;
      put(id, measured.guests[index] ?? []);
      if (guest.running) this.onSeen(id);
    });
    this.onSeen(host.id);
  }

  takeSilence(hostId: number, atMs: number): void {
    this.recorder.record(
      this.recorder.series({ componentId: hostId, serviceId: null }, "reachable", "", "0/1", atMs),
      atMs,
      0,
    );
  }

  takeFigure(serviceId: number, figure: FigureSource, value: number, atMs: number): void {
    this.recorder.record(
      this.recorder.series({ componentId: null, serviceId }, figure.metric, "", figure.unit, atMs),
      atMs,
      value,
    );
  }
}
