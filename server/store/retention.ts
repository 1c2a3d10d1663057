import { DAY_MS } from "#core/time/windows";
import { readMeta, writeMeta, type Db } from "./database";

/** How long signals and history are kept, milliseconds. */
export interface Retention {
  /** Samples as they were measured. */
  rawMs: number;
  fiveMinutesMs: number;
  hourMs: number;
  dayMs: number;
  logsMs: number;
  spansMs: number;
  /** Alarms, findings and incidents, after they are over. */
  historyMs: number;
}

export const USUAL_RETENTION: Retention = {
  rawMs: 30 * DAY_MS,
  fiveMinutesMs: 180 * DAY_MS,
  hourMs: 3 * 365 * DAY_MS,
  dayMs: 15 * 365 * DAY_MS,
  logsMs: 30 * DAY_MS,
  spansMs: 14 * DAY_MS,
  historyMs: 2 * 365 * DAY_MS,
};

export function readRetention(db: Db): Retention {
  const kept = readMeta(db, "retention");
  return kept ? { ...USUAL_RETENTION, ...(JSON.parse(kept) as Partial<Retention>) } : USUAL_RETENTION;
}

export function saveRetention(db: Db, retention: Retention): void {
  writeMeta(db, "retention", JSON.stringify(retention));
}
