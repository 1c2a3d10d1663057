import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import Database from "better-sqlite3";
import { metricTitle } from "#core/catalogue/metrics";
import { nativeParts } from "#core/platforms/native";
import { addressSortKey } from "#core/estate/ranges";

export type Db = Database.Database;

/** Something a person can put right; its message is a sentence for them. */
export class PersonError extends Error {
  override name = "PersonError";

  /** @param fields sentences for the fields of a form that are wrong */
  constructor(
    message: string,
    readonly fields?: Readonly<Record<string, string>>,
  ) {
    super(message);
  }
}

/** Opens the store. The one writer makes and migrates it; readers wait for nothing and cannot write. */
export function openStore(file: string, mode: "writer" | "reader"): Db {
  const db = new Database(file, { readonly: mode === "reader", timeout: 5000 });
  if (mode === "writer") {
    db.pragma("journal_mode = WAL");
    // What was answered must survive a loss of power: the log is forced to the disk with every commit.
    db.pragma("synchronous = FULL");
    db.pragma("wal_autocheckpoint = 4000");
  }
  db.pragma("foreign_keys = ON");
  db.pragma("cache_size = -16000");
  db.pragma("temp_store = MEMORY");
  db.function("metric_name", { deterministic: true }, (metric, instance) =>
    metricTitle(String(metric), String(instance)).toLowerCase(),
  );
  db.function("address_number", { deterministic: true }, (text) => addressSortKey(String(text ?? "")));
  db.function("native_account", { deterministic: true }, (key) => nativeParts(String(key))?.account ?? null);
  db.function("native_id", { deterministic: true }, (key) => nativeParts(String(key))?.id ?? null);
  return db;
}

/**
 * Applies the numbered migrations that the store does not have yet, each in a transaction of its own.
 * A store made by a later version is refused.
 */
export function migrate(db: Db, folder: string): void {
  const files = readdirSync(folder)
    .filter((name) => /^\d{4}_.+\.sql$/.test(name))
    .sort();
  const done = db.pragma("user_version", { simple: true }) as number;
  if (done > files.length)
    throw new PersonError(
      "The store was made by a later version of Holotaxis. Start that version, or begin anew with --fresh.",
    );
  if (done === files.length) return;
  // A table that is made anew would take what refers to it along; references are checked as a whole instead.
  db.pragma("foreign_keys = OFF");
  try {
    files.slice(done).forEach((name, index) => {
      const sql = readFileSync(join(folder, name), "utf8");
      db.transaction(() => {
        db.exec(sql);
        const broken = db.pragma("foreign_key_check") as { table: string }[];
        if (broken.length)
          throw new Error(
            `Migration ${name} would leave ${broken.length} rows of ${broken[0]?.table} without what they refer to.`,
          );
        db.pragma(`user_version = ${done + index + 1}`);
      })();
    });
  } finally {
    db.pragma("foreign_keys = ON");
  }
}

const statements = new WeakMap<Db, Map<string, Database.Statement<unknown[], unknown>>>();

/** The prepared statement of a text, prepared once for each connection. */
export function prepared<Row = unknown>(db: Db, sql: string): Database.Statement<unknown[], Row> {
  let own = statements.get(db);
  if (!own) statements.set(db, (own = new Map()));
  let statement = own.get(sql);
  if (!statement) own.set(sql, (statement = db.prepare(sql)));
  return statement as Database.Statement<unknown[], Row>;
}

/** For work that nobody waits for and that begins anew when it is cut off: commits do not force the disk meanwhile. */
export async function unforced<T>(db: Db, work: () => Promise<T>): Promise<T> {
  db.pragma("synchronous = NORMAL");
  try {
    return await work();
  } finally {
    // What broke off in a transaction must be told of, not that the safety level cannot be set inside one.
    if (db.inTransaction) db.exec("ROLLBACK");
    db.pragma("synchronous = FULL");
    db.pragma("wal_checkpoint(TRUNCATE)");
  }
}

/** A sentence for trouble that comes from the disk or the store, or undefined for other errors. */
export function storeProblem(error: unknown): string | undefined {
  // What a time-out carries as its code is a number.
  const given = (error as { code?: unknown } | undefined)?.code;
  const code = typeof given === "string" ? given : "";
  if (code === "SQLITE_FULL" || code === "ENOSPC")
    return "The disk is full, so nothing new can be kept. Free some space; Holotaxis goes on by itself.";
  if (code.startsWith("SQLITE_READONLY") || code === "EROFS")
    return "The store cannot be written to. Check the rights of the data folder.";
  if (code.startsWith("SQLITE_IOERR"))
    return "The disk answered with an error. Check it; what was kept before is safe.";
  if (code.startsWith("SQLITE_BUSY") || code.startsWith("SQLITE_LOCKED"))
    return "Another program has locked the store, so nothing new can be kept. Close it; Holotaxis goes on by itself.";
  if (code === "SQLITE_CORRUPT" || code === "SQLITE_NOTADB")
    return "The store file is damaged. Put a copy of it back, or begin anew with --fresh.";
  return undefined;
}

export function readMeta(db: Db, key: string): string | undefined {
  return prepared<{ value: string }>(db, "SELECT value FROM meta WHERE key = ?").get(key)?.value;
}

export function writeMeta(db: Db, key: string, value: string): void {
  prepared(
    db,
    "INSERT INTO meta (key, value) VALUES (?, ?) ON CONFLICT (key) DO UPDATE SET value = excluded.value",
  ).run(key, value);
}

export function deleteMeta(db: Db, key: string): void {
  prepared(db, "DELETE FROM meta WHERE key = ?").run(key);
}
