import { beforeEach, describe, expect, it } from "vitest";
import { DAY_MS, HOUR_MS } from "#core/time/windows";
import { useStore } from "../../../tests/store";
import { SampleWriter } from "../../ingest/sample-writer";
import type { Db } from "../../store/database";
import { insertComponent, retireComponent } from "../../store/estate";
import { insertChange } from "../../store/changes";
import { insertRelation } from "../../store/relations";
import { saveService, writeHealth, writeMembers, writeReliance } from "../../store/services";
import { mapPanel } from "./panel";
import { mapPage, MOST_TOGETHER, type MapQuestion } from "./page";

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
      "GATE entered-by front",
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

describe("traffic over wires", () => {
  it("is what the port at their end tells, both ways, at the instant; nothing where that is old", () => {
    const [host, net] = [add("box-1"), add("sw-1", { kind: "net.switch" })];
    insertRelation(
      db,
      { type: "wired-to", fromId: host, toId: net, detail: "port 9", connections: 0, seenBy: "sw" },
      SINCE,
    );
    const writer = new SampleWriter(db);
    for (const [metric, instance, value] of [
      ["net.in", "Port9", 3_000_000],
      ["net.out", "Port9", 4_000_000],
      ["net.out", "Port8", 9_000_000],
    ] as const)
      writer.record(
        writer.series({ componentId: net, serviceId: null }, metric, instance, "bit/s", SINCE),
        AT - 60_000,
        value,
      );
    writer.commit("tick", () => undefined);
    const traffic = (atMs: number) =>
      at({ by: ["site"], open: ["site:North"] }, atMs)
        .links.find((one) => one.type === "wired-to")
        ?.ends.map((end) => end[6]);
    expect(traffic(AT)).toEqual([7_000_000]);
    expect(traffic(AT + HOUR_MS)).toEqual([0]);
  });
});

describe("figures on the cards", () => {
  const measure = (componentId: number, metric: string, instance: string, unit: string, value: number) => {
    const writer = new SampleWriter(db);
    const series = writer.series({ componentId, serviceId: null }, metric, instance, unit, SINCE);
    writer.record(series, AT - 60_000, value);
    writer.commit("tick", () => undefined);
    return series;
  };
  const figure = (name: string, question: Omit<MapQuestion, "atMs"> = {}) =>
    at({ service: "gate", ...question }).cards.find((card) => card.name === name)?.figure;
  it("are those that were chosen: of several disks the fullest, of several lines the sum; none where none is measured", () => {
    const { web } = smallEstate();
    measure(web, "memory.used", "", "%", 42);
    measure(web, "disk.used", "/", "%", 20);
    measure(web, "disk.used", "/srv", "%", 81);
    measure(web, "net.out", "eth0", "bit/s", 1000);
    measure(web, "net.out", "eth1", "bit/s", 2000);
    expect(figure("web-1", { figure: "disk" })).toBe("81.0 %");
    expect(figure("web-1", { figure: "traffic" })).toBe("3 kbit/s");
    expect(figure("store-1", { figure: "disk" })).toBe("");
    expect(figure("web-1")).toBe("memory 42.0 %");
    expect(figure("web-1", { figure: "rubbish" })).toBe("memory 42.0 %");
  });
  it("are by themselves what is in alarm, while it is", () => {
    const { web } = smallEstate();
    measure(web, "memory.used", "", "%", 42);
    const series = measure(web, "cpu.used", "", "%", 97);
    writeHealth(db, "component", web, "major", "CPU", AT - HOUR_MS);
    db.prepare(
      `INSERT INTO alarm (subject_type, subject_id, series_id, detector, metric, direction, alarm_type, qualifier, severity,
         worst, text, score, onset_at, raised_at, changed_at)
       VALUES ('component', ?, ?, 'threshold', 'cpu.used', 'above', 'cpu', '', 'major', 'major', '', 90, ?, ?, ?)`,
    ).run(web, series.id, AT - 120_000, AT - 120_000, AT - 120_000);
    expect(figure("web-1")).toBe("CPU usage 97.0 %");
  });
});

describe("differences as marks", () => {
  it("say what is new, gone or otherwise than at the beginning of the window, and count within groups", () => {
    const { web, store, database } = smallEstate();
    retireComponent(db, database, AT - 600_000);
    const fresh = insertComponent(
      db,
      {
        kind: "host.linux",
        name: "web-2",
        site: "North",
        sourceId: null,
        hostId: null,
        address: "127.0.0.2",
        reason: "",
        keys: ["k:web-2"],
        facts: {},
      },
      AT - 600_000,
    );
    writeHealth(db, "component", web, "critical", "memory is full", AT - 600_000);
    insertRelation(
      db,
      { type: "talks-to", fromId: store, toId: fresh, detail: "", connections: 1, seenBy: "both" },
      AT - 600_000,
    );
    const map = at({ only: "marked", by: ["layer"] });
    const mark = (name: string) => map.cards.find((card) => card.name === name)?.mark;
    expect(mark("web-2")?.mark).toBe("new");
    expect(mark("database")?.mark).toBe("gone");
    expect(mark("web-1")).toEqual({ mark: "changed", words: "well → critical" });
    expect(mark("sw-1")).toBeUndefined();
    expect(map.marked).toBe(3);
    const grouped = at({ only: "marked", by: ["site"] });
    expect(grouped.cards.find((card) => card.name === "North")?.mark).toEqual({
      mark: "changed",
      words: "1 new, 1 gone, 1 changed",
    });
    expect(at({ by: ["layer"] }).cards.every((card) => card.mark === undefined)).toBe(true);
  });
});

describe("other maps", () => {
  it("of a site show what is there, whoever it belongs to", () => {
    smallEstate();
    expect(names(at({ site: "South" }))).toEqual(["stranger-1"]);
    expect(names(at({ site: "North" }))).toEqual(["GATE", "database", "front", "store-1", "sw-1", "sw-2", "web-1"]);
  });
  it("round a component show its neighbours, and the switch it is wired to", () => {
    const { web, stranger } = smallEstate();
    expect(names(at({ around: web }))).toEqual(expect.arrayContaining(["front", "database", "sw-1", "web-1"]));
    expect(names(at({ around: stranger, up: 0, down: 1 }))).toEqual(["database", "stranger-1"]);
  });
  it("of everything show services by themselves and components by kind, in layers", () => {
    smallEstate();
    const map = at({});
    expect(names(map)).toEqual(
      ["GATE", "database", "front", "network.switch", "store-1", "stranger-1", "web-1"].sort(),
    );
    expect(map.strata.map((band) => band.label)).toEqual(
      expect.arrayContaining(["People and entry points", "Services", "Applications", "Hosts"]),
    );
    expect(lines(map)).toEqual(expect.arrayContaining(["front talks-to database ×12", "stranger-1 talks-to database"]));
    expect(map.sites).toEqual([
      { site: "North", count: 6 },
      { site: "South", count: 1 },
    ]);
  });
  it("of an unknown service or site are empty, not an error", () => {
    smallEstate();
    expect(names(at({ site: "nowhere" }))).toEqual([]);
    expect(names(at({ around: 99_999 })).length).toBeLessThanOrEqual(1);
  });
  it("between two components show the ways from one to the other, and say so where there is none", () => {
    const { front, store, stranger } = smallEstate();
    const island = add("island-1");
    expect(names(at({ from: front, to: store }))).toEqual(["database", "front", "store-1"]);
    expect(at({ from: front, to: store }).way).toMatchObject({ steps: 2, direction: "forward" });
    expect(at({ from: store, to: front }).way).toMatchObject({ direction: "backward" });
    expect(at({ from: front, to: stranger }).way).toMatchObject({ direction: "mixed", steps: 2 });
    expect(at({ from: front, to: island }).way).toBeNull();
  });
  it("of what a component needs, or of what needs it, go so many steps", () => {
    const { front, database } = smallEstate();
    expect(names(at({ around: database, up: 1, down: 0 }))).toEqual(
      expect.arrayContaining(["database", "front", "stranger-1"]),
    );
    expect(names(at({ around: front, up: 0, down: 1 }))).toEqual(
      expect.arrayContaining(["database", "front", "web-1"]),
    );
    expect(names(at({ around: front, up: 0, down: 1 }))).not.toContain("sw-1");
  });
  it("show only what is unwell, or only what changed", () => {
    const { web, store } = smallEstate();
    writeHealth(db, "component", web, "critical", "memory is full", AT - HOUR_MS);
    expect(names(at({ only: "unwell" }))).toEqual(["web-1"]);
    insertChange(db, { atMs: AT - 60_000, kind: "fact", componentId: store, summary: "version 2", by: "sweep" });
    expect(names(at({ only: "changed" }))).toEqual(["store-1"]);
  });
});

describe("groups", () => {
  const many = () => {
    for (let index = 0; index < MOST_TOGETHER + 5; index++) {
      const site = index % 3 === 0 ? "South" : "North";
      add(`h-${String(index).padStart(2, "0")}`, { site });
    }
    add("sw-9", { kind: "network.switch" });
  };
  it("are folded with their counts, and open in place with what is in them", () => {
    many();
    const folded = at({ by: ["site"] });
    expect(folded.cards.map(({ name, sub, group }) => [name, sub, group?.isOpen])).toEqual([
      ["North", "31 components", false],
      ["South", "15 components", false],
    ]);
    const open = at({ by: ["site"], open: ["site:South"] });
    expect(open.cards).toHaveLength(2 + 15);
    expect(open.trays).toHaveLength(1);
    // What stands in the row of the group and above it has not moved.
    for (const card of folded.cards)
      expect(open.cards.find((one) => one.id === card.id)).toMatchObject({ x: card.x, y: card.y });
  });
  it("of too many members are gathered further by what tells them apart, else the worst are shown", () => {
    many();
    const bySite = at({ by: ["kind"], open: ["kind:host.linux"] });
    expect(bySite.cards.map((card) => card.name)).toEqual(["Linux hosts", "North", "South", "sw-9"]);
    expect(at({}).cards.map((card) => card.name)).toEqual(["sw-9", "Linux hosts"]);
    db.exec("UPDATE component SET site = 'North', address = '127.0.0.1'");
    const sick = db.prepare("SELECT id FROM component WHERE name = 'h-44'").get() as { id: number };
    writeHealth(db, "component", sick.id, "major", "disk is full", AT - HOUR_MS);
    const worst = at({ by: ["kind"], open: ["kind:host.linux"] });
    expect(worst.cards.filter((card) => card.componentId !== null)).toHaveLength(MOST_TOGETHER + 1);
    expect(worst.cards[1]?.name).toBe("h-44");
    expect(worst.trays[0]).toMatchObject({ left: 5 });
  });
  it("say how many of them are unwell and which is the worst, and mark what is looked for", () => {
    const { web } = smallEstate();
    writeHealth(db, "component", web, "critical", "memory is full", AT - HOUR_MS);
    const map = at({ by: ["site"], find: "WEB-1" });
    expect(map.cards[0]).toMatchObject({
      name: "North",
      severity: "critical",
      reason: "web-1: memory is full",
      figure: "1 critical",
      found: 2,
      group: { members: 6, unwell: 1 },
    });
    expect(map.foundCount).toBe(2);
  });
  it("that are unknown change nothing when they are asked to be open", () => {
    smallEstate();
    expect(at({ by: ["site"], open: ["site:Nowhere", "rubbish"] }).trays).toEqual([]);
  });
});

describe("the panel beside the map", () => {
  const panel = (show: string, question: Omit<MapQuestion, "atMs"> = {}) =>
    mapPanel(db, { atMs: AT, show, ...question });
  it("says of a component what it needs and what needs it", () => {
    const { database, front, store } = smallEstate();
    const shown = panel(`c${database}`);
    expect(shown?.sentence).toBe("app.database on store-1, healthy.");
    const rows = (title: string) => shown?.lists.find((list) => list.title === title)?.rows.map((row) => row.show);
    expect(rows("Needs")).toEqual([`r~runs-on~c${database}~c${store}`]);
    expect(rows("Needed by")).toContain(`r~talks-to~c${front}~c${database}`);
  });
  it("says of a group how many are unwell, and of a relation between groups what it stands for", () => {
    const { web } = smallEstate();
    writeHealth(db, "component", web, "critical", "memory is full", AT - HOUR_MS);
    expect(panel("gsite:North", { by: ["site"] })).toMatchObject({
      what: "group",
      sentence: "6 components, 1 unwell (1 critical).",
    });
    const relation = panel("r~wired-to~gkind:host.linux~gkind:network.switch", { by: ["kind"] });
    expect(relation).toMatchObject({ what: "relation", sentence: "One relation." });
  });
  it("says of a relation that leads out of the map what it says on the map of both", () => {
    const { database, stranger } = smallEstate();
    const show = `r~talks-to~c${stranger}~c${database}`;
    expect(panel(show, { service: "gate" })?.sentence).toContain("One relation");
    expect(panel(show, { service: "gate" })?.links).toEqual(panel(show)?.links);
    expect(panel(show)?.links.map((one) => one.name)).toEqual(["Open the page", "What if it failed"]);
  });
  it("is empty for what is not there", () => {
    smallEstate();
    for (const show of ["c99999", "s99999", "gsite:Nowhere", "r~talks-to~c1~c99999", "r~", "x", ""])
      expect(panel(show)).toBeNull();
  });
});
