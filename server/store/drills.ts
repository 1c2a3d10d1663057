import { prepared, type Db } from "./database";

/** A page that somebody looked at during an attempt. */
export interface TrailStep {
  atMs: number;
  path: string;
}

export interface Attempt {
  id: number;
  drill: string;
  title: string;
  byWhom: string;
  isBlind: boolean;
  startedAt: number;
  noticedAt: number | null;
  namedAt: number | null;
  revealedAt: number | null;
  endedAt: number | null;
  endedHow: "repaired" | "ended" | null;
  tries: number;
  roots: number[];
  trail: TrailStep[];
}

type Stored = Omit<Attempt, "isBlind" | "roots" | "trail"> & { isBlind: number; roots: string; trail: string };

const ATTEMPT = `SELECT id, drill, title, by_whom AS byWhom, is_blind AS isBlind, started_at AS startedAt, noticed_at AS noticedAt, named_at AS namedAt,
  revealed_at AS revealedAt, ended_at AS endedAt, ended_how AS endedHow, tries, roots, trail FROM drill_attempt`;

const read = (row: Stored): Attempt => ({
  ...row,
  isBlind: row.isBlind === 1,
  roots: JSON.parse(row.roots) as number[],
  trail: JSON.parse(row.trail) as TrailStep[],
});

/** The latest attempts, newest first. */
export const attempts = (db: Db, most = 100): Attempt[] =>
  prepared<Stored>(db, `${ATTEMPT} ORDER BY started_at DESC, id DESC LIMIT ?`).all(most).map(read);

export function attemptById(db: Db, id: number): Attempt | undefined {
  const row = prepared<Stored>(db, `${ATTEMPT} WHERE id = ?`).get(id);
  return row && read(row);
}

/** Attempts whose drill was not over when it was last looked at. */
export const openAttempts = (db: Db): Attempt[] =>
  prepared<Stored>(db, `${ATTEMPT} WHERE ended_at IS NULL ORDER BY id`).all().map(read);

/** The blind attempt of a person whose cause is not known yet, be its drill over or not. */
export function blindAttemptOf(db: Db, person: string): Attempt | undefined {
  const row = prepared<Stored>(
    db,
    `${ATTEMPT} WHERE by_whom = ? AND is_blind = 1 AND revealed_at IS NULL ORDER BY id DESC LIMIT 1`,
  ).get(person);
  return row && read(row);
}

export function insertAttempt(
  db: Db,
  attempt: Pick<Attempt, "drill" | "title" | "byWhom" | "isBlind" | "startedAt">,
): number {
  return Number(
    prepared(
      db,
      "INSERT INTO drill_attempt (drill, title, by_whom, is_blind, started_at, revealed_at) VALUES (?, ?, ?, ?, ?, ?)",
    ).run(
      attempt.drill,
      attempt.title,
      attempt.byWhom,
      Number(attempt.isBlind),
      attempt.startedAt,
      attempt.isBlind ? null : attempt.startedAt,
    ).lastInsertRowid,
  );
}

export function updateAttempt(db: Db, one: Attempt): void {
  prepared(
    db,
    `UPDATE drill_attempt SET noticed_at = ?, named_at = ?, revealed_at = ?, ended_at = ?, ended_how = ?, tries = ?, roots = ?, trail = ? WHERE id = ?`,
  ).run(
    one.noticedAt,
    one.namedAt,
    one.revealedAt,
    one.endedAt,
    one.endedHow,
    one.tries,
    JSON.stringify(one.roots),
    JSON.stringify(one.trail),
    one.id,
  );
}
