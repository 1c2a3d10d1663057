import { beforeEach, describe, expect, it, vi } from "vitest";
import { useStore } from "../../tests/store";
import { readGraph, refreshServices } from "../estate/services";
import { serviceFormPage } from "../pages/service-form";
import { changesIn } from "../store/changes";
import { PersonError, type Db } from "../store/database";
import { insertComponent } from "../store/estate";
import { insertRelation } from "../store/relations";
import { insertResource } from "../store/resources";
import { answeredFor } from "../store/objective-calls";
import { currentMembers, entriesByService, listServices, serviceOfUid } from "../store/services";
import { enteredAt, waysInAt } from "../store/ways-in";
import { serviceCommands } from "./services";
import type { CommandPorts } from "./ports";
import type { Principal } from "../people/principal";

const AT = 1_000_000;
let db: Db;
useStore((made) => (db = made));
const refresh = vi.fn(() => refreshServices(db, readGraph(db), AT));
const ports = () => ({ db, now: () => AT, onServices: refresh }) as unknown as CommandPorts;
const WHO = { name: "Edo" } as Principal;
const save = (given: Record<string, unknown>) => {
  const command = serviceCommands["service.save"];
  const input = command.input.parse({ name: "Orders", owner: "Desk", entries: [], ...given });
  return command.run(ports(), input, WHO) as string;
};

const ids: Record<string, number> = {};
beforeEach(() => {
  db.exec(
    "DELETE FROM member; DELETE FROM service; DELETE FROM relation; DELETE FROM change; DELETE FROM component_key; DELETE FROM component",
  );
  const add = (name: string, kind: string, host?: string) => {
    ids[name] = insertComponent(
      db,
      {
        kind,
        name: host ? `${name} @ ${host}` : name,
        site: "S",
        sourceId: null,
        hostId: host ? (ids[host] as number) : null,
        address: null,
        label: host ? name : undefined,
        reason: "",
        keys: [],
        facts: {},
      },
      1,
    );
  };
  for (const host of ["web-01", "web-02", "db-01"]) add(host, "host.linux");
  add("front", "app.web", "web-01");
  add("store", "db.relational", "db-01");
  add("nightly", "app.process", "db-01");
  const first = ids.front as number;
  add("front", "app.web", "web-02");
  const talk = (fromId: number, toId: number) =>
    insertRelation(db, { type: "talks-to", fromId, toId, detail: "tcp/5432", connections: 1, seenBy: "both" }, 1);
  talk(first, ids.store as number);
  talk(ids.nightly as number, ids.store as number);
  ids.front = first;
});

describe("a service made by people", () => {
  it("is proposed whole from one entry point, its like included", () => {
    const page = serviceFormPage(db, { uid: null, from: [ids.front as number], atMs: AT });
    expect(page?.entries).toEqual([{ host: "web-*", process: "front", matches: 2, unmet: [] }]);
    expect(page?.members.map((one) => [one.name, one.taken, one.isReached])).toEqual([
      ["front @ web-01", true, true],
      ["front @ web-02", true, true],
      ["store @ db-01", true, true],
      ["nightly @ db-01", true, false],
    ]);
    expect(page?.sets).toEqual([{ label: "front", hosts: "web-*", count: 2 }]);
  });
  it("has what was ticked as members, and not what was left out", () => {
    const uid = save({
      entries: [{ host: "web-*", process: "front" }],
      pinned: [ids.nightly],
      excluded: [ids.store],
      serverLimitMs: "300",
      notes: "Call the desk.",
    });
    const service = serviceOfUid(db, uid);
    const members = currentMembers(db, service?.id as number);
    expect(members).toContain(ids.nightly);
    expect(members).toContain(ids.front);
    expect(members).not.toContain(ids.store);
    expect(service?.details).toMatchObject({ serverLimitMs: 300, notes: "Call the desk." });
    expect(changesIn(db, 0, AT + 1).map((one) => one.summary)).toContain("Service Orders was made");
  });
  it("may be asked for some things only at a front that is another's, and says which of them nobody asks", () => {
    const whole = save({ name: "Portal", entries: [{ host: "web-*", process: "front" }] });
    const uid = save({ entries: [{ host: "web-*", process: "front", operations: ["GET /orders", "GET /odrers"] }] });
    const front = insertResource(db, "{}", { componentId: ids.front as number, why: "" }, AT);
    const ask = (name: string) =>
      db.prepare("INSERT INTO operation (resource_id, name, kind) VALUES (?, ?, 2)").run(front, name);
    for (const name of ["GET /orders", "GET /"]) ask(name);
    expect(serviceFormPage(db, { uid, from: [], atMs: AT + 1 })?.entries).toMatchObject([{ unmet: ["GET /odrers"] }]);
    const [portal, orders] = [whole, uid].map((one) => serviceOfUid(db, one)?.id as number) as [number, number];
    const entered = (service: number) => {
      const components = entriesByService(db, AT + 1).get(service) ?? [];
      return answeredFor(db, enteredAt(waysInAt(db, AT + 1), service, components)).map((one) => one.name);
    };
    // What was a member already is an entry point from when it is made one, and none once it is not.
    const isEntry = () =>
      entriesByService(db, AT + 1)
        .get(orders)
        ?.has(ids.store as number) ?? false;
    save({ uid, entries: [{ host: "web-*", process: "front", operations: ["GET /orders"] }], pinned: [ids.store] });
    expect(isEntry()).toBe(false);
    save({ uid, entries: [{ host: "web-*", process: "front", operations: ["GET /orders"] }, { host: "db-01", process: "store" }] }); // prettier-ignore
    expect(isEntry()).toBe(true);
    save({ uid, entries: [{ host: "web-*", process: "front", operations: ["GET /orders"] }] });
    expect(isEntry()).toBe(false);
    expect(entered(orders)).toEqual(["GET /orders"]);
    expect(entered(portal)).toEqual(["GET /"]);
    // What leads on from there for it no trace tells yet; what was all of the other's stays so.
    expect(currentMembers(db, orders)).not.toContain(ids.store);
    expect(currentMembers(db, portal)).toContain(ids.store);
    const { members } = serviceFormPage(db, { uid, from: [], atMs: AT + 1 }) ?? {};
    expect(members?.map((one) => one.name)).toEqual(["front @ web-01", "front @ web-02"]);
  });
  it("keeps its address when it is renamed, and two of one name are refused", () => {
    const uid = save({ pinned: [ids.store] });
    expect(uid).toBe("orders");
    expect(save({ uid, name: "Bestellungen", pinned: [ids.store] })).toBe("orders");
    expect(() => save({ name: "bestellungen", pinned: [ids.store] })).toThrow(PersonError);
    expect(save({ name: "Orders", pinned: [ids.store] })).toBe("orders-2");
  });
  it("is held against the usual of its figure from below or from above, and asked again where that makes no sense", () => {
    const uid = save({ pinned: [ids.store] });
    const figure = { url: "http://127.0.0.1/m", metric: "rejected", label: "Rejected", unit: "1/h" };
    db.prepare("UPDATE service SET figure = ? WHERE uid = ?").run(JSON.stringify(figure), uid);
    const hold = (given: Record<string, unknown>) =>
      save({ uid, pinned: [ids.store], objectivePercent: "99", figurePercent: "80", ...given });
    const details = () => serviceOfUid(db, uid)?.details;
    hold({});
    expect(details()).toMatchObject({ figurePercent: 80 });
    expect(details()).not.toHaveProperty("figureSide");
    hold({ figurePercent: "150", figureAtMost: true });
    expect(details()).toMatchObject({ figurePercent: 150, figureSide: "most" });
    expect(() => hold({ figurePercent: "120" })).toThrow("Choose 100 % or less");
    expect(() => hold({ figureAtMost: true })).toThrow("Choose 100 % or more");
    // A list that says nothing of it leaves it as it is.
    const list = "name,owner,entries,objective percent\nOrders,Desk,front on web-*,98\n";
    const command = serviceCommands["service.import"];
    command.run(ports(), command.input.parse({ list }), WHO);
    expect(details()).toMatchObject({ objectivePercent: 98, figurePercent: 150, figureSide: "most" });
  });
  it("needs something to be made of", () => expect(() => save({})).toThrow("at least one member"));
  it("is retired with its members, and its address is not given to another", () => {
    const uid = save({ pinned: [ids.store] });
    const id = serviceOfUid(db, uid)?.id as number;
    serviceCommands["service.retire"].run(ports(), { uid }, WHO);
    expect(listServices(db)).toEqual([]);
    expect(currentMembers(db, id)).toEqual([]);
    expect(() => serviceCommands["service.retire"].run(ports(), { uid }, WHO)).toThrow("does not exist");
    expect(save({ pinned: [ids.store] })).toBe("orders-2");
    expect(serviceFormPage(db, { uid, from: [], atMs: AT })).toBeNull();
  });
});

describe("a list of services", () => {
  const take = (list: string) => {
    const command = serviceCommands["service.import"];
    return command.run(ports(), command.input.parse({ list }), WHO);
  };
  const HEAD = "name,owner,entries,hours,server limit ms\n";
  it("makes what is new and changes what is there, keeping members by hand", () => {
    const member = Object.values(ids)[0] as number;
    save({ name: "Orders", entries: [], pinned: [member] });
    expect(take(`${HEAD}orders,Desk 2,web on *,Mo-Fr,400\nStock,Hall,db on h*,,\n`)).toEqual({ made: 1, changed: 1 });
    expect(serviceOfUid(db, "orders")).toMatchObject({
      owner: "Desk 2",
      entries: [{ host: "*", process: "web" }],
      details: { hours: "Mo-Fr", serverLimitMs: 400, pinned: [member] },
    });
    expect(serviceOfUid(db, "stock")?.owner).toBe("Hall");
    expect(refresh).toHaveBeenCalled();
  });
  it("is taken whole or not at all", () => {
    expect(() => take(`${HEAD}One,A,web on *,,\nTwo,B,web on *,,soon\n`)).toThrow(
      "Line 3: A limit is a whole number of milliseconds",
    );
    expect(() => take(`${HEAD}One,A,web on *,,\nTwo,,web on *,,\n`)).toThrow("Line 3: Say who owns it.");
    expect(listServices(db)).toEqual([]);
  });
});
