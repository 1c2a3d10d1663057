import { beforeEach, describe, expect, it } from "vitest";
import { DAY_MS, HOUR_MS } from "#core/time/windows";
import { useStore } from "../../tests/store";
import { SampleWriter } from "../ingest/sample-writer";
import type { Db } from "../store/database";
import { insertComponent, retireComponent } from "../store/estate";
import { insertRelation } from "../store/relations";
import { saveService, writeHealth, writeMembers, writeReliance } from "../store/services";
import { mapPage, MOST_CARDS, type MapQuestion } from "./map";

const AT = Date.parse("2026-03-17T10:00:00Z");
const SINCE = AT - 30 * DAY_MS;
let db: Db;
useStore((made) => (db = made));
beforeEach(() => {
  db.exec(
    `DELETE FROM health; DELETE FROM reliance; DELETE FROM member; DELETE FROM service; DELETE FROM relation; DELETE
     FROM chunk; DELETE FROM series; DELETE FROM component_key; DELETE FROM component`,
  );
});

const add = (name: string, { kind = "host.linux", site = "North", hostId = null as number | null } = {}) =>
  insertComponent(
    db,
    {
      kind,
      name,
      site,
      sourceId: null,
      hostId,
      address: hostId === null ? "127.0.0.1" : null,
      ...(hostId === null ? {} : { label: name.split(" @ ")[0], process: name.split(" @ ")[0] }),
      reason: "",
      keys: [`k:${name}`],
      facts: {},
    },
    SINCE,
  );
const relate = (
  type: "talks-to" | "runs-on" | "wired-to" | "hosted-by",
  fromId: number,
  toId: number,
  connections = 1,
) => insertRelation(db, { type, fromId, toId, detail: "", connections, seenBy: "both" }, SINCE);
const serve = (uid: string, members: readonly (readonly [id: number, entry: boolean])[]) => {
  const id = saveService(db, { uid, name: uid.toUpperCase(), purpose: "", owner: "", entries: [] }, SINCE);
  writeMembers(
    db,
    id,
    new Set(members.map(([member]) => member)),
    new Set(members.flatMap(([member, entry]) => (entry ? [member] : []))),
    SINCE,
  );
  return id;
};
const at = (question: Omit<MapQuestion, "atMs">, atMs = AT) => mapPage(db, { atMs, ...question });
type Page = ReturnType<typeof at>;
const names = (map: Page) => map.cards.map((card) => card.name).sort();
const lines = (map: Page) =>
  map.links
    .flatMap(({ type, ends }) =>
      ends.map(
        ([from, to, connections]) =>
          `${map.cards[from]?.name} ${type} ${map.cards[to]?.name}${connections > 1 ? ` ×${connections}` : ""}`,
      ),
    )
    .sort();

/** Two web hosts and a store behind them, a switch over another switch, a stranger. */
function smallEstate() {
  const [web, store, stranger] = [add("web-1"), add("store-1"), add("stranger-1", { site: "South" })];
  const front = add("front @ web-1", { kind: "app.web", hostId: web });
  const database = add("database @ store-1", { kind: "app.database", hostId: store });
  const [near, far] = [add("sw-1", { kind: "network.switch" }), add("sw-2", { kind: "network.switch" })];
  relate("runs-on", front, web);
  relate("runs-on", database, store);
  relate("talks-to", front, database, 12);
  relate("wired-to", web, near);
  relate("wired-to", near, far);
  relate("talks-to", stranger, database);
  const gate = serve("gate", [
    [front, true],
    [web, false],
    [database, false],
    [store, false],
  ]);
  return { web, store, stranger, front, database, near, far, gate };
}

describe("the map of a service", () => {
  it("shows its members, the switches that carry them, and lines among those only", () => {
    smallEstate();
    const map = at({ service: "gate" });
    expect(names(map)).toEqual(["GATE", "database", "front", "store-1", "sw-1", "sw-2", "web-1"]);
    expect(lines(map)).toEqual([
      "GATE part-of front",
      "database runs-on store-1",
      "front runs-on web-1",
      "front talks-to database ×12",
      "sw-1 wired-to sw-2",
      "web-1 wired-to sw-1",
    ]);
    expect(map.cards.find((card) => card.name === "front")).toMatchObject({ sub: "web-1", kind: "app.web" });
    expect(map.total).toBe(6);
  });
  it("shows services it relies on and those that rely on it, as links to their pages", () => {
    const { gate } = smallEstate();
    const [mail, desk, other] = [serve("mail", []), serve("desk", []), serve("other", [])];
    writeReliance(db, gate, new Set([mail]), SINCE);
    writeReliance(db, desk, new Set([gate]), SINCE);
    const map = at({ service: "gate" });
    expect(names(map)).toEqual(expect.arrayContaining(["GATE", "MAIL", "DESK"]));
    expect(names(map)).not.toContain("OTHER");
    expect(other).toBeGreaterThan(0);
    expect(lines(map)).toEqual(expect.arrayContaining(["GATE relies-on MAIL", "DESK relies-on GATE"]));
    expect(map.cards.find((card) => card.name === "MAIL")).toMatchObject({ serviceUid: "mail", componentId: null });
  });
  it("is as of its instant: what left is there before it left, and not after", () => {
    const { database } = smallEstate();
    retireComponent(db, database, AT - HOUR_MS);
    expect(names(at({ service: "gate" }, AT - 2 * HOUR_MS))).toContain("database");
    expect(lines(at({ service: "gate" }, AT - 2 * HOUR_MS))).toContain("front talks-to database ×12");
  });
  it("counts what is unwell, with the reason on its card", () => {
    const { web } = smallEstate();
    writeHealth(db, "component", web, "critical", "memory is full", AT - HOUR_MS);
    const map = at({ service: "gate" });
    expect(map.unwell).toBe(1);
    expect(map.cards.find((card) => card.name === "web-1")).toMatchObject({
      severity: "critical",
      reason: "memory is full",
    });
    expect(at({ service: "gate" }, AT - 2 * HOUR_MS).unwell).toBe(0);
  });
  it("has the latest figure of a card while it is fresh", () => {
    const { web } = smallEstate();
    const writer = new SampleWriter(db);
    const series = writer.series({ componentId: web, serviceId: null }, "memory.used", "", "%", SINCE);
    writer.record(series, AT - 60_000, 42);
    writer.commit("tick", () => undefined);
    const figure = (atMs: number) => at({ service: "gate" }, atMs).cards.find((card) => card.name === "web-1")?.figure;
    expect(figure(AT)).toBe("memory 42.0 %");
    expect(figure(AT + HOUR_MS)).toBe("");
    expect(figure(AT - HOUR_MS)).toBe("");
  });
});

describe("other maps", () => {
  it("of a site show what is there, whoever it belongs to", () => {
    smallEstate();
    expect(names(at({ site: "South" }))).toEqual(["stranger-1"]);
    expect(names(at({ site: "North" }))).toEqual(["GATE", "database", "front", "store-1", "sw-1", "sw-2", "web-1"]);
    expect(at({ site: "North" }).site).toBe("North");
  });
  it("round a component show its neighbours, and the switch it is wired to", () => {
    const { web, stranger } = smallEstate();
    expect(names(at({ around: web }))).toEqual(expect.arrayContaining(["front", "database", "sw-1", "web-1"]));
    expect(names(at({ around: stranger, steps: 1 }))).toEqual(["database", "stranger-1"]);
  });
  it("of everything show services only", () => {
    smallEstate();
    expect(names(at({}))).toEqual(["GATE"]);
    expect(at({}).sites).toEqual([
      { site: "North", count: 6 },
      { site: "South", count: 1 },
    ]);
  });
  it("of an unknown service or site are empty, not an error", () => {
    smallEstate();
    expect(names(at({ site: "nowhere" }))).toEqual([]);
    expect(names(at({ around: 99_999 })).length).toBeLessThanOrEqual(1);
  });
  it("draw hosts only where there is too much", () => {
    for (let index = 0; index <= MOST_CARDS; index++) {
      const host = add(`h-${index}`);
      if (index < 5) add(`p @ h-${index}`, { kind: "app.web", hostId: host });
    }
    const map = at({ site: "North" });
    expect(map.tooMany).toBe(true);
    expect(map.total).toBe(MOST_CARDS + 6);
    expect(map.cards).toHaveLength(MOST_CARDS);
    expect(map.cards.every((card) => card.kind === "host.linux")).toBe(true);
  });
});
