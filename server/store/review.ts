import { allKinds } from "#core/catalogue/kinds";
import { prepared, type Db } from "./database";

/** A host that nobody has looked at since it was found. */
export interface Unreviewed {
  id: number;
  name: string;
  kind: string;
  confidence: number;
  reason: string;
  site: string;
  address: string | null;
  source: string | null;
  foundAt: number;
  parts: number;
  labels: string | null;
}

/** Kinds of hosts; what platforms list besides needs nobody to look at it. */
const hostKinds = () => JSON.stringify(allKinds().flatMap(([kind, info]) => (info.isHost ? [kind] : [])));

const WAITING = `c.host_id IS NULL AND c.valid_to IS NULL AND c.kind IN (SELECT value FROM json_each(?))
  AND NOT EXISTS (SELECT 1 FROM reviewed r WHERE r.component_id = c.id)`;

/** Present hosts that wait to be looked at, the least certain first. */
export const unreviewed = (db: Db, most: number): Unreviewed[] =>
  prepared<Unreviewed>(
    db,
    `SELECT c.id, c.name, c.kind, c.kind_confidence AS confidence, c.reason, c.site, c.address, s.name AS source,
       c.valid_from AS foundAt,
       (SELECT count(*) FROM component part WHERE part.host_id = c.id AND part.valid_to IS NULL) AS parts,
       (SELECT group_concat(l.name || ': ' || l.value, ', ') FROM label l WHERE l.component_id = c.id AND l.valid_to IS NULL AND l.name <> 'note') AS labels
     FROM component c LEFT JOIN source s ON s.id = c.source_id WHERE ${WAITING}
     ORDER BY c.kind_confidence, c.valid_from DESC, c.name, c.id LIMIT ?`,
  ).all(hostKinds(), most);

export const unreviewedCount = (db: Db): number =>
  prepared<{ count: number }>(db, `SELECT count(*) AS count FROM component c WHERE ${WAITING}`).get(hostKinds())
    ?.count ?? 0;

/** Notes that somebody looked at hosts; returns how many of them had waited. */
export function markReviewed(db: Db, ids: readonly number[], by: string, atMs: number): number {
  const insert = prepared(
    db,
    `INSERT INTO reviewed (component_id, by_whom, at)
     SELECT id, ?, ? FROM component WHERE id = ? AND valid_to IS NULL AND host_id IS NULL ON CONFLICT DO NOTHING`,
  );
  return ids.reduce((sum, id) => sum + insert.run(by, atMs, id).changes, 0);
}
