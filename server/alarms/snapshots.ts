import { setTimeout as rest } from "node:timers/promises";
import { metricInfo } from "#core/catalogue/metrics";
import { knownUses, topProcesses, withShares } from "#core/correlation/odd-process";
import { MINUTE_MS } from "#core/time/windows";
import type { LiveEvent } from "../events";
import { Limiter } from "../outside/limit";
import type { Poller } from "../polling/poller";
import { writeSnapshot, type StoredProcess } from "../store/alarms";
import { storeProblem, type Db } from "../store/database";
import { componentById } from "../store/estate";
import { factsAt } from "../store/facts";
import type { AlarmEvent } from "./alarm-book";

/** Processes of a snapshot that are kept, of those that use most memory, most of a processor and most connections. */
const KEPT = 15;
/** Machine time between two looks, from which the use of processors is worked out. */
const APART_MS = 2000;
/** In which a clock that goes has gone on. */
const TICKS_MS = 20;
/** What was read so lately, clock time, serves for further alarms of the same host. */
const SERVES_MS = MINUTE_MS;
const MOST_KEPT = 500;
/** Hosts whose tables are read side by side. */
const SIDE_BY_SIDE = 6;

export interface SnapshotContext {
  db: Db;
  poller: Poller;
  now: () => number;
  emit: (event: LiveEvent) => void;
  isStopping: () => boolean;
}

/** What was read of a host, or why it could not be. */
interface Reading {
  atMs: number;
  processes: StoredProcess[];
  failure: string | null;
}

/** The process table of a host at the moment of an alarm on it or on what runs there: what used most. */
export class Snapshots {
  private readonly limit = new Limiter(SIDE_BY_SIDE);
  private readonly lately = new Map<number, { atMs: number; reading: Promise<Reading> }>();

  constructor(private readonly context: SnapshotContext) {}

  /**
   * Reads it for every host whose alarm, or that of a part, was just raised or got worse. Never rejects for want of a store: while the disk
   * is full the tick says so, and a store that was closed meanwhile wants no more tables.
   */
  async take(events: readonly AlarmEvent[]): Promise<void> {
    await Promise.all(
      events.map(async (event) => {
        const componentId = event.subject.type === "component" ? event.subject.id : 0;
        const hostId = this.hostOf(componentId);
        if (hostId === undefined || (event.what !== "raised" && event.what !== "worse")) return;
        // A host that does not answer has no table to show.
        if (metricInfo(event.metric).uses === "reach") return;
        try {
          await this.keep(event.alarmId, hostId);
        } catch (error) {
          if (!this.context.isStopping() && !storeProblem(error)) throw error;
        }
      }),
    );
  }

  /** The polled host that a component is or runs on, where it tells its processes. */
  private hostOf(componentId: number): number | undefined {
    const { db, poller } = this.context;
    for (const id of [componentId, componentById(db, componentId)?.host_id ?? 0])
      if ((poller.hosts.get(id)?.processes.size ?? 0) > 0) return id;
    return undefined;
  }

  private async keep(alarmId: number, hostId: number): Promise<void> {
    const { db, now, emit, isStopping } = this.context;
    if (isStopping()) return;
    const known = this.lately.get(hostId);
    const serves = known && Math.abs(now() - known.atMs) <= SERVES_MS;
    const reading = serves ? known.reading : this.limit.through(() => this.read(hostId));
    if (!serves) {
      if (this.lately.size >= MOST_KEPT) this.lately.clear();
      this.lately.set(hostId, { atMs: now(), reading });
    }
    const { atMs, processes, failure } = await reading;
    if (isStopping()) return;
    const fact = factsAt(db, hostId, atMs).find((one) => one.name === "memory bytes");
    writeSnapshot(db, alarmId, atMs, Number(fact?.value ?? 0), processes, failure);
    emit({ topic: "alarms", atMs: now() });
  }

  private async read(hostId: number): Promise<Reading> {
    const { poller, now, isStopping } = this.context;
    const atMs = now();
    if (isStopping()) return { atMs, processes: [], failure: null };
    try {
      const first = await poller.processesOf(hostId);
      const firstMs = now();
      await rest(TICKS_MS);
      // While the past is replayed the clock stands, and a second look would say nothing.
      const goesOn = now() > firstMs;
      if (goesOn) await rest(APART_MS - TICKS_MS);
      const second = goesOn && !isStopping() ? await poller.processesOf(hostId) : first;
      const open = poller.talks.connectionsOf(hostId);
      const all = withShares(first, second, now() - firstMs).map((one): StoredProcess =>
        open ? { ...one, connections: open.get(one.pid) ?? 0 } : one,
      );
      const most = new Set(knownUses(all).flatMap((by) => topProcesses(all, KEPT, by)));
      return { atMs, processes: [...most], failure: null };
    } catch (error) {
      const why = error instanceof Error ? error.message : String(error);
      return { atMs, processes: [], failure: `The process table could not be read: ${why}` };
    }
  }
}
