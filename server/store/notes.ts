import { prepared, type Db } from "./database";

/** What people here know of a sort of alarm, for those who meet it next: like the notes of a kit. */
export interface NoteRow {
  id: number;
  metric: string;
  title: string;
  text: string;
  incident_id: number | null;
  /** Title of the kit's note in whose place it stands; empty for one that stands beside them. */
  replaces: string;
  by_whom: string;
  at: number;
}
const NOTE = "SELECT id, metric, title, text, incident_id, replaces, by_whom, at FROM own_note";

export const notesOfMetric = (db: Db, metric: string): NoteRow[] =>
  prepared<NoteRow>(db, `${NOTE} WHERE metric = ? ORDER BY at DESC, id DESC LIMIT 20`).all(metric);

export const allNotes = (db: Db): NoteRow[] => prepared<NoteRow>(db, `${NOTE} ORDER BY metric, at, id`).all();

export const noteById = (db: Db, id: number): NoteRow | undefined =>
  prepared<NoteRow>(db, `${NOTE} WHERE id = ?`).get(id);

export const addNote = (db: Db, note: Omit<NoteRow, "id">): number =>
  Number(
    prepared(
      db,
      "INSERT INTO own_note (metric, title, text, incident_id, replaces, by_whom, at) VALUES (?, ?, ?, ?, ?, ?, ?)",
    ).run(note.metric, note.title, note.text, note.incident_id, note.replaces, note.by_whom, note.at).lastInsertRowid,
  );

export const removeNote = (db: Db, id: number): void => void prepared(db, "DELETE FROM own_note WHERE id = ?").run(id);
