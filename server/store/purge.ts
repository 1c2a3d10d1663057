import { prepared, type Db } from "./database";

/** Deletes incidents that were resolved before an instant, the oldest first, and what is on record of them. @returns how many */
export const purgeIncidents = (db: Db, beforeMs: number, most: number): number =>
  prepared(
    db,
    "DELETE FROM incident WHERE id IN (SELECT id FROM incident WHERE resolved_at < ? ORDER BY id LIMIT ?)",
  ).run(beforeMs, most).changes;

/** Deletes alarms that cleared before an instant, but for those of incidents that are kept. @returns how many */
export const purgeAlarms = (db: Db, beforeMs: number, most: number): number =>
  prepared(
    db,
    `DELETE FROM alarm WHERE id IN (SELECT id FROM alarm WHERE cleared_at < ?
       AND NOT EXISTS (SELECT 1 FROM incident_alarm WHERE alarm_id = alarm.id) ORDER BY id LIMIT ?)`,
  ).run(beforeMs, most).changes;

/** Deletes findings that ended before an instant. @returns how many */
export const purgeFindings = (db: Db, beforeMs: number, most: number): number =>
  prepared(
    db,
    "DELETE FROM odd_finding WHERE id IN (SELECT id FROM odd_finding WHERE ended_at < ? ORDER BY id LIMIT ?)",
  ).run(beforeMs, most).changes;
