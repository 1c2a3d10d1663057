import { beforeEach, describe, expect, it } from "vitest";
import type { HostTables } from "#core/estate/parts";
import type { SystemSighting } from "#core/estate/sighting";
import { useStore } from "../../tests/store";
import type { Db } from "../store/database";
import { insertComponent, writeInventory, type NewComponent } from "../store/estate";
import { currentRelations } from "../store/relations";
import { Talks } from "./talks";

let db: Db;
let talks: Talks;
useStore((made) => (db = made));
beforeEach(() => {
  db.exec(
    "DELETE FROM relation; DELETE FROM inventory; DELETE FROM component_key; DELETE FROM component WHERE host_id IS NOT NULL; DELETE FROM component",
  );
  talks = new Talks(db);
});
const add = (name: string, changes: Partial<NewComponent>) =>
  insertComponent(
    db,
    {
      kind: "host.linux",
      name,
      site: "S",
      sourceId: null,
      hostId: null,
      address: null,
      reason: "",
      keys: [`name:${name}`],
      facts: {},
      ...changes,
    },
    1,
  );
const process = (pid: number, name: string) => ({ pid, name, path: "", parameters: "" });
const caller = (pid: number, to: string): HostTables => ({
  software: [process(7, "front")],
  listeners: [],
  connections: [{ localAddress: "10.0.0.1", localPort: 40_000, remoteAddress: to, remotePort: 5432, pid }],
});
const callee: HostTables = {
  software: [process(9, "store")],
  listeners: [{ address: "", port: 5432, pid: 9 }],
  connections: [],
};
const known = () => currentRelations(db).map((one) => [one.from_id, one.to_id, one.detail, one.seen_times]);

describe("who talks between sweeps", () => {
  it("counts the connections of each process as they were shown last", () => {
    const front = add("front", { address: "10.0.0.1" });
    talks.reload([{ id: front, address: "10.0.0.1" }]);
    expect(talks.connectionsOf(front)).toBeUndefined();
    talks.note(front, caller(7, "10.0.0.2"));
    expect(talks.connectionsOf(front)).toEqual(new Map([[7, 1]]));
  });
  it("is met by polls, counted, and known by an address that the host only shows", () => {
    const web = add("web", { address: "10.0.0.1" });
    const data = add("db", { address: "10.0.0.2" });
    const front = add("front @ web", { hostId: web, process: "front", keys: [] });
    const store = add("store @ db", { hostId: data, process: "store", keys: [] });
    writeInventory(db, data, { addresses: ["10.9.9.9"] } as unknown as SystemSighting, 1);
    talks.reload([
      { id: web, address: "10.0.0.1" },
      { id: data, address: "10.0.0.2" },
    ]);
    talks.note(data, callee);
    talks.note(web, caller(7, "10.9.9.9"));
    expect(talks.write(2)).toBe(1);
    expect(known()).toEqual([[front, store, "tcp/5432", 1]]);
    talks.note(web, caller(7, "10.9.9.9"));
    expect(talks.write(3)).toBe(0);
    expect(known()).toEqual([[front, store, "tcp/5432", 2]]);
    // Nothing new was seen, so nothing is written.
    expect(talks.write(4)).toBe(0);
    expect(known()[0]?.[3]).toBe(2);
  });
  it("begins at the host while nobody knows whose it is, and not beside the process that is known", () => {
    const web = add("web", { address: "10.0.0.1" });
    const data = add("db", { address: "10.0.0.2" });
    const store = add("store @ db", { hostId: data, process: "store", keys: [] });
    talks.reload([
      { id: web, address: "10.0.0.1" },
      { id: data, address: "10.0.0.2" },
    ]);
    talks.note(data, callee);
    talks.note(web, caller(0, "10.0.0.2"));
    talks.write(2);
    expect(known()).toEqual([[web, store, "tcp/5432", 1]]);
    db.exec("DELETE FROM relation");
    const front = add("front @ web", { hostId: web, process: "front", keys: [] });
    talks.note(web, caller(7, "10.0.0.2"));
    talks.write(3);
    talks.note(web, caller(0, "10.0.0.2"));
    talks.write(4);
    expect(known()).toEqual([[front, store, "tcp/5432", 1]]);
  });
});
