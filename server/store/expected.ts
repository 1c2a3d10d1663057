import type { Subject } from "./alarms";
import { prepared, type Db } from "./database";

/** An oddity that somebody expects, up to an instant. */
export interface Expected {
  id: number;
  subject: Subject;
  metric: string;
  qualifier: string;
  reason: string;
  by: string;
  at: number;
  untilMs: number;
}

interface Row extends Omit<Expected, "subject" | "by" | "untilMs"> {
  subject_type: Subject["type"];
  subject_id: number;
  by_whom: string;
  until_at: number;
}

/** What is expected at an instant or later. */
export const expectedFrom = (db: Db, atMs: number): Expected[] =>
  prepared<Row>(db, "SELECT * FROM expected WHERE until_at > ? ORDER BY until_at")
    .all(atMs)
    .map(({ subject_type, subject_id, by_whom, until_at, ...row }) => ({
      ...row,
      subject: { type: subject_type, id: subject_id },
      by: by_whom,
      untilMs: until_at,
    }));

export function addExpected(db: Db, one: Omit<Expected, "id">): number {
  return Number(
    prepared(
      db,
      `INSERT INTO expected (subject_type, subject_id, metric, qualifier, reason, by_whom, at, until_at)
       VALUES (?, ?, ?, ?, ?, ?, ?, ?)`,
    ).run(one.subject.type, one.subject.id, one.metric, one.qualifier, one.reason, one.by, one.at, one.untilMs)
      .lastInsertRowid,
  );
}

/** Ends what is expected at an instant. */
export const endExpected = (db: Db, id: number, atMs: number): boolean =>
  prepared(db, "UPDATE expected SET until_at = ? WHERE id = ? AND until_at > ?").run(atMs, id, atMs).changes > 0;

/** One word for what is expected, to look it up by. */
export const expectedKey = (subject: Subject, metric: string, qualifier: string): string =>
  `${subject.type}:${subject.id}|${metric}|${qualifier}`;
