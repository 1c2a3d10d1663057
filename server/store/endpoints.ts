import { prepared, type Db } from "./database";

export interface Endpoint {
  id: number;
  url: string;
  everySeconds: number;
  credentialId: number | null;
  authority: string;
  madeBy: string;
  madeAt: number;
}

export function endpoints(db: Db): Endpoint[] {
  return prepared<Endpoint>(
    db,
    `SELECT id, url, every_seconds AS everySeconds, credential_id AS credentialId, authority, made_by AS madeBy,
       made_at AS madeAt FROM scrape_target
     ORDER BY id`,
  ).all();
}

export interface EndpointFields {
  url: string;
  everySeconds: number;
  credentialId?: number | null | undefined;
  /** Certificates (PEM) of a private authority; empty for none. */
  authority?: string | undefined;
}

export function saveEndpoint(db: Db, given: EndpointFields, by: string, atMs: number): void {
  prepared(
    db,
    `INSERT INTO scrape_target (url, every_seconds, credential_id, authority, made_by, made_at) VALUES (?, ?, ?, ?, ?, ?)
     ON CONFLICT (url) DO UPDATE SET every_seconds = excluded.every_seconds, credential_id = excluded.credential_id,
       authority = excluded.authority`,
  ).run(given.url, given.everySeconds, given.credentialId ?? null, given.authority ?? "", by, atMs);
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
