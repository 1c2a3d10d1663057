import { prepared, type Db } from "./database";

/** Notes that a source saw a component. */
export function noteSighting(
  db: Db,
  sighting: { componentId: number; sourceId: number; depth: number; reader: string },
  atMs: number,
): void {
  prepared(
    db,
    `INSERT INTO sighting (component_id, source_id, first_at, last_at, depth, reader) VALUES (?, ?, ?, ?, ?, ?)
     ON CONFLICT DO UPDATE SET last_at = excluded.last_at, depth = excluded.depth, reader = excluded.reader`,
  ).run(sighting.componentId, sighting.sourceId, atMs, atMs, sighting.depth, sighting.reader);
}

export interface SightingRow {
  component_id: number;
  source_id: number;
  source: string;
  first_at: number;
  last_at: number;
  depth: number;
  reader: string;
}

const SIGHTING = `SELECT g.component_id, g.source_id, s.name AS source, g.first_at, g.last_at, g.depth, g.reader
  FROM sighting g JOIN source s ON s.id = g.source_id`;

/** Which sources saw a component, the one that looked deepest first. */
export const sightingsOf = (db: Db, componentId: number): SightingRow[] =>
  prepared<SightingRow>(db, `${SIGHTING} WHERE g.component_id = ? ORDER BY g.depth DESC, g.last_at DESC`).all(
    componentId,
  );

/** Sightings of hosts that are present. */
export const sightingsOfHosts = (db: Db): SightingRow[] =>
  prepared<SightingRow>(
    db,
    `${SIGHTING} JOIN component c ON c.id = g.component_id WHERE c.valid_to IS NULL AND c.host_id IS NULL`,
  ).all();
