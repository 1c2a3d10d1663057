import { cpSync, mkdirSync, mkdtempSync, readdirSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { migrate, openStore, prepared, type Db } from "./database";
import { componentById } from "./estate";
import { incidentById } from "./incidents";
import { credentialsOfSource, sealedOf } from "./credentials";
import { listSources } from "./sources";

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
    const service = Number(
      prepared(
        db,
        "INSERT INTO service (uid, name, purpose, owner, entries, valid_from) VALUES ('orders', 'Orders', '', '', '[]', 0)",
      ).run().lastInsertRowid,
    );
    const insert = prepared(
      db,
      `INSERT INTO incident (id, subject, service_id, title, severity, worst, opened_at)
       VALUES (?, ?, ?, ?, 'critical', 'critical', 5)`,
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
  it("keeps its sources with their credentials, and what its components are goes into columns", () => {
    migrateUpTo(12);
    const run = (sql: string, ...values: (string | number | null)[]) => prepared(db, sql).run(...values);
    run(
      `INSERT INTO source (id, name, site, ranges, ports, snmp_port, community_sealed, poll_seconds, created_at)
       VALUES (3, 'North', 'N', '10.0.0.1-9', '22', 1161, 'sealed', 15, 1)`,
    );
    const component = (id: number, kind: string, name: string, hostId: number | null) =>
      run(
        `INSERT INTO component (id, kind, name, site, source_id, host_id, reason, last_seen_at, valid_from)
         VALUES (?, ?, ?, 'N', 3, ?, '', 1, 1)`,
        id,
        kind,
        name,
        hostId,
      );
    const fact = (id: number, name: string, value: string) =>
      run("INSERT INTO fact (component_id, name, value, valid_from) VALUES (?, ?, ?, 1)", id, name, value);
    component(1, "host.linux", "a", null);
    fact(1, "object id", "1.3.6.1");
    component(2, "app.process", "web @ a", 1);
    fact(2, "process", "web");
    component(3, "app.container", "slots @ a", 1);
    run("INSERT INTO component_key (key, component_id) VALUES ('container:0f0f', 3)");
    component(4, "host.linux", "b", null);
    fact(4, "agent", "version 1");
    component(5, "app.endpoint", "nginx @ c", 1);
    migrate(db, ALL);
    expect(listSources(db)).toEqual([
      {
        id: 3,
        kind: "range",
        name: "North",
        site: "N",
        credential_id: 3,
        pollSeconds: 15,
        sweeps: { every: "", quiet: "" },
        createdAt: 1,
        settings: { ranges: "10.0.0.1-9", ports: "22", snmpPort: 1161 },
      },
    ]);
    expect(sealedOf(db, 3)).toBe("sealed");
    expect(credentialsOfSource(db, 3)).toMatchObject([
      { id: 3, kind: "snmp-community", destinations: "10.0.0.1-9", isOwn: true },
    ]);
    const is = (id: number) => {
      const row = componentById(db, id);
      return [row?.read_by, row?.depth, row?.process, row?.container, row?.label];
    };
    expect([1, 2, 3, 4, 5].map(is)).toEqual([
      ["snmp", 2, null, null, null],
      ["snmp", 2, "web", null, "web"],
      ["agent", 1, null, "0f0f", "slots"],
      ["agent", 1, null, null, null],
      ["", 0, null, null, "nginx"],
    ]);
    expect(db.pragma("foreign_key_check")).toEqual([]);
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
      `SELECT name FROM pragma_table_list WHERE schema = 'main' AND type = 'table' AND strict = 0
       AND name NOT LIKE 'sqlite%' AND name NOT LIKE 'log_text%'`,
    ).all();
    expect(loose).toEqual([]);
  });
});
