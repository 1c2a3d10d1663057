import { cpSync, mkdirSync, mkdtempSync, readdirSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { migrate, openStore, prepared, type Db } from "./database";
import { incidentById } from "./incidents";
import { saveService } from "./services";

const ALL = join(process.cwd(), "server", "store", "migrations");
let folder: string;
let db: Db;
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), "holotaxis-"));
  db = openStore(join(folder, "store.db"), "writer");
});
afterEach(() => {
  db.close();
  rmSync(folder, { recursive: true, force: true });
});

/** Brings a store to where an earlier version of the program left it. */
function migrateUpTo(count: number): void {
  const some = join(folder, "migrations");
  mkdirSync(some);
  for (const name of readdirSync(ALL).sort().slice(0, count)) cpSync(join(ALL, name), join(some, name));
  migrate(db, some);
}

describe("a store of an earlier version", () => {
  it("is brought up to date step by step, with what it holds", () => {
    migrateUpTo(8);
    const service = saveService(db, { uid: "orders", name: "Orders", purpose: "", owner: "", entries: [] }, 0);
    const insert = prepared(
      db,
      "INSERT INTO incident (id, subject, service_id, title, severity, worst, opened_at) VALUES (?, ?, ?, ?, 'critical', 'critical', 5)",
    );
    insert.run(1, `service:${service}`, service, "Orders: memory runs out on a");
    insert.run(2, "component:3", null, "a: no answer on a");
    migrate(db, ALL);
    expect(incidentById(db, 1)).toMatchObject({
      service: "Orders",
      services: [{ id: service, name: "Orders" }],
      title: "Orders: memory runs out on a",
      opened_at: 5,
    });
    expect(incidentById(db, 2)).toMatchObject({ service: null, services: [] });
    expect(db.pragma("foreign_key_check")).toEqual([]);
    expect(db.pragma("integrity_check", { simple: true })).toBe("ok");
  });
  it("is left alone when it is up to date, and refused when it is of a later one", () => {
    migrate(db, ALL);
    const count = readdirSync(ALL).length;
    migrate(db, ALL);
    expect(db.pragma("user_version", { simple: true })).toBe(count);
    db.pragma(`user_version = ${count + 1}`);
    expect(() => migrate(db, ALL)).toThrow(/later version/);
  });
  it("has every table strict, so that no text ends up where a number is meant", () => {
    migrate(db, ALL);
    const loose = prepared<{ name: string }>(
      db,
      "SELECT name FROM pragma_table_list WHERE schema = 'main' AND type = 'table' AND strict = 0 AND name NOT LIKE 'sqlite%' AND name NOT LIKE 'log_text%'",
    ).all();
    expect(loose).toEqual([]);
  });
});
