import { beforeEach, describe, expect, it } from "vitest";
import { RIGHTS } from "#core/people/rights";
import { HOUR_MS } from "#core/time/windows";
import { useStore } from "../../tests/store";
import { itself, type Principal } from "../people/principal";
import { changesIn } from "../store/changes";
import type { Db } from "../store/database";
import { insertComponent, retireComponent } from "../store/estate";
import {
  carryByHand,
  currentRelations,
  endRelation,
  insertRelation,
  relationById,
  relationsAt,
  relationsByHand,
  relationsOf,
  touchRelation,
} from "../store/relations";
import type { CommandPorts } from "./ports";
import { execute } from "./registry";

const AT = Date.parse("2026-03-17T10:00:00Z");
const ANNA: Principal = itself("Anna", "test", RIGHTS);
let db: Db;
let now = AT;
let told = 0;
useStore((made) => (db = made));
const ports = () => ({ db, now: () => now, onServices: () => told++ }) as unknown as CommandPorts;
beforeEach(() => {
  now = AT;
  told = 0;
  db.exec(
    `DROP TRIGGER IF EXISTS audit_kept; DELETE FROM audit; DELETE FROM change; DELETE FROM relation; DELETE FROM
     component_key; DELETE FROM component`,
  );
});

const add = (name: string) =>
  insertComponent(
    db,
    {
      kind: "host.linux",
      name,
      site: "",
      sourceId: null,
      hostId: null,
      address: null,
      reason: "",
      keys: [name],
      facts: {},
    },
    AT - HOUR_MS,
  );
const seen = (fromId: number, toId: number, atMs = AT - HOUR_MS, detail = "TCP 5432") =>
  insertRelation(db, { type: "talks-to", fromId, toId, detail, connections: 3, seenBy: "both" }, atMs);
const run = (name: "relation.add" | "relation.remove" | "relation.hide", input: unknown, who = ANNA) =>
  execute(ports(), who, name, input as never);

describe("a relation made by hand", () => {
  it("is there from then on, told as a change, and no look takes its maker away", async () => {
    const [web, store] = [add("web"), add("store")];
    const id = await run("relation.add", { from: web, to: store, type: "stored-on", detail: "nightly" });
    expect(currentRelations(db)).toMatchObject([
      { id, type: "stored-on", seen_by: "by hand: Anna", detail: "nightly" },
    ]);
    expect(relationsAt(db, AT - 1)).toEqual([]);
    expect(changesIn(db, 0, AT + 1, 10)[0]).toMatchObject({
      summary: "web is stored on store, as Anna says",
    });
    expect(told).toBe(1);
    touchRelation(db, Number(id), 5, "caller", AT + 1);
    expect(relationById(db, Number(id))).toMatchObject({ seen_by: "by hand: Anna", connections: 5 });
    now = AT + HOUR_MS;
    await run("relation.remove", { id });
    expect(currentRelations(db)).toEqual([]);
    expect(relationsAt(db, AT)).toHaveLength(1);
    await expect(run("relation.remove", { id })).rejects.toThrow("removed already");
  });
  it.each([
    ["with itself", (web: number) => ({ from: web, to: web, type: "talks-to", detail: "" }), "no relation with itself"],
    ["to nothing", (web: number) => ({ from: web, to: Number.NaN, type: "talks-to", detail: "" }), "Choose the other"],
    [
      "to what is gone",
      (web: number) => ({ from: web, to: 99_999, type: "talks-to", detail: "" }),
      "not there any more",
    ],
    ["of where it runs", (web: number) => ({ from: web, to: 1, type: "runs-on", detail: "" }), "can be made by hand"],
  ])("%s is refused", async (_what, input, words) => {
    await expect(run("relation.add", input(add("web")))).rejects.toThrow(words);
    expect(currentRelations(db)).toEqual([]);
  });
  it("that is known already is refused, and what is seen is not removed", async () => {
    const [web, store] = [add("web"), add("store")];
    const id = seen(web, store);
    await expect(run("relation.add", { from: web, to: store, type: "talks-to", detail: "" })).rejects.toThrow(
      "that is known already",
    );
    await expect(run("relation.remove", { id })).rejects.toThrow("Hide it instead");
  });
  it("takes the right to configure", async () => {
    const [web, store] = [add("web"), add("store")];
    const ben = itself("Ben", "test", ["read", "respond"]);
    await expect(run("relation.add", { from: web, to: store, type: "talks-to", detail: "" }, ben)).rejects.toThrow();
  });
});

describe("a hidden relation", () => {
  it("is not there any more, before it was; it stays hidden when it is seen anew, until it is shown again", async () => {
    const [web, store] = [add("web"), add("store")];
    const id = seen(web, store);
    await run("relation.hide", { id, on: true });
    expect(currentRelations(db)).toEqual([]);
    expect(relationsOf(db, [web], AT + 1)).toEqual([]);
    expect(relationsAt(db, AT - 1)).toHaveLength(1);
    endRelation(db, id, AT + 1);
    const again = seen(web, store, AT + HOUR_MS);
    const other = seen(store, web, AT + HOUR_MS);
    expect(relationsAt(db, AT + HOUR_MS).map((row) => row.id)).toEqual([other]);
    expect(relationsByHand(db, web)).toMatchObject([{ id: again, hidden_by: "Anna", hidden_at: AT }]);
    await run("relation.hide", { id: again, on: false });
    expect(relationsAt(db, AT + HOUR_MS).map((row) => row.id)).toEqual([again, other]);
  });
  it("is shown again where a person adds what was hidden", async () => {
    const [web, store] = [add("web"), add("store")];
    const id = seen(web, store);
    await run("relation.hide", { id, on: true });
    expect(await run("relation.add", { from: web, to: store, type: "talks-to", detail: "" })).toBe(id);
    expect(currentRelations(db)).toHaveLength(1);
  });
});

describe("what people said of relations of a component that turns out to be another one", () => {
  it("counts for that one: what was made stands, what was hidden stays hidden when it is seen there", async () => {
    const [web, again, store] = [add("web"), add("web again"), add("store")];
    await run("relation.add", { from: again, to: store, type: "stored-on", detail: "nightly" });
    await run("relation.add", { from: again, to: web, type: "talks-to", detail: "" });
    const hidden = seen(again, store);
    await run("relation.hide", { id: hidden, on: true });
    db.transaction(() => {
      carryByHand(db, again, web, AT);
      retireComponent(db, again, AT);
    })();
    expect(currentRelations(db)).toMatchObject([
      { type: "stored-on", from_id: web, to_id: store, detail: "nightly", seen_by: "by hand: Anna" },
    ]);
    seen(web, store, AT + 1);
    expect(currentRelations(db).map((row) => row.type)).toEqual(["stored-on"]);
  });
});
