import { beforeEach, describe, expect, it } from "vitest";
import { useStore } from "../../tests/store";
import type { Principal } from "../people/principal";
import type { Db } from "../store/database";
import { insertComponent } from "../store/estate";
import { groupEstate, listEstate } from "../store/estate-list";
import { writeFact } from "../store/facts";
import { applyCollections } from "../estate/collections";
import { collections, labelChoices, labelsAt, unwatched } from "../store/labels";
import { labelCommands } from "./labels";
import type { CommandPorts } from "./ports";

let db: Db;
let nowMs = 1000;
useStore((made) => (db = made));
const ports = () =>
  ({ db, now: () => nowMs, onCollections: () => applyCollections(db, nowMs) }) as unknown as CommandPorts;
const WHO = { name: "Edo" } as Principal;
const set = (ids: number[], name: string, value: string, on = true) =>
  labelCommands["label.set"].run(ports(), labelCommands["label.set"].input.parse({ ids, name, value, on }), WHO);

const ids: Record<string, number> = {};
beforeEach(() => {
  nowMs = 1000;
  db.exec(
    "DELETE FROM unwatched; DELETE FROM label; DELETE FROM collection; DELETE FROM component_key; DELETE FROM component WHERE host_id IS NOT NULL; DELETE FROM component",
  );
  for (const [name, host] of [
    ["web", undefined],
    ["db", undefined],
    ["nginx", "web"],
  ] as const)
    ids[name] = insertComponent(
      db,
      {
        kind: host ? "app.web" : "host.linux",
        name,
        site: "S",
        sourceId: null,
        hostId: host ? (ids[host] as number) : null,
        address: null,
        reason: "",
        keys: [],
        facts: {},
      },
      1,
    );
});
const id = (name: string) => ids[name] as number;
const fitting = (label: string, atMs = nowMs) =>
  listEstate(db, {
    atMs,
    search: "",
    kind: "",
    site: "",
    health: "",
    label,
    sort: "name",
    descending: false,
    page: 0,
    pageSize: 10,
  }).rows.map((row) => row.name);

describe("labels", () => {
  it("are put on many at once, and a part goes by its host's too", () => {
    expect(set([id("web"), id("db"), 99_999], "owner", "Landside desk")).toBe(2);
    expect(fitting("owner:Landside desk")).toEqual(["db", "nginx", "web"]);
    expect(labelChoices(db)).toEqual([{ name: "owner", value: "Landside desk", count: 2 }]);
  });
  it("have one owner and many tags, and what was before stays with its time", () => {
    set([id("web")], "owner", "A");
    set([id("web")], "tag", "quay");
    nowMs = 2000;
    set([id("web")], "owner", "B");
    set([id("web")], "tag", "crane");
    expect(labelsAt(db, id("web"), 2000).map((one) => one.value)).toEqual(["B", "crane", "quay"]);
    expect(fitting("owner:A", 1500)).toEqual(["nginx", "web"]);
    expect(fitting("owner:A")).toEqual([]);
    nowMs = 3000;
    set([id("web")], "tag", "crane", false);
    set([id("web")], "owner", "", false);
    expect(labelsAt(db, id("web"), 3000).map((one) => one.value)).toEqual(["quay"]);
    nowMs = 4000;
    set([id("web")], "owner", "B");
    expect(labelsAt(db, id("web"), 4000).map((one) => one.value)).toEqual(["B", "quay"]);
  });
  it("are refused with a sentence", () => {
    expect(() => set([id("web")], "owner", "")).toThrow("Say which owner.");
    expect(() => set([id("web")], "tag", "a:b")).toThrow("neither a comma nor a colon");
    expect(() => set([99_999], "tag", "a")).toThrow("None of these components");
    expect(labelCommands["label.set"].input.safeParse({ ids: [1], name: "x", value: "", on: true }).success).toBe(
      false,
    );
  });
});

describe("collections", () => {
  it("are kept by name, changed, and removed", () => {
    const save = (name: string, filter: string) => labelCommands["collection.save"].run(ports(), { name, filter }, WHO);
    save("Databases", "kind=db.*");
    save("Databases", "kind=db.relational");
    expect(collections(db)).toMatchObject([{ name: "Databases", filter: "kind=db.relational", madeBy: "Edo" }]);
    const remove = (one: number) => labelCommands["collection.remove"].run(ports(), { id: one }, WHO);
    expect(remove(collections(db)[0]?.id ?? 0)).toBe("Databases");
    expect(() => remove(1)).toThrow("not there any more");
  });
});

describe("what belonging to a collection does", () => {
  const save = (filter: string, name = "Webs") => labelCommands["collection.save"].run(ports(), { name, filter }, WHO);
  const effect = (given: object, on = true) => {
    const input = labelCommands["collection.effect"].input.parse({
      id: collections(db)[0]?.id,
      on,
      effect: given,
    });
    return labelCommands["collection.effect"].run(ports(), input, WHO);
  };
  const owner = (value: string) => ({ what: "label", name: "owner", value });
  const rename = (name: string, to: string) => {
    db.prepare("UPDATE component SET name = ? WHERE id = ?").run(to, id(name));
    nowMs += 1000;
    applyCollections(db, nowMs);
  };
  const ownersOf = (name: string) =>
    labelsAt(db, id(name), nowMs + 1).map((one) => `${one.name} ${one.value} by ${one.by_whom}`);

  it("holds for what joins later, and ends for what does not fit any more", () => {
    save("q=web");
    effect(owner("Landside"));
    effect({ what: "label", name: "tag", value: "public" });
    expect(ownersOf("web")).toEqual(["owner Landside by collection Webs", "tag public by collection Webs"]);
    expect(ownersOf("db")).toEqual([]);
    rename("db", "web-2");
    expect(ownersOf("db")).toEqual(["owner Landside by collection Webs", "tag public by collection Webs"]);
    rename("web", "mail");
    expect(ownersOf("web")).toEqual([]);
    effect(owner("Landside"), false);
    expect(ownersOf("db")).toEqual(["tag public by collection Webs"]);
    nowMs += 1000;
    labelCommands["collection.remove"].run(ports(), { id: collections(db)[0]?.id as number }, WHO);
    expect(ownersOf("db")).toEqual([]);
  });

  it("leaves what people said", () => {
    set([id("web")], "owner", "Night crew");
    save("q=web");
    effect(owner("Landside"));
    expect(ownersOf("web")).toEqual(["owner Night crew by Edo"]);
    effect(owner("Others"));
    expect(collections(db)[0]?.effects).toEqual([owner("Others")]);
  });

  it("ends watching, with what runs there, and begins it again", () => {
    save("q=web");
    const effectOf = (on: boolean) => {
      setOff(on);
      nowMs += 1000;
    };
    const setOff = (on: boolean) => effect({ what: "unwatched" }, on);
    effectOf(true);
    expect([...unwatched(db)]).toEqual([[id("web"), "collection Webs"]]);
    effectOf(false);
    expect(unwatched(db).size).toBe(0);
    db.prepare("UPDATE collection SET effects = ?").run(JSON.stringify([{ what: "unwatched" }]));
    expect(applyCollections(db, nowMs).sort()).toEqual([id("web"), id("nginx")].sort());
    expect(applyCollections(db, nowMs)).toEqual([]);
  });

  it("is not for what changes all the time, nor for what it would be of already", () => {
    save("q=web&health=unwell");
    expect(() => effect(owner("x"))).toThrow("goes by health");
    save("label=owner:x", "Webs");
    expect(() => effect(owner("x"))).toThrow("has this label already");
    expect(() => effect(owner("a,b"))).toThrow("neither a comma");
    effect(owner("y"));
    expect(() => save("health=well", "Webs")).toThrow("goes by health");
  });
});

describe("the estate in groups", () => {
  const all = { search: "", kind: "", site: "", health: "" };
  const groups = (by: string, changes: object = {}) =>
    groupEstate(db, { ...all, atMs: nowMs, ...changes }, by).map((one) => [one.value, one.count]);

  it("counts by what components are and say, hosts' labels for their parts", () => {
    set([id("web")], "owner", "Landside");
    set([id("web"), id("db")], "tag", "a");
    set([id("web")], "tag", "b");
    db.prepare("DELETE FROM fact").run();
    writeFact(db, id("nginx"), "version", "1.2", 1);
    nowMs += 1000;
    expect(groups("kind")).toEqual([
      ["host.linux", 2],
      ["app.web", 1],
    ]);
    expect(groups("owner")).toEqual([
      ["Landside", 2],
      [null, 1],
    ]);
    expect(groups("tag")).toEqual([
      ["a", 3],
      ["b", 2],
    ]);
    expect(groups("fact:version")).toEqual([
      ["1.2", 1],
      [null, 2],
    ]);
    expect(groups("owner", { kind: "app.web" })).toEqual([["Landside", 1]]);
    expect(groups("health")).toEqual([["cleared", 3]]);
    expect(groups("nonsense'; DROP TABLE component")).toEqual(groups("kind"));
  });

  it("shows facts in columns, and narrows by them", () => {
    writeFact(db, id("nginx"), "version", "1.2", 1);
    const list = (changes: object) =>
      listEstate(db, { ...all, atMs: nowMs, sort: "name", descending: false, page: 0, pageSize: 10, ...changes }).rows;
    expect(list({ facts: ["version"] }).map((row) => row.facts.version)).toEqual([undefined, "1.2", undefined]);
    expect(list({ fact: "version:1.2" }).map((row) => row.name)).toEqual(["nginx"]);
    expect(list({ fact: "version:1" })).toEqual([]);
  });
});
