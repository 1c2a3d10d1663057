import { beforeEach, describe, expect, it } from "vitest";
import { DAY_MS, HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { useStore } from "../../tests/store";
import { raiseAlarm, saveRule } from "../store/alarms";
import type { Db } from "../store/database";
import { insertComponent } from "../store/estate";
import { addExpected } from "../store/expected";
import { keepFinding } from "../store/findings";
import { LogWriter } from "../store/log-writer";
import { insertResource } from "../store/resources";
import { saveService, writeMembers } from "../store/services";
import { alarmsPage } from "./alarms";
import { unusualPage } from "./unusual";

const AT = Date.parse("2026-03-17T10:00:00Z");
let db: Db;
useStore((made) => (db = made));
let store: number;
let front: number;
let rule: number;

beforeEach(() => {
  db.exec(
    "DELETE FROM expected; DELETE FROM odd_finding; DELETE FROM alarm; DELETE FROM rule; DELETE FROM log_tally; DELETE FROM log_tally_half; DELETE FROM log_pattern; DELETE FROM resource; DELETE FROM member; DELETE FROM service; DELETE FROM component_key; DELETE FROM component",
  );
  const base = { sourceId: null, hostId: null, address: null, reason: "", facts: {} };
  store = insertComponent(
    db,
    { ...base, kind: "db.relational", name: "store", site: "North", keys: ["k:s"] },
    AT - 30 * DAY_MS,
  );
  front = insertComponent(
    db,
    { ...base, kind: "app.web", name: "front", site: "South", keys: ["k:f"] },
    AT - 30 * DAY_MS,
  );
  const id = saveService(db, { uid: "gate", name: "Gate", purpose: "", owner: "", entries: [] }, AT - 30 * DAY_MS);
  writeMembers(db, id, new Set([store, front]), new Set([front]), AT - 30 * DAY_MS);
  rule = saveRule(db, undefined, {
    name: "r",
    type: "usual",
    settings: {},
    scope: { subject: "component", kind: "*" },
    enabled: true,
  });
});

const what = (id: number, score: number, minutesAgo: number) => ({
  subject: { type: "component" as const, id },
  ruleId: rule,
  seriesId: null,
  detector: "usual",
  metric: "process.cpu",
  direction: "above" as const,
  qualifier: "",
  score,
  onsetMs: AT - minutesAgo * MINUTE_MS,
  text: "Process CPU usage at 90 %",
});
const question = { fromMs: AT - HOUR_MS, toMs: AT, service: "", site: "", text: "", sort: "score" as const };

describe("what was most unusual", () => {
  it("lists evidence and alarms of what is usual, the farthest out first, and says what began first", () => {
    keepFinding(db, what(store, 60, 30), AT - 29 * MINUTE_MS);
    raiseAlarm(db, { ...what(front, 95, 20), severity: "minor" }, AT - 18 * MINUTE_MS);
    // Past a fixed limit says nothing of what is usual.
    raiseAlarm(db, { ...what(front, 95, 20), detector: "threshold", metric: "cpu.used", severity: "critical" }, AT);
    const page = unusualPage(db, question);
    expect(page.oddities.map((one) => [one.subject.name, one.isAlarm])).toEqual([
      ["front", true],
      ["store", false],
    ]);
    expect(page.first).toMatchObject({ name: "store", atMs: AT - 30 * MINUTE_MS });
    expect(page.clusters.service).toEqual([{ key: "gate", name: "Gate", count: 2 }]);
    expect(unusualPage(db, { ...question, sort: "onset" }).oddities[0]?.subject.name).toBe("store");
  });
  it("is narrowed by site, service and words", () => {
    keepFinding(db, what(store, 60, 30), AT);
    keepFinding(db, what(front, 60, 30), AT);
    expect(unusualPage(db, { ...question, site: "North" }).oddities.map((one) => one.subject.name)).toEqual(["store"]);
    expect(unusualPage(db, { ...question, text: "front cpu" }).count).toBe(1);
    expect(unusualPage(db, { ...question, service: "other" })).toMatchObject({ count: 0, total: 2 });
  });
  it("keeps one of a kind until it ends", () => {
    keepFinding(db, what(store, 60, 30), AT - HOUR_MS);
    keepFinding(db, what(store, 80, 30), AT);
    expect(unusualPage(db, question).oddities).toMatchObject([{ score: 80 }]);
  });
  it("tells of errors that were never logged before, once logs are known for a while", () => {
    const resourceId = insertResource(db, '{"service.name":"front"}', { componentId: front, why: "" }, AT - DAY_MS);
    const say = (atMs: number, body: string, severity: number) =>
      db.transaction(() =>
        new LogWriter(db).write([{ resourceId, atMs, severity, body, attributes: null, traceId: null, spanId: null }]),
      )();
    say(AT - 5 * HOUR_MS, "all is well here", 9);
    say(AT - 10 * MINUTE_MS, "cannot reach the vault behind the quay", 17);
    expect(unusualPage(db, question).oddities).toMatchObject([
      {
        what: "pattern",
        subject: { name: "front" },
        text: "New error, 1 times: cannot reach the vault behind the quay",
      },
    ]);
  });
  it("says what people expect, and until when", () => {
    addExpected(db, {
      subject: { type: "component", id: store },
      metric: "process.cpu",
      qualifier: "",
      reason: "index is built",
      by: "Anna",
      at: AT,
      untilMs: AT + DAY_MS,
    });
    expect(unusualPage(db, question).expected).toMatchObject([{ name: "store", reason: "index is built", by: "Anna" }]);
  });
});

it("shows what stands, with the load of the window and the rules that raised most", () => {
  for (let index = 0; index < 12; index++)
    raiseAlarm(
      db,
      { ...what(store, 80, 20), metric: `m${index}`, severity: "minor" },
      AT - 10 * MINUTE_MS + index * 1000,
    );
  const page = alarmsPage(db, { fromMs: AT - HOUR_MS, toMs: AT, atMs: AT });
  expect(page).toMatchObject({ total: 12, quiet: 0, load: { count: 12, floods: [{ count: 12 }] } });
  expect(page.load.worstRules).toMatchObject([{ name: "r", count: 12 }]);
});
