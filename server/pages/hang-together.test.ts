import { beforeEach, describe, expect, it } from "vitest";
import type { RelationType } from "#core/catalogue/kinds";
import { DAY_MS, HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { useStore } from "../../tests/store";
import type { Db } from "../store/database";
import { insertComponent } from "../store/estate";
import { insertRelation } from "../store/relations";
import { insertResource } from "../store/resources";
import { saveService, writeHealth, writeMembers } from "../store/services";
import { SpanWriter, type NewSpan } from "../store/span-writer";
import { relationPage } from "./relation";
import { oddAmongSiblings, siblingsPage } from "./siblings";
import { serviceStructurePage, whatIfPage } from "./structure";

const AT = Date.parse("2026-03-17T10:00:00Z");
const SINCE = AT - 10 * DAY_MS;
let db: Db;
useStore((made) => (db = made));

interface Added {
  host?: number | null;
  kind?: string;
  facts?: Record<string, string>;
  site?: string;
}
const add = (name: string, { host = null, kind, facts = {}, site = "North" }: Added = {}): number =>
  insertComponent(
    db,
    {
      kind: kind ?? (host === null ? "host.linux" : "app.process"),
      name,
      site,
      sourceId: null,
      hostId: host,
      address: host === null ? `10.0.0.${name.length}` : null,
      ...(host === null ? {} : { label: name.split(" @ ")[0], process: name.split(" @ ")[0] }),
      reason: "",
      keys: [`k:${name}`],
      facts,
    },
    SINCE,
  );
const relate = (type: RelationType, fromId: number, toId: number) =>
  insertRelation(db, { type, fromId, toId, detail: "tcp/5432", connections: 1, seenBy: "both" }, SINCE);

/** Three gateways over two stores; the stores share one host; the third gateway lacks its relay. */
function estate() {
  const hosts = ["gw-01", "gw-02", "gw-03"].map((name) => add(name));
  const racks = add("store-01");
  const gates = hosts.map((host, place) => add(`gate @ gw-0${place + 1}`, { host, facts: { version: "4.2" } }));
  hosts.slice(0, 2).forEach((host, place) => add(`relay @ gw-0${place + 1}`, { host }));
  const stores = [1, 2].map((n) => add(`store${n} @ store-01`, { host: racks, kind: "db.relational" }));
  db.exec("UPDATE component SET label = 'store' WHERE label IN ('store1', 'store2')");
  gates.forEach((gate, place) => relate("runs-on", gate, hosts[place] as number));
  for (const store of stores) relate("runs-on", store, racks);
  const talks = gates.flatMap((gate) => stores.map((store) => relate("talks-to", gate, store)));
  const service = saveService(db, { uid: "gate", name: "Gate", purpose: "", owner: "", entries: [] }, SINCE);
  writeMembers(db, service, new Set([...gates, ...stores]), new Set(gates), SINCE);
  return { hosts, racks, gates, stores, talks, service };
}

beforeEach(() => {
  db.exec(
    `DELETE FROM health; DELETE FROM member; DELETE FROM service; DELETE FROM relation; DELETE FROM fact; DELETE FROM
     component_key; DELETE FROM component`,
  );
});

describe("the structure of a service", () => {
  it("names what it hangs on alone, and redundant sets that share one host", () => {
    const { racks } = estate();
    const page = serviceStructurePage(db, { uid: "gate", atMs: AT });
    expect(page?.points.map((one) => one.id)).toEqual([racks]);
    expect(page?.sets.find((set) => set.label === "store")).toMatchObject({ neededBy: 3, sameHost: "store-01" });
    expect(page?.sets.find((set) => set.label === "gate")).toMatchObject({ neededBy: 0, sameHost: null });
    expect(page?.circles).toEqual([]);
    expect(page?.tiers.map(({ label, members, answered }) => [label, members.length, answered])).toEqual([
      ["gate", 3, null],
      ["store", 2, null],
    ]);
  });
  it("expects availability from its members, and puts the measured one beside it", () => {
    const { racks, service } = estate();
    writeHealth(db, "component", racks, "critical", "dark", AT - DAY_MS);
    writeHealth(db, "service", service, "critical", "down", AT - 2 * DAY_MS);
    const availability = serviceStructurePage(db, { uid: "gate", atMs: AT })?.availability;
    expect(availability?.days).toBe(10);
    expect(availability?.expected).toBeCloseTo(0.9, 6);
    expect(availability?.measured).toBeCloseTo(0.8, 6);
  });
  it("finds circles, and nothing of an unknown service", () => {
    const { gates, stores } = estate();
    relate("talks-to", stores[0] as number, gates[0] as number);
    expect(serviceStructurePage(db, { uid: "gate", atMs: AT })?.circles[0]?.map((one) => one.name)).toEqual([
      "gate @ gw-01",
      "store1 @ store-01",
    ]);
    expect(serviceStructurePage(db, { uid: "nobody", atMs: AT })).toBeNull();
  });
});

describe("what if", () => {
  const states = (fail: string[]) => whatIfPage(db, { atMs: AT, fail });
  it("a host of one of several failed: weakened; the shared one: down, step by step", () => {
    const { hosts, racks } = estate();
    expect(states([`c${hosts[0]}`]).services[0]).toMatchObject({
      state: "weakened",
      entrances: [{ label: "gate", left: 2, of: 3 }],
    });
    const down = states([`c${racks}`]);
    expect(down.services[0]?.state).toBe("down");
    expect(down.down.map(({ name, step, because }) => [name, step, because])).toEqual([
      ["store1 @ store-01", 1, "store-01"],
      ["store2 @ store-01", 1, "store-01"],
      ["gate @ gw-01", 2, "store"],
      ["gate @ gw-02", 2, "store"],
      ["gate @ gw-03", 2, "store"],
    ]);
  });
  it("relations or a whole site failed, and what is unknown says nothing", () => {
    const { talks } = estate();
    const cut = states([`r${talks[0]}`, `r${talks[1]}`]);
    expect(cut.down.map((one) => [one.name, one.because])).toEqual([["gate @ gw-01", "store"]]);
    expect(cut.services[0]?.state).toBe("weakened");
    expect(states(["site:North"]).names).toEqual(["everything at North"]);
    expect(states(["c99999", "site:Nowhere", "r99999"]).names).toEqual([]);
  });
});

describe("siblings", () => {
  it("show what one host lacks that the others have", () => {
    const { hosts } = estate();
    const page = siblingsPage(db, { id: hosts[0] as number, atMs: AT, fromMs: AT - HOUR_MS });
    expect(page?.siblings.map((one) => one.name)).toEqual(["gw-01", "gw-02", "gw-03"]);
    expect(page?.odd).toBe(hosts[2]);
    expect(oddAmongSiblings(db, { id: hosts[2] as number, atMs: AT, fromMs: AT - HOUR_MS })).toEqual({
      siblings: 2,
      differs: 1,
      told: ["lacks relay"],
    });
    expect(oddAmongSiblings(db, { id: hosts[0] as number, atMs: AT, fromMs: AT - HOUR_MS })).toBeNull();
    expect(page?.rows[0]).toMatchObject({ group: "programs", item: "relay", values: ["yes", "yes", null], odd: [2] });
  });
  it("of a program are the same on other hosts, with their facts", () => {
    const { gates } = estate();
    db.exec(`UPDATE fact SET value = '4.1' WHERE component_id = ${gates[1]}`);
    const page = siblingsPage(db, { id: gates[0] as number, atMs: AT, fromMs: AT - HOUR_MS });
    expect(page?.odd).toBe(gates[1]);
    expect(page?.rows).toEqual([
      { group: "facts", item: "version", values: ["4.2", "4.1", "4.2"], usual: "4.2", odd: [1] },
    ]);
    expect(oddAmongSiblings(db, { id: gates[1] as number, atMs: AT, fromMs: AT - HOUR_MS })?.told).toEqual([
      "version 4.1 instead of 4.2",
    ]);
    expect(siblingsPage(db, { id: 99_999, atMs: AT, fromMs: AT })).toBeNull();
  });
});

describe("a relation", () => {
  it("says how it is known, and nothing of calls that nobody tells of", () => {
    const { talks } = estate();
    const page = relationPage(db, { id: talks[0] as number, atMs: AT, fromMs: AT - HOUR_MS, toMs: AT });
    expect(page).toMatchObject({ figures: null, usual: null, errors: [], buckets: [] });
    expect(page?.relation).toMatchObject({ seen_by: "both", detail: "tcp/5432" });
    expect(relationPage(db, { id: 99_999, atMs: AT, fromMs: AT, toMs: AT })).toBeNull();
  });
  it("counts calls against the same time a week before, and failed ones by what they say", () => {
    const { gates, stores, talks } = estate();
    const resource = (component: number) =>
      insertResource(db, `{"service.name":"s${component}"}`, { componentId: component, why: "" }, SINCE);
    const [caller, called] = [resource(gates[0] as number), resource(stores[0] as number)];
    let next = 1;
    const hex = (n: number, width: number) => n.toString(16).padStart(width, "0");
    const call = (atMs: number, message = ""): NewSpan[] => {
      const traceId = hex(next++, 32);
      const base = { traceId, startMs: atMs, endMs: atMs + 20, status: message ? 2 : 1 };
      const detail = JSON.stringify({ attributes: { "peer.service": "store1" }, message });
      const own = { resourceId: caller, spanId: hex(next, 16), parentId: "", name: "SELECT", kind: 3, detail };
      const below = {
        resourceId: called,
        spanId: hex(next + 100_000, 16),
        parentId: own.spanId,
        name: "query",
        kind: 2,
      };
      return [
        { ...base, ...own },
        { ...base, ...below, detail: null },
      ];
    };
    const writer = new SpanWriter(db);
    db.transaction(() => {
      for (let minute = 0; minute < 30; minute++) {
        writer.write(call(AT - minute * MINUTE_MS - 1000, minute < 3 ? "refused" : ""));
        if (minute < 10) writer.write(call(AT - 7 * DAY_MS - minute * MINUTE_MS - 1000));
      }
    })();
    const page = relationPage(db, { id: talks[0] as number, atMs: AT, fromMs: AT - HOUR_MS, toMs: AT });
    expect(page?.figures).toMatchObject({ calls: 30, failed: 3 });
    expect(page?.usual).toMatchObject({ calls: 10, failed: 0, when: "a week before" });
    expect(page?.buckets.reduce((sum, one) => sum + one.calls, 0)).toBe(30);
    expect(page?.errors).toMatchObject([{ text: "refused", count: 3 }]);
    expect(page?.errors[0]?.traces).toHaveLength(3);
    // Where the called end sends no spans, its caller tells.
    db.exec("DELETE FROM call_minute");
    const byCaller = relationPage(db, { id: talks[0] as number, atMs: AT, fromMs: AT - HOUR_MS, toMs: AT });
    expect(byCaller).toMatchObject({ side: "caller", figures: { calls: 30, failed: 3 }, usual: { calls: 10 } });
    expect(byCaller?.figures?.p95Ms).toBeCloseTo(20, 0);
    expect(byCaller?.buckets.reduce((sum, one) => sum + one.calls, 0)).toBe(30);
    const other = relationPage(db, { id: talks[1] as number, atMs: AT, fromMs: AT - HOUR_MS, toMs: AT });
    expect(other).toMatchObject({ side: null, figures: null, errors: [] });
    // The tier that answered has its figures, and of its members the one that did.
    const store = serviceStructurePage(db, { uid: "gate", atMs: AT, fromMs: AT - HOUR_MS })?.tiers[1];
    expect(store?.answered).toMatchObject({ calls: 30, failed: 3 });
    expect(store?.answered?.p95Ms).toBeGreaterThan(19);
    expect(store?.members.map((one) => one.answered?.calls ?? 0)).toEqual([30, 0]);
  });
});
