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

/** Present components that a source looks after, each with the other source that sees deepest of it, if any. */
export const inheritorsOf = (
  db: Db,
  sourceId: number,
): { id: number; other: number | null; depth: number; reader: string }[] =>
  prepared<{ id: number; other: number | null; depth: number; reader: string }>(
    db,
    `SELECT c.id, g.source_id AS other, coalesce(g.depth, 0) AS depth, coalesce(g.reader, '') AS reader
     FROM component c LEFT JOIN sighting g ON g.component_id = c.id AND g.source_id = (
       SELECT o.source_id FROM sighting o WHERE o.component_id = c.id AND o.source_id <> ?
       ORDER BY o.depth DESC, o.last_at DESC LIMIT 1)
     WHERE c.source_id = ? AND c.valid_to IS NULL ORDER BY c.host_id IS NULL, c.id`,
  ).all(sourceId, sourceId);

/** Gives a component to another source, as deep as that one sees it. */
export function handOverTo(db: Db, id: number, to: { other: number; depth: number; reader: string }): void {
  prepared(db, "UPDATE component SET source_id = ?, depth = ?, read_by = ?, missed = 0 WHERE id = ?").run(
    to.other,
    to.depth,
    to.reader,
    id,
  );
}

/** Sightings of hosts that are present, those that looked deepest first. */
export const sightingsOfHosts = (db: Db): SightingRow[] =>
  prepared<SightingRow>(
    db,
    `${SIGHTING} JOIN component c ON c.id = g.component_id WHERE c.valid_to IS NULL AND c.host_id IS NULL ORDER BY g.depth DESC, g.source_id`,
  ).all();
