import { beforeEach, describe, expect, it } from "vitest";
import { DAY_MS, HOUR_MS } from "#core/time/windows";
import { useStore } from "../../tests/store";
import type { Db } from "./database";
import { componentsAt, componentsById, insertComponent, markMissed, markSeen, retireComponent } from "./estate";
import { estateFacets, listEstate, type EstateQuestion } from "./estate-list";
import { factsAt, writeFact } from "./facts";
import {
  endRelation,
  insertRelation,
  relationsAmong,
  relationsAt,
  relationsOf,
  targetsOf,
  touchRelation,
} from "./relations";
import { insertResource, resourcesOf, resourcesOfAll } from "./resources";
import { writeHealth } from "./services";
import { insertSeries, seriesOfMetric, seriesOfMetrics } from "./signals";

const AT = Date.parse("2026-03-17T10:00:00Z");
let db: Db;
useStore((made) => (db = made));
beforeEach(() => {
  db.exec(
    `DELETE FROM health; DELETE FROM relation; DELETE FROM series; DELETE FROM resource; DELETE FROM fact; DELETE
     FROM component_key; DELETE FROM component`,
  );
});

const add = (name: string, changes: { kind?: string; site?: string; address?: string | null; hostId?: number } = {}) =>
  insertComponent(
    db,
    {
      kind: "host.linux",
      name,
      site: "North",
      sourceId: null,
      hostId: null,
      address: "127.0.0.1",
      reason: "",
      keys: [`k:${name}`],
      facts: {},
      ...changes,
    },
    AT,
  );
const relate = (type: "talks-to" | "wired-to", fromId: number, toId: number, atMs = AT) =>
  insertRelation(db, { type, fromId, toId, detail: "", connections: 1, seenBy: "sender" }, atMs);
const ends = (rows: readonly { from_id: number; to_id: number }[]) => rows.map((row) => [row.from_id, row.to_id]);

describe("components", () => {
  it("are those of the instant, and those asked for by number", () => {
    const [a, b] = [add("a"), add("b")];
    retireComponent(db, a, AT + DAY_MS);
    const names = (atMs: number) =>
      componentsAt(db, atMs)
        .map((row) => row.name)
        .sort();
    expect([names(AT - 1), names(AT), names(AT + DAY_MS)]).toEqual([[], ["a", "b"], ["b"]]);
    expect(componentsById(db, [b, a, 99_999]).map((row) => row.name)).toEqual(["a", "b"]);
    expect(componentsById(db, [])).toEqual([]);
  });
  it("keep facts as they were, and what they are now", () => {
    const a = add("a");
    writeFact(db, a, "memory", "4 GiB", AT);
    writeFact(db, a, "memory", "4 GiB", AT + HOUR_MS);
    writeFact(db, a, "memory", "8 GiB", AT + 2 * HOUR_MS);
    const value = (atMs: number) => factsAt(db, a, atMs).map((fact) => fact.value);
    expect([value(AT), value(AT + HOUR_MS), value(AT + 3 * HOUR_MS)]).toEqual([["4 GiB"], ["4 GiB"], ["8 GiB"]]);
    writeFact(db, a, "memory", undefined, AT + 4 * HOUR_MS);
    expect(value(AT + 5 * HOUR_MS)).toEqual([]);
  });
  it("count how often they were missed in a row", () => {
    const a = add("a");
    expect([markMissed(db, a), markMissed(db, a)]).toEqual([1, 2]);
    const unknown = { address: null, process: null, port: null, label: null, sourceId: null, site: null };
    markSeen(
      db,
      a,
      { kind: "host.linux", confidence: 1, reason: null, name: "a", depth: 2, readBy: "sweep", ...unknown },
      AT + HOUR_MS,
    );
    expect(markMissed(db, a)).toBe(1);
  });
});

describe("the list of the estate", () => {
  const list = (changes: Partial<EstateQuestion> = {}) =>
    listEstate(db, {
      atMs: AT,
      search: "",
      kind: "",
      site: "",
      health: "",
      sort: "name",
      descending: false,
      page: 0,
      pageSize: 10,
      ...changes,
    } as EstateQuestion);
  const names = (changes: Partial<EstateQuestion> = {}) => list(changes).rows.map((row) => row.name);

  it("is narrowed by words, kind, site and health, signs of patterns taken as they are", () => {
    const sick = add("web_1", { address: "10.0.0.9" });
    add("web-2", { address: "10.0.0.10", site: "South" });
    add("sw-1", { kind: "network.switch", address: "10.0.1.1" });
    writeHealth(db, "component", sick, "major", "memory", AT);
    expect(names({ search: "web" })).toEqual(["web-2", "web_1"]);
    expect(names({ search: "web_" })).toEqual(["web_1"]);
    expect(names({ search: "%" })).toEqual([]);
    expect(names({ search: "10.0.1" })).toEqual(["sw-1"]);
    expect(names({ kind: "host.*" })).toEqual(["web-2", "web_1"]);
    expect(names({ kind: "network.switch" })).toEqual(["sw-1"]);
    expect(names({ site: "South" })).toEqual(["web-2"]);
    expect(names({ health: "unwell" })).toEqual(["web_1"]);
    expect(names({ health: "well" })).toEqual(["sw-1", "web-2"]);
  });
  it("sorts addresses by their numbers and health by its rank, and goes by pages", () => {
    const [a, b, c] = [
      add("a", { address: "10.0.0.9" }),
      add("b", { address: "10.0.0.10" }),
      add("c", { address: "9.9.9.9" }),
    ];
    writeHealth(db, "component", b, "warning", "", AT);
    writeHealth(db, "component", c, "critical", "", AT);
    expect(a).toBeGreaterThan(0);
    expect(names({ sort: "address" })).toEqual(["c", "a", "b"]);
    expect(names({ sort: "severity", descending: true })).toEqual(["c", "b", "a"]);
    expect(names({ page: 1, pageSize: 2 })).toEqual(["c"]);
    expect(list({ pageSize: 2 }).total).toBe(3);
  });
  it("shows a process under its host's address", () => {
    const host = add("h", { address: "10.0.0.7" });
    add("p @ h", { kind: "app.web", hostId: host, address: null });
    expect(list({ search: "p @" }).rows[0]).toMatchObject({ address: "10.0.0.7" });
    expect(names({ search: "10.0.0.7" })).toEqual(["h", "p @ h"]);
  });
  it("counts kinds and sites of the instant", () => {
    add("a");
    retireComponent(db, add("b", { site: "South" }), AT + HOUR_MS);
    expect(estateFacets(db, AT).sites).toEqual([
      { site: "North", count: 1 },
      { site: "South", count: 1 },
    ]);
    expect(estateFacets(db, AT + DAY_MS).sites).toEqual([{ site: "North", count: 1 }]);
  });
});

describe("relations", () => {
  it("are those of some components with any, or among them only", () => {
    const [a, b, c] = [add("a"), add("b"), add("c")];
    relate("talks-to", a, b);
    relate("talks-to", b, c);
    relate("talks-to", c, a);
    expect(ends(relationsOf(db, [a], AT))).toEqual([
      [a, b],
      [c, a],
    ]);
    expect(ends(relationsAmong(db, new Set([a, b]), AT))).toEqual([[a, b]]);
    expect(relationsAmong(db, new Set(), AT)).toEqual([]);
    expect(targetsOf(db, [a, b], "talks-to", AT)).toEqual([b, c]);
    expect(targetsOf(db, [a], "wired-to", AT)).toEqual([]);
  });
  it("end with a date and are found before it", () => {
    const [a, b] = [add("a"), add("b")];
    const id = relate("talks-to", a, b);
    touchRelation(db, id, 7, "both", AT + HOUR_MS);
    endRelation(db, id, AT + DAY_MS);
    expect(relationsAt(db, AT + HOUR_MS)[0]).toMatchObject({ connections: 7, seen_by: "both" });
    expect(relationsAt(db, AT + DAY_MS)).toEqual([]);
    expect(targetsOf(db, [a], "talks-to", AT + DAY_MS)).toEqual([]);
    endRelation(db, id, AT + 2 * DAY_MS);
    expect(relationsAt(db, AT + DAY_MS)).toEqual([]);
  });
});

describe("what belongs to many components at once", () => {
  it("is found as one by one: senders", () => {
    const [a, b] = [add("a"), add("b")];
    const own = ["x", "y", "z"].map((name, index) =>
      insertResource(db, `{"service.name":"${name}"}`, { componentId: index === 2 ? b : a, why: "" }, AT),
    );
    expect(resourcesOf(db, a)).toEqual(own.slice(0, 2));
    expect([...resourcesOfAll(db, [a, b])]).toEqual([
      [own[0], a],
      [own[1], a],
      [own[2], b],
    ]);
  });
  it("is found as one by one: series, of what is polled and sent the polled one", () => {
    const [a, b] = [add("a"), add("b")];
    const sender = insertResource(db, "{}", { componentId: a, why: "" }, AT);
    const series = (componentId: number, metric: string, resourceId: number | null = null, instance = "") =>
      insertSeries(db, { componentId, serviceId: null, resourceId }, metric, instance, "%", "gauge", AT);
    const sent = series(a, "cpu.used", sender);
    const polled = series(a, "cpu.used");
    series(a, "disk.used", null, "/data");
    const other = series(b, "memory.used");
    const found = seriesOfMetrics(db, [a, b], ["cpu.used", "memory.used", "disk.used"]);
    expect(sent).not.toBe(polled);
    expect(found.get(a)?.get("cpu.used")?.id).toBe(polled);
    expect(found.get(a)?.get("disk.used")).toBeUndefined();
    expect(found.get(b)?.get("memory.used")?.id).toBe(other);
    for (const [id, own] of found)
      for (const [metric, row] of own) expect(seriesOfMetric(db, id, metric)?.id).toBe(row.id);
  });
});
