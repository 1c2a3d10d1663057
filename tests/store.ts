import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll } from "vitest";
import { migrate, openStore, type Db } from "#server/store/database";

/** An empty store for all tests of a file, handed over before the first and removed after the last. */
export function useStore(take: (db: Db) => void): void {
  let folder: string;
  let db: Db;
  beforeAll(() => {
    folder = mkdtempSync(join(tmpdir(), "holotaxis-"));
    db = openStore(join(folder, "store.db"), "writer");
    migrate(db, join(process.cwd(), "server", "store", "migrations"));
    take(db);
  });
  afterAll(() => {
    db.close();
    rmSync(folder, { recursive: true, force: true });
  });
}

/** Takes everything that belongs to components, and the sources, out of a store. */
export function emptyEstate(db: Db): void {
  db.pragma("foreign_keys = OFF");
  const tables = db
    .prepare(
      `SELECT m.name FROM sqlite_master m WHERE m.type = 'table' AND m.sql NOT LIKE 'CREATE VIRTUAL%' AND (m.name IN ('component', 'source')
         OR EXISTS (SELECT 1 FROM pragma_table_info(m.name) c WHERE c.name IN ('component_id', 'series_id', 'source_id', 'from_id', 'into_id')))`,
    )
    .pluck()
    .all() as string[];
  for (const name of tables) db.exec(`DELETE FROM "${name}"`);
  db.pragma("foreign_keys = ON");
}
