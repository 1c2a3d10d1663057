import { metricInfo } from "#core/catalogue/metrics";
import type { LiveEvent } from "../events";
import type { Poller } from "../polling/poller";
import { writeSnapshot } from "../store/alarms";
import { storeProblem, type Db } from "../store/database";
import { factsAt } from "../store/facts";
import type { AlarmEvent } from "./alarm-book";

/** Processes of a snapshot that are kept. */
const KEPT = 25;

export interface SnapshotContext {
  db: Db;
  poller: Poller;
  now: () => number;
  emit: (event: LiveEvent) => void;
  isStopping: () => boolean;
}

/** The process table of a host at the moment of its alarm: what used most. */
export class Snapshots {
  constructor(private readonly context: SnapshotContext) {}

  /**
   * Reads it for every host whose alarm was just raised or got worse. Never rejects for want of a store: while the disk
   * is full the tick says so, and a store that was closed meanwhile wants no more tables.
   */
  async take(events: readonly AlarmEvent[]): Promise<void> {
    for (const event of events) {
      if (this.context.isStopping()) return;
      const componentId = event.subject.type === "component" ? event.subject.id : 0;
      const host = this.context.poller.hosts.get(componentId);
      if ((event.what !== "raised" && event.what !== "worse") || !host || host.processes.size === 0) continue;
      // A host that does not answer has no table to show.
      if (metricInfo(event.metric).uses === "reach") continue;
      try {
        await this.read(event.alarmId, componentId);
      } catch (error) {
        if (!this.context.isStopping() && !storeProblem(error)) throw error;
      }
    }
  }

  private async read(alarmId: number, componentId: number): Promise<void> {
    const { db, poller, now, emit, isStopping } = this.context;
    const fact = factsAt(db, componentId, now()).find((one) => one.name === "memory bytes");
    const memoryBytes = Number(fact?.value ?? 0);
    const write = (processes: Parameters<typeof writeSnapshot>[4], failure: string | null) => {
      if (!isStopping()) writeSnapshot(db, alarmId, now(), memoryBytes, processes, failure);
    };
    try {
      const processes = await poller.processesOf(componentId);
      write([...processes].sort((a, b) => b.memoryBytes - a.memoryBytes).slice(0, KEPT), null);
    } catch (error) {
      write([], `The process table could not be read: ${error instanceof Error ? error.message : error}`);
    }
    if (!isStopping()) emit({ topic: "alarms", atMs: now() });
  }
}
