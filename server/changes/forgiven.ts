import { endedBefore, LONGEST_TICKET_MS, workWindows, type WorkWindow } from "#core/changes/planned-work";
import { holidaysOf } from "#core/telling/rotation";
import { HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { coveredBy } from "./work-scope";
import { rollOuts } from "../store/changes";
import type { Db } from "../store/database";
import { currentComponents } from "../store/estate";
import { troubleOfServices } from "../store/incidents";
import { listPlannedWork } from "../store/planned-work";
import { listRotations } from "../store/rotations";
import { membersAt } from "../store/services";
import { ticketsNear } from "../store/tickets";

/** After a roll-out, so long is not learned from: caches are cold, queues are worked off. */
const SETTLES_MS = 30 * MINUTE_MS;
/** Trouble begins before it is told of. */
const BEFORE_TOLD_MS = 10 * MINUTE_MS;
/** Of an incident so much is not learned from: what lasts for longer has become usual. */
const LONGEST_INCIDENT_MS = 6 * HOUR_MS;
/** Where incidents take more of a span than this, all of it is learned from. */
const MOST_TROUBLE = 0.25;
/** What is forgiven is read anew so often, clock time. */
const ANEW_MS = 10 * MINUTE_MS;

interface Work {
  components: ReadonlySet<number>;
  windows: readonly WorkWindow[];
}

/** Whose figures are learned from: those of a component, or of a service. */
export interface Owner {
  componentId: number | null;
  serviceId: number | null;
}

/**
 * What says nothing of what is usual: planned work by hand and of tickets, the time right after a roll-out, holidays that
 * rotations know, and incidents that hurt the service of which something is part: a queue that grew then was no usual one,
 * though nothing was told of it.
 */
export class Forgiven {
  private work: Work[] = [];
  private holidays: WorkWindow[] = [];
  private rollOuts = new Map<number, WorkWindow[]>();
  private troubles = new Map<number, WorkWindow[]>();
  private servicesOf = new Map<number, number[]>();
  private hostOf = new Map<number, number | null>();
  private readAtMs = Number.NEGATIVE_INFINITY;

  constructor(private readonly db: Db) {}

  /**
   * Stretches of a span that are not learned from; of a service's own series only holidays and its incidents. What is asked
   * for several owners reaches back equally far for all: it is read for all of them at once.
   * @param knownMs from when on anything was measured of this owner
   */
  spansOf({ componentId, serviceId }: Owner, fromMs: number, toMs: number, knownMs = fromMs): WorkWindow[] {
    if (toMs - this.readAtMs >= ANEW_MS || toMs < this.readAtMs) this.read(fromMs, toMs);
    const troubles = (services: readonly number[]) =>
      services.flatMap((id) => within(this.troubles.get(id) ?? [], knownMs, toMs));
    if (componentId === null) return [...this.holidays, ...troubles(serviceId === null ? [] : [serviceId])];
    const host = this.hostOf.get(componentId) ?? componentId;
    const covering = this.work.filter(({ components }) => components.has(componentId) || components.has(host));
    const after = [componentId, ...(host === componentId ? [] : [host])].flatMap((id) => this.rollOuts.get(id) ?? []);
    const own = troubles(this.servicesOf.get(componentId) ?? []);
    return [...covering.flatMap((one) => one.windows), ...after, ...own, ...this.holidays];
  }

  private read(fromMs: number, toMs: number): void {
    const { db } = this;
    this.readAtMs = toMs;
    const components = currentComponents(db);
    this.hostOf = new Map(components.map((one) => [one.id, one.host_id]));
    const byHand = listPlannedWork(db).map(({ work, endedMs }) => ({
      components: coveredBy(db, work.scope, toMs).components,
      windows: workWindows(work, fromMs, toMs).map((one) => endedBefore(one, endedMs)),
    }));
    const named = new Map<string, number>();
    for (const one of components) named.set(one.name.toLowerCase(), one.id);
    const byTicket = ticketsNear(db, fromMs, toMs, []).flatMap(({ fromMs: begins, toMs: ends, things }) =>
      begins !== null && ends !== null && ends - begins <= LONGEST_TICKET_MS
        ? [
            {
              components: new Set(things.flatMap((thing) => named.get(thing.toLowerCase()) ?? [])),
              windows: [{ fromMs: begins, toMs: ends }],
            },
          ]
        : [],
    );
    this.work = [...byHand, ...byTicket].filter((one) => one.components.size > 0 && one.windows.length > 0);
    this.holidays = listRotations(db)
      .flatMap(({ plan }) => holidaysOf(plan))
      .filter((one) => one.toMs > fromMs && one.fromMs < toMs);
    this.servicesOf = new Map();
    for (const { service_id, component_id } of membersAt(db, toMs))
      this.servicesOf.set(component_id, [...(this.servicesOf.get(component_id) ?? []), service_id]);
    this.troubles = new Map();
    for (const { serviceId, openedMs, endedMs } of troubleOfServices(db, fromMs, toMs)) {
      const begins = openedMs - BEFORE_TOLD_MS;
      const span = { fromMs: begins, toMs: Math.min(endedMs ?? toMs, begins + LONGEST_INCIDENT_MS) };
      this.troubles.set(serviceId, [...(this.troubles.get(serviceId) ?? []), span]);
    }
    this.rollOuts = new Map();
    for (const { componentId, atMs } of rollOuts(db, fromMs, toMs)) {
      const own = this.rollOuts.get(componentId);
      const span = { fromMs: atMs, toMs: atMs + SETTLES_MS };
      if (own) own.push(span);
      else this.rollOuts.set(componentId, [span]);
    }
  }
}

/** What of some stretches lies in a span, where that is not too much of it; else none. */
function within(spans: readonly WorkWindow[], fromMs: number, toMs: number): WorkWindow[] {
  const inside = spans
    .map((one) => ({ fromMs: Math.max(fromMs, one.fromMs), toMs: Math.min(toMs, one.toMs) }))
    .filter((one) => one.toMs > one.fromMs);
  const sumMs = inside.reduce((sum, one) => sum + one.toMs - one.fromMs, 0);
  return sumMs <= MOST_TROUBLE * (toMs - fromMs) ? inside : [];
}
