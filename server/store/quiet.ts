import type { Subject } from "./alarms";
import { prepared, type Db } from "./database";

/** An alarm kept quiet by somebody, whatever its severity, until an instant. */
export interface Shelf {
  id: number;
  subject: Subject;
  alarmType: string;
  qualifier: string;
  reason: string;
  by: string;
  at: number;
  untilMs: number;
}

interface ShelfRow extends Omit<Shelf, "subject" | "alarmType" | "by" | "untilMs"> {
  subject_type: Subject["type"];
  subject_id: number;
  alarm_type: string;
  by_whom: string;
  until_at: number;
}

const toShelf = ({ subject_type, subject_id, alarm_type, by_whom, until_at, ...row }: ShelfRow): Shelf => ({
  ...row,
  subject: { type: subject_type, id: subject_id },
  alarmType: alarm_type,
  by: by_whom,
  untilMs: until_at,
});

/** What is shelved at an instant. */
export const shelvesAt = (db: Db, atMs: number): Shelf[] =>
  prepared<ShelfRow>(db, "SELECT * FROM shelf WHERE until_at > ? ORDER BY until_at").all(atMs).map(toShelf);

export function addShelf(db: Db, shelf: Omit<Shelf, "id">): number {
  return Number(
    prepared(
      db,
      `INSERT INTO shelf (subject_type, subject_id, alarm_type, qualifier, reason, by_whom, at, until_at)
       VALUES (?, ?, ?, ?, ?, ?, ?, ?)`,
    ).run(
      shelf.subject.type,
      shelf.subject.id,
      shelf.alarmType,
      shelf.qualifier,
      shelf.reason,
      shelf.by,
      shelf.at,
      shelf.untilMs,
    ).lastInsertRowid,
  );
}

export const endShelf = (db: Db, id: number, atMs: number): boolean =>
  prepared(db, "UPDATE shelf SET until_at = ? WHERE id = ? AND until_at > ?").run(atMs, id, atMs).changes > 0;

/** Keeps an alarm quiet until an instant, with the reason; null lets it be heard again. */
export function setQuiet(db: Db, alarmId: number, quiet: { reason: string; untilMs: number } | null): void {
  prepared(db, "UPDATE alarm SET quiet = ?, quiet_until = ? WHERE id = ?").run(
    quiet?.reason ?? null,
    quiet?.untilMs ?? null,
    alarmId,
  );
}

/** Alarms that stand and are kept quiet, with their ends. */
export const quietAlarms = (db: Db): { id: number; untilMs: number }[] =>
  prepared<{ id: number; untilMs: number }>(
    db,
    "SELECT id, quiet_until AS untilMs FROM alarm WHERE quiet_until IS NOT NULL AND cleared_at IS NULL",
  ).all();

export interface CommentRow {
  alarm_id: number;
  at: number;
  by_whom: string;
  text: string;
}

export function addComment(db: Db, alarmId: number, atMs: number, by: string, text: string): void {
  prepared(db, "INSERT INTO alarm_comment (alarm_id, at, by_whom, text) VALUES (?, ?, ?, ?)").run(
    alarmId,
    atMs,
    by,
    text,
  );
}

export const commentsOf = (db: Db, alarmIds: readonly number[]): CommentRow[] =>
  prepared<CommentRow>(
    db,
    "SELECT alarm_id, at, by_whom, text FROM alarm_comment WHERE alarm_id IN (SELECT value FROM json_each(?)) ORDER BY at",
  ).all(JSON.stringify(alarmIds));

/** How many alarms stand that are kept quiet for a reason. */
export const quietBecause = (db: Db, reason: string): number =>
  prepared<{ count: number }>(
    db,
    "SELECT count(*) AS count FROM alarm WHERE quiet_until IS NOT NULL AND quiet = ? AND cleared_at IS NULL",
  ).get(reason)?.count ?? 0;
