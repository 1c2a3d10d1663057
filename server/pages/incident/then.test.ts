import { beforeEach, describe, expect, it } from "vitest";
import { MINUTE_MS } from "#core/time/windows";
import { emptyEstate, useStore } from "../../../tests/store";
import { acknowledgeAlarm, changeAlarm, raiseAlarm, ruleNamed, saveRule } from "../../store/alarms";
import type { Db } from "../../store/database";
import { insertComponent } from "../../store/estate";
import {
  confirmCause,
  joinIncident,
  noteIncident,
  openIncident,
  resolveIncident,
  takeIncident,
} from "../../store/incidents";
import { insertRelation } from "../../store/relations";
import { incidentPage } from "./page";

const AT = Date.parse("2026-03-17T10:00:00Z");
const minute = (count: number) => AT + count * MINUTE_MS;
let db: Db;
let front: number;
let store: number;
let incident: number;
let rule: number;
useStore((made) => (db = made));

const place = (name: string, at = minute(-600)) =>
  insertComponent(
    db,
    {
      kind: "app.process",
      name,
      site: "N",
      reason: "",
      sourceId: null,
      hostId: null,
      address: null,
      keys: [`k:${name}`],
      facts: {},
    },
    at,
  );
function raise(componentId: number, severity: "major" | "critical", onset: number): number {
  const id = raiseAlarm(
    db,
    {
      subject: { type: "component", id: componentId },
      ruleId: rule,
      seriesId: null,
      detector: "calls",
      metric: "calls.slow",
      direction: "above",
      qualifier: "",
      severity,
      text: "half of the calls are slow",
      score: 80,
      onsetMs: minute(onset),
    },
    minute(onset + 1),
  );
  joinIncident(db, incident, id, "test", minute(onset + 1));
  return id;
}
beforeEach(() => {
  emptyEstate(db);
  db.exec(
    "DELETE FROM incident_event; DELETE FROM incident_alarm; DELETE FROM incident; DELETE FROM alarm_change; DELETE FROM alarm",
  );
  [front, store] = [place("front"), place("store")];
  rule =
    ruleNamed(db, "calls")?.id ??
    saveRule(db, undefined, {
      name: "calls",
      type: "calls",
      settings: {},
      scope: { subject: "component", kind: "*" },
      enabled: true,
    });
  insertRelation(
    db,
    { type: "talks-to", fromId: front, toId: store, detail: "tcp/5432", connections: 3, seenBy: "both" },
    minute(-500),
  );
  incident = openIncident(db, { subject: `component:${front}`, title: "Slow", severity: "major" }, minute(1));
  noteIncident(db, incident, "opened", "Opened: first alarm", "Holotaxis", minute(1));
  // First the symptom alarms, then what is behind it.
  const first = raise(front, "major", 0);
  const behind = raise(store, "critical", 4);
  acknowledgeAlarm(db, first, "Mara", minute(6));
  takeIncident(db, incident, "Mara", minute(6));
  noteIncident(db, incident, "taken", "Taken", "Mara", minute(6));
  changeAlarm(db, first, "critical", "critical", "all of the calls are slow", minute(7));
  confirmCause(db, incident, { componentId: store, line: null, name: "store", remark: "locked" }, "Mara", minute(8));
  for (const id of [first, behind]) changeAlarm(db, id, "cleared", "critical", "as usual again", minute(9));
  resolveIncident(db, incident, minute(9));
  noteIncident(db, incident, "resolved", "Resolved", "Holotaxis", minute(9));
});

const then = (count: number) => {
  const page = incidentPage(db, { id: incident, nowMs: minute(60), root: process.cwd(), thenMs: minute(count) });
  if (!page) throw new Error("It is not there.");
  return page;
};
const alarmsOf = (page: ReturnType<typeof then>) => page.alarms.map((one) => [one.subject, one.severity, one.text]);

describe("an incident as it was at an instant", () => {
  it("has the alarms of then, with their severities and words of then", () => {
    expect(alarmsOf(then(2))).toEqual([["front", "major", "half of the calls are slow"]]);
    expect(alarmsOf(then(5)).map(([name]) => name)).toEqual(["front", "store"]);
    expect(alarmsOf(then(7))[0]).toEqual(["front", "critical", "all of the calls are slow"]);
    expect(then(8).alarms.every((one) => one.cleared_at === null)).toBe(true);
    expect(then(9).alarms.every((one) => one.cleared_at === minute(9))).toBe(true);
  });
  it("is put down to what was known then", () => {
    const causes = (count: number) => then(count).incident.causes.map((one) => one.name);
    expect(causes(5)[0]).toBe("store");
    expect(then(2).incident.causes[0]?.explains).toEqual([then(2).alarms[0]?.id]);
    expect([then(7), then(8)].map((page) => page.incident.confirmed?.name)).toEqual([undefined, "store"]);
  });
  it("is nobody's before it was taken, open before it was resolved, and tells only of what had happened", () => {
    expect([5, 6].map((count) => then(count).incident.taken_by)).toEqual([null, "Mara"]);
    expect([5, 6].map((count) => then(count).alarms[0]?.acknowledged_by)).toEqual([null, "Mara"]);
    expect([8, 9].map((count) => then(count).isOpen)).toEqual([true, false]);
    expect(then(5).timeline.map((one) => one.text)).toEqual(["Opened: first alarm"]);
    expect(then(5).instants).toEqual([minute(1), minute(6), minute(9)]);
  });
  it("is never read as it was before it was opened or after it was over", () => {
    expect(then(-100).thenMs).toBe(minute(1));
    expect(then(500).thenMs).toBe(minute(9));
  });
  it("is left as it is where no instant is asked for", () => {
    const page = incidentPage(db, { id: incident, nowMs: minute(60), root: process.cwd() });
    expect([page?.thenMs, page?.instants, page?.isOpen, page?.timeline.length]).toEqual([null, [], false, 3]);
  });
});
