import { beforeEach, describe, expect, it } from "vitest";
import type { PlannedWork } from "#core/changes/planned-work";
import { usualAt } from "#core/detection/range";
import { DAY_MS, HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { useStore } from "../../tests/store";
import { Roller } from "../ingest/rollups";
import { SampleWriter } from "../ingest/sample-writer";
import { insertChange } from "../store/changes";
import type { Db } from "../store/database";
import { insertComponent } from "../store/estate";
import { affectServices, openIncident, resolveIncident } from "../store/incidents";
import { savePlannedWork } from "../store/planned-work";
import { saveRotation } from "../store/rotations";
import { saveService, writeMembers } from "../store/services";
import { insertSource } from "../store/sources";
import { replaceTickets } from "../store/tickets";
import { Ranges } from "./ranges";

const NOW = Date.parse("2026-03-17T12:00:00Z");
const FROM = Date.parse("2026-03-03T00:00:00Z");
let db: Db;
useStore((made) => (db = made));
let host: number;
let process: number;

const component = (name: string, hostId: number | null) =>
  insertComponent(
    db,
    {
      kind: hostId === null ? "host.linux" : "app.process",
      name,
      site: "North",
      sourceId: null,
      hostId,
      address: null,
      reason: "",
      keys: [`k:${name}`],
      facts: {},
    },
    FROM,
  );

beforeEach(() => {
  db.exec(
    "DELETE FROM incident_service; DELETE FROM incident; DELETE FROM member; DELETE FROM service; DELETE FROM planned_work; DELETE FROM ticket; DELETE FROM source; DELETE FROM rotation; DELETE FROM change; DELETE FROM chunk; DELETE FROM learned; DELETE FROM series; DELETE FROM component_key; DELETE FROM component",
  );
  host = component("h-1", null);
  process = component("app @ h-1", host);
});

/** A fortnight of about 10, but 100 from one to four on some nights; what is learned of that hour. */
function usualAtNight(nights: (day: number) => boolean = () => true, of = process): number | undefined {
  const writer = new SampleWriter(db);
  const series = writer.series({ componentId: of, serviceId: null }, "queue.depth", "", "1", FROM);
  for (let atMs = FROM; atMs < NOW; atMs += 5 * MINUTE_MS) {
    const day = Math.floor((atMs - FROM) / DAY_MS);
    const isNight = [1, 2, 3].includes(Math.floor((atMs % DAY_MS) / HOUR_MS)) && nights(day);
    writer.record(series, atMs, (isNight ? 100 : 10) + ((atMs / MINUTE_MS) % 7) / 10);
  }
  writer.commit("everything", () => undefined);
  const ranges = new Ranges(db, writer, () => ({ budgetMs: 10_000, seldom: 1 }));
  ranges.begin();
  const range = db.transaction(() => ranges.of(series, NOW))();
  return range && usualAt(range, Date.parse("2026-03-18T02:30:00Z"))?.middle;
}

const plan = (scope: PlannedWork["scope"]) =>
  savePlannedWork(
    db,
    undefined,
    {
      title: "Nightly",
      scope,
      startsAt: "2026-03-01T01:00",
      zone: "UTC",
      minutes: 180,
      repeats: "FREQ=DAILY",
    },
    "Anna",
    FROM,
  );

/** The same with another series, measured for the last eight hours only, learned before it. */
function usualAtNightAfterANewOne(): number | undefined {
  const writer = new SampleWriter(db);
  const make = (of: number, fromMs: number) => {
    const series = writer.series({ componentId: of, serviceId: null }, "queue.depth", "", "1", fromMs);
    for (let atMs = fromMs; atMs < NOW; atMs += 5 * MINUTE_MS) {
      const isNight = [1, 2, 3].includes(Math.floor((atMs % DAY_MS) / HOUR_MS));
      writer.record(series, atMs, (isNight ? 100 : 10) + ((atMs / MINUTE_MS) % 7) / 10);
    }
    return series;
  };
  const [young, old] = [make(host, NOW - 8 * HOUR_MS), make(process, FROM)];
  writer.commit("everything", () => undefined);
  const ranges = new Ranges(db, writer, () => ({ budgetMs: 10_000, seldom: 1 }));
  ranges.begin();
  const range = db.transaction(() => (ranges.of(young, NOW), ranges.of(old, NOW)))();
  return range && usualAt(range, Date.parse("2026-03-18T02:30:00Z"))?.middle;
}

/** Five days at five minutes, summed up, and then two hours at ten seconds, summed up too; spans it is learned from. */
function learnedAfterSummingUp(): number | undefined {
  const writer = new SampleWriter(db);
  const series = writer.series({ componentId: process, serviceId: null }, "queue.depth", "", "1", FROM);
  const roller = new Roller(db, writer);
  const changedMs = FROM + 5 * DAY_MS;
  for (let atMs = FROM; atMs < changedMs; atMs += 5 * MINUTE_MS) writer.record(series, atMs, 10 + ((atMs / 7) % 5));
  writer.commit("everything", () => roller.rollUp(series, changedMs + 20 * MINUTE_MS));
  const ranges = () => {
    const fresh = new Ranges(db, writer, () => ({ budgetMs: 10_000, seldom: 1 }));
    fresh.begin();
    return fresh;
  };
  const before = db.transaction(() => ranges().of(series, changedMs))()?.count;
  db.exec("DELETE FROM learned");
  const toMs = changedMs + 8 * HOUR_MS;
  for (let atMs = changedMs; atMs < toMs; atMs += 10_000) writer.record(series, atMs, 10 + ((atMs / 7) % 5));
  writer.commit("everything", () => roller.rollUp(series, toMs));
  expect(before).toBeGreaterThan(1400);
  return db.transaction(() => ranges().of(series, toMs))()?.count;
}

describe("what is usual", () => {
  it("is learned of all that is kept, whether it came often enough to be summed up by five minutes or not", () => {
    expect(learnedAfterSummingUp()).toBeGreaterThan(1400 + 80);
  });
  it("is learned of every night where nothing is forgiven", () => {
    expect(usualAtNight()).toBeGreaterThan(90);
  });
  it("is not learned from planned work on it, or on its host", () => {
    plan({ of: "components", filter: "kind=host.linux" });
    expect(usualAtNight() ?? 10).toBeLessThan(20);
  });
  it("is not learned from planned work of long ago, whatever new came to be known just before", () => {
    plan({ of: "components", filter: "kind=host.linux" });
    expect(usualAtNightAfterANewOne() ?? 10).toBeLessThan(20);
  });
  it("is learned where planned work is on something else", () => {
    plan({ of: "components", filter: "site=South" });
    expect(usualAtNight()).toBeGreaterThan(90);
  });
  it("is not learned from incidents that hurt its service, though nothing was told of it; from all of it where they never end", () => {
    const service = (uid: string, member: number) => {
      const id = saveService(db, { uid, name: uid, purpose: "", owner: "", entries: [] }, FROM);
      writeMembers(db, id, new Set([member]), new Set([member]), FROM);
      return id;
    };
    const nightly = (id: number, hours: number, everyMs = DAY_MS) => {
      for (let atMs = FROM + HOUR_MS; atMs < NOW; atMs += everyMs) {
        const incident = openIncident(db, { subject: "service", title: "Nightly", severity: "major" }, atMs);
        affectServices(db, incident, [id]);
        resolveIncident(db, incident, atMs + hours * HOUR_MS);
      }
    };
    nightly(service("other", host), 3);
    expect(usualAtNight()).toBeGreaterThan(90);
    db.exec("DELETE FROM learned; DELETE FROM chunk");
    const own = service("own", process);
    nightly(own, 3);
    expect(usualAtNight() ?? 10).toBeLessThan(20);
    db.exec("DELETE FROM learned; DELETE FROM chunk; DELETE FROM incident_service; DELETE FROM incident");
    nightly(own, 12, DAY_MS / 2);
    expect(usualAtNight()).toBeGreaterThan(90);
  });
  it("is not learned from work of tickets that name it, nor from the time right after roll-outs", () => {
    const night = (day: number) => FROM + day * DAY_MS + HOUR_MS;
    const source = insertSource(
      db,
      { kind: "tickets", name: "Desk", site: "North", settings: {}, pollSeconds: null, sweepEvery: null } as never,
      undefined,
      FROM,
    );
    const days = Array.from({ length: 15 }, (_, day) => day);
    replaceTickets(
      db,
      source,
      days
        .filter((day) => day % 2 === 0)
        .map((day) => ({
          ref: `CHG-${day}`,
          title: "Nightly",
          state: "",
          person: "",
          fromMs: night(day),
          toMs: night(day) + 3 * HOUR_MS,
          things: ["H-1"],
        })),
      FROM,
    );
    for (const day of days)
      if (day % 2 === 1)
        for (const minutes of [0, 30, 60, 90, 120, 150])
          insertChange(db, {
            atMs: night(day) + minutes * MINUTE_MS,
            kind: "deployment",
            componentId: process,
            summary: "image 1 → 2",
            by: "platform",
          });
    expect(usualAtNight((day) => day % 2 === 0) ?? 10, "tickets").toBeLessThan(20);
    expect(usualAtNight((day) => day % 2 === 1) ?? 10, "roll-outs").toBeLessThan(20);
  });
  it("is not learned from holidays", () => {
    // The Sundays of the fortnight, and one more.
    const holidays = ["2026-03-08", "2026-03-15", "2026-03-10"];
    saveRotation(db, undefined, { name: "r", plan: { zone: "UTC", layers: [], cover: null, holidays } }, "Anna", FROM);
    expect(usualAtNight((day) => [5, 7, 12].includes(day)) ?? 10).toBeLessThan(20);
  });
});
