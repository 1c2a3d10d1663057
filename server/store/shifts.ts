import { prepared, type Db } from "./database";

/** A shift that was handed over: what was said, signed by who leaves and by who takes over. */
export interface HandOverRow {
  id: number;
  fromMs: number;
  toMs: number;
  remark: string;
  leftBy: string;
  leftAt: number;
  takenBy: string | null;
  takenAt: number | null;
}

const COLUMNS = `id, from_at AS fromMs, to_at AS toMs, remark, left_by AS leftBy, left_at AS leftAt, taken_by AS takenBy, taken_at AS takenAt`;

/** @param page how things stood, as it was shown */
export function signOver(
  db: Db,
  { fromMs, toMs, remark, leftBy }: Pick<HandOverRow, "fromMs" | "toMs" | "remark" | "leftBy">,
  page: unknown,
  atMs: number,
): number {
  return Number(
    prepared(
      db,
      "INSERT INTO shift_hand_over (from_at, to_at, remark, left_by, left_at, page) VALUES (?, ?, ?, ?, ?, ?)",
    ).run(fromMs, toMs, remark, leftBy, atMs, JSON.stringify(page)).lastInsertRowid,
  );
}

export function signTaken(db: Db, id: number, by: string, atMs: number): void {
  prepared(db, "UPDATE shift_hand_over SET taken_by = ?, taken_at = ? WHERE id = ?").run(by, atMs, id);
}

export const handOverById = (db: Db, id: number): HandOverRow | undefined =>
  prepared<HandOverRow>(db, `SELECT ${COLUMNS} FROM shift_hand_over WHERE id = ?`).get(id);

/** The latest ones up to an instant. */
export const handOversBefore = (db: Db, atMs: number, limit: number): HandOverRow[] =>
  prepared<HandOverRow>(db, `SELECT ${COLUMNS} FROM shift_hand_over WHERE left_at <= ? ORDER BY id DESC LIMIT ?`).all(
    atMs,
    limit,
  );

/** How things stood when a shift was signed over: what the page showed. */
export const signedPage = (db: Db, id: number): unknown => {
  const row = prepared<{ page: string }>(db, "SELECT page FROM shift_hand_over WHERE id = ?").get(id);
  return row && JSON.parse(row.page);
};
