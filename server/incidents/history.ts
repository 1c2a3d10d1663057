import { HOUR_MS } from "#core/time/windows";
import type { Db } from "../store/database";
import { purgeAlarms, purgeFindings, purgeIncidents } from "../store/purge";

/** The history is looked through so often, clock time; what is too old goes a few at a tick. */
const EVERY_MS = HOUR_MS;
const AT_ONCE = 100;

/** Deletes alarms, findings and incidents that were over for longer than they are kept (RFC 8632: purge). */
export class History {
  private nextMs = Number.NEGATIVE_INFINITY;

  constructor(private readonly db: Db) {}

  /** Call inside a transaction, at each tick. @returns how many went */
  purge(atMs: number, keptMs: number): number {
    if (atMs < this.nextMs && this.nextMs - atMs <= EVERY_MS) return 0;
    const beforeMs = atMs - keptMs;
    // Incidents first: what belonged to one goes with it.
    const gone = [purgeIncidents, purgeAlarms, purgeFindings].map((purge) => purge(this.db, beforeMs, AT_ONCE));
    if (gone.every((count) => count < AT_ONCE)) this.nextMs = atMs + EVERY_MS;
    return gone.reduce((sum, count) => sum + count, 0);
  }
}
