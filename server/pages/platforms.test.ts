import { describe, expect, it } from "vitest";
import { MINUTE_MS } from "#core/time/windows";
import type { Look, Observation } from "#core/estate/observation";
import { PLATFORM } from "#core/estate/labels";
import { useStore } from "../../tests/store";
import { relateObserved } from "../estate/relate";
import { takeInFew, takeInSilence } from "../estate/take-in";
import type { Db } from "../store/database";
import { StoredEstate } from "../store/known";
import { platformPage } from "./platforms";

const AT = Date.parse("2026-03-17T10:00:00Z");
let db: Db;
useStore((made) => (db = made));

const account: Observation = {
  keys: [{ value: "native:acc", strength: 3 }],
  kind: { is: "platform.account", reason: "", confidence: 0.9 },
  name: "Account",
  depth: 1,
  readBy: PLATFORM,
  facts: {},
};
const instance = (name: string): Observation => ({
  keys: [{ value: `native:${name}`, strength: 3 }],
  kind: { is: "host.instance", reason: "", confidence: 0.9 },
  name,
  depth: 1,
  readBy: PLATFORM,
  facts: {},
  relations: [{ type: "part-of", to: "native:acc", detail: "" }],
});
const look = (atMs: number, observations: readonly Observation[]): Look => ({
  observer: { sourceId: null, label: "platform Cloud", site: "" },
  atMs,
  sinceMs: atMs,
  observations: [...observations],
});
const takeIn = (atMs: number, ...observations: Observation[]) =>
  db.transaction(() => {
    const { ids } = takeInFew(db, look(atMs, observations));
    relateObserved(db, new StoredEstate(db), look(atMs, []), ids);
    return [...ids.values()];
  })();

describe("the list of a platform", () => {
  it("is by name as people count, in pages, either way round, and of what is there at the instant", () => {
    const [id = 0, , ten = 0] = takeIn(AT, account, instance("vm-2"), instance("vm-10"), instance("vm-1"));
    const names = (atMs: number, asked: object = {}) =>
      platformPage(db, {
        id,
        group: "",
        search: "",
        sort: "name",
        order: "asc",
        page: 0,
        size: 50,
        atMs,
        fromMs: atMs - MINUTE_MS,
        toMs: atMs,
        ...asked,
      })?.rows.map((one) => one.name);
    expect(names(AT + 1)).toEqual(["vm-1", "vm-2", "vm-10"]);
    expect(names(AT + 1, { order: "desc" })).toEqual(["vm-10", "vm-2", "vm-1"]);
    expect(names(AT + 1, { page: 1, size: 2 })).toEqual(["vm-10"]);
    expect(names(AT + 1, { search: "M-1" })).toEqual(["vm-1", "vm-10"]);
    expect(names(AT - 1)).toEqual([]);
    // What comes is there at once, and what leaves is gone; the past stays as it was.
    takeIn(AT + MINUTE_MS, instance("vm-3"));
    expect(names(AT + 2 * MINUTE_MS)).toEqual(["vm-1", "vm-2", "vm-3", "vm-10"]);
    db.transaction(() => takeInSilence(db, look(AT + 3 * MINUTE_MS, []), new Set([ten])))();
    expect(names(AT + 4 * MINUTE_MS)).toEqual(["vm-1", "vm-2", "vm-3"]);
    expect(names(AT + 2 * MINUTE_MS)).toEqual(["vm-1", "vm-2", "vm-3", "vm-10"]);
    expect(names(AT + 1)).toEqual(["vm-1", "vm-2", "vm-10"]);
  });
});
