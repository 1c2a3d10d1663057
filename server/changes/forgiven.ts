import { endedBefore, LONGEST_TICKET_MS, workWindows, type WorkWindow } from "#core/changes/planned-work";
import { holidaysOf } from "#core/telling/rotation";
import { MINUTE_MS } from "#core/time/windows";
import { coveredBy } from "./work-scope";
import { rollOuts } from "../store/changes";
import type { Db } from "../store/database";
import { currentComponents } from "../store/estate";
import { listPlannedWork } from "../store/planned-work";
import { listRotations } from "../store/rotations";
import { ticketsNear } from "../store/tickets";

/** After a roll-out, so long is not learned from: caches are cold, queues are worked off. */
const SETTLES_MS = 30 * MINUTE_MS;
/** What is forgiven is read anew so often, clock time. */
const ANEW_MS = 10 * MINUTE_MS;

interface Work {
  components: ReadonlySet<number>;
  windows: readonly WorkWindow[];
}

/**
 * What says nothing of what is usual: planned work by hand and of tickets, the time right after a roll-out, and holidays
 * that rotations know.
 */
export class Forgiven {
  private work: Work[] = [];
  private holidays: WorkWindow[] = [];
  private rollOuts = new Map<number, WorkWindow[]>();
  private hostOf = new Map<number, number | null>();
  private readAtMs = Number.NEGATIVE_INFINITY;

  constructor(private readonly db: Db) {}

  /** Stretches of a span that are not learned from; of a service's own series only holidays. */
  spansOf(componentId: number | null, fromMs: number, toMs: number): WorkWindow[] {
    if (toMs - this.readAtMs >= ANEW_MS || toMs < this.readAtMs) this.read(fromMs, toMs);
    if (componentId === null) return this.holidays;
    const host = this.hostOf.get(componentId) ?? componentId;
    const covering = this.work.filter(({ components }) => components.has(componentId) || components.has(host));
    const after = [componentId, ...(host === componentId ? [] : [host])].flatMap((id) => this.rollOuts.get(id) ?? []);
    return [...covering.flatMap((one) => one.windows), ...after, ...this.holidays];
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
    this.rollOuts = new Map();
    for (const { componentId, atMs } of rollOuts(db, fromMs, toMs)) {
      const own = this.rollOuts.get(componentId);
      const span = { fromMs: atMs, toMs: atMs + SETTLES_MS };
      if (own) own.push(span);
      else this.rollOuts.set(componentId, [span]);
    }
  }
}
