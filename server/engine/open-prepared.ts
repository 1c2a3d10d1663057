import { rmSync } from "node:fs";
import { migrate, openStore, readMeta, type Db } from "../store/database";

/**
 * Opens the store. One whose first start was cut off holds nothing but part of a past that can be lived through again,
 * since nothing is taken in before it is ready: it is begun anew.
 * @param migrations the folder of migrations
 */
export function openPrepared(file: string, migrations: string): Db {
  const open = () => {
    const db = openStore(file, "writer");
    migrate(db, migrations);
    return db;
  };
  const db = open();
  if (readMeta(db, "prepared") || !readMeta(db, "preparing")) return db;
  db.close();
  for (const end of ["", "-wal", "-shm"]) rmSync(`${file}${end}`, { force: true });
  return open();
}
