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
