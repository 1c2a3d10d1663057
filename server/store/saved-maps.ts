import { prepared, type Db } from "./database";

export interface SavedMap {
  id: number;
  name: string;
  query: string;
  madeBy: string;
  shared: boolean;
}

type Row = Omit<SavedMap, "shared"> & { shared: number };

const SELECT = "SELECT id, name, query, made_by AS madeBy, shared FROM saved_map";
const toMap = (row: Row): SavedMap => ({ ...row, shared: row.shared === 1 });

/** Maps that somebody made, and those that others share. */
export const savedMaps = (db: Db, who: string): SavedMap[] =>
  prepared<Row>(db, `${SELECT} WHERE made_by = ? OR shared = 1 ORDER BY name, id`).all(who).map(toMap);

export const savedMap = (db: Db, id: number): SavedMap | undefined => {
  const row = prepared<Row>(db, `${SELECT} WHERE id = ?`).get(id);
  return row && toMap(row);
};

export const countSavedMaps = (db: Db, who: string): number =>
  prepared<{ n: number }>(db, "SELECT count(*) AS n FROM saved_map WHERE made_by = ?").get(who)?.n ?? 0;

/** Keeps a map; one of the same name by the same person is replaced. */
export function saveMap(db: Db, map: Omit<SavedMap, "id">, atMs: number): void {
  prepared(
    db,
    `INSERT INTO saved_map (name, query, made_by, shared, at) VALUES (?, ?, ?, ?, ?)
     ON CONFLICT (made_by, name) DO UPDATE SET query = excluded.query, shared = excluded.shared, at = excluded.at`,
  ).run(map.name, map.query, map.madeBy, map.shared ? 1 : 0, atMs);
}

export const removeMap = (db: Db, id: number): void => void prepared(db, "DELETE FROM saved_map WHERE id = ?").run(id);
