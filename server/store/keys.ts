import { prepared, type Db } from "./database";

export interface KeyRow {
  key: string;
  pinned_by: string | null;
  pinned_at: number | null;
}

/** What a component is known by. */
export const keysOf = (db: Db, id: number): KeyRow[] =>
  prepared<KeyRow>(db, "SELECT key, pinned_by, pinned_at FROM component_key WHERE component_id = ? ORDER BY key").all(
    id,
  );

/** Gives keys to a component for ever; without a name, what a person said of them is taken back. */
export function pinKeys(db: Db, id: number, keys: readonly string[], by: string | null, atMs: number | null): void {
  const write = prepared(db, "UPDATE component_key SET component_id = ?, pinned_by = ?, pinned_at = ? WHERE key = ?");
  for (const key of keys) write.run(id, by, atMs, key);
}

export interface LikeRow {
  id: number;
  name: string;
  fact: string;
  value: string;
}

/** Other present hosts that say the same of what is told of one machine only: clones, or one thing found twice. */
export const hostsAlike = (db: Db, id: number): LikeRow[] =>
  prepared<LikeRow>(
    db,
    `SELECT o.id, o.name, f.name AS fact, f.value FROM fact f JOIN fact g ON g.name = f.name AND g.value = f.value
       AND g.component_id <> f.component_id AND g.valid_to IS NULL
     JOIN component o ON o.id = g.component_id AND o.valid_to IS NULL AND o.host_id IS NULL
     WHERE f.component_id = ? AND f.valid_to IS NULL AND f.name IN ('machine UUID', 'serial number', 'host name')
     ORDER BY o.name, f.name LIMIT 20`,
  ).all(id);

export interface MergedRow {
  id: number;
  name: string;
  keys: string;
  reason: string;
  at: number;
}

/** Components that turned out to be this one, the latest first. */
export const mergedInto = (db: Db, id: number): MergedRow[] =>
  prepared<MergedRow>(
    db,
    `SELECT j.component_id AS id, c.name, j.keys, j.reason, j.at FROM component_join j
     JOIN component c ON c.id = j.component_id WHERE j.into_id = ? AND j.split_at IS NULL ORDER BY j.at DESC`,
  ).all(id);
