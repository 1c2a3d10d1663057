import { prepared, type Db } from "./database";

export interface Endpoint {
  id: number;
  url: string;
  everySeconds: number;
  madeBy: string;
  madeAt: number;
}

export function endpoints(db: Db): Endpoint[] {
  return prepared<Endpoint>(
    db,
    `SELECT id, url, every_seconds AS everySeconds, made_by AS madeBy, made_at AS madeAt FROM scrape_target
     ORDER BY id`,
  ).all();
}

export function saveEndpoint(db: Db, url: string, everySeconds: number, by: string, atMs: number): void {
  prepared(
    db,
    `INSERT INTO scrape_target (url, every_seconds, made_by, made_at) VALUES (?, ?, ?, ?) ON CONFLICT (url) DO UPDATE
     SET every_seconds = excluded.every_seconds`,
  ).run(url, everySeconds, by, atMs);
}

export function removeEndpoint(db: Db, id: number): void {
  prepared(db, "DELETE FROM scrape_target WHERE id = ?").run(id);
}

/** Marks an event as taken in; false when it was before. */
export function firstSight(db: Db, source: string, id: string, atMs: number): boolean {
  return (
    prepared(db, "INSERT INTO event_seen (source, id, at) VALUES (?, ?, ?) ON CONFLICT DO NOTHING").run(
      source,
      id,
      atMs,
    ).changes > 0
  );
}
