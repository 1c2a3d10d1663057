import { prepared, type Db } from "./database";

export interface SavedQuery {
  id: number;
  name: string;
  sql: string;
  madeBy: string;
  madeAt: number;
}

export function savedQueries(db: Db): SavedQuery[] {
  return prepared<SavedQuery>(
    db,
    "SELECT id, name, sql, made_by AS madeBy, made_at AS madeAt FROM saved_query ORDER BY name",
  ).all();
}

export function saveQuery(db: Db, name: string, sql: string, by: string, atMs: number): void {
  prepared(
    db,
    `INSERT INTO saved_query (name, sql, made_by, made_at) VALUES (?, ?, ?, ?) ON CONFLICT (name) DO UPDATE
     SET sql = excluded.sql, made_by = excluded.made_by, made_at = excluded.made_at`,
  ).run(name, sql, by, atMs);
}

export function removeQuery(db: Db, id: number): void {
  prepared(db, "DELETE FROM saved_query WHERE id = ?").run(id);
}
