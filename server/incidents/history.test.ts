import { beforeEach, describe, expect, it } from "vitest";
import { DAY_MS, HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { useStore } from "../../tests/store";
import { raiseAlarm, saveRule } from "../store/alarms";
import type { Db } from "../store/database";
import { insertComponent } from "../store/estate";
import { History } from "./history";

const AT = Date.parse("2026-03-17T10:00:00Z");
let db: Db;
useStore((made) => (db = made));
let host: number;
let rule: number;

beforeEach(() => {
  db.exec(
    "DELETE FROM incident; DELETE FROM alarm; DELETE FROM rule; DELETE FROM component_key; DELETE FROM component",
  );
  host = insertComponent(
    db,
    {
      kind: "host.linux",
      name: "h-1",
      site: "North",
      sourceId: null,
      hostId: null,
      address: null,
      reason: "",
      keys: ["k:h-1"],
      facts: {},
    },
    AT - 100 * DAY_MS,
  );
  rule = saveRule(db, undefined, {
    name: "r",
    type: "threshold",
    settings: {},
    scope: { subject: "component", kind: "*" },
    enabled: true,
  });
});

/** An alarm that was raised and cleared so many days ago; open where none is given. */
function alarm(qualifier: string, clearedDaysAgo?: number): number {
  const subject = { type: "component" as const, id: host };
  const atMs = AT - (clearedDaysAgo ?? 50) * DAY_MS;
  const id = raiseAlarm(
    db,
    {
      subject,
      ruleId: rule,
      seriesId: null,
      detector: "threshold",
      metric: "cpu.used",
      direction: "above",
      qualifier,
      severity: "major",
      text: "busy",
      score: 90,
      onsetMs: atMs,
    },
    atMs,
  );
  if (clearedDaysAgo !== undefined)
    db.prepare("UPDATE alarm SET severity = 'cleared', cleared_at = ? WHERE id = ?").run(atMs, id);
  return id;
}
function incident(alarmId: number, resolvedDaysAgo: number | null): number {
  const at = AT - 50 * DAY_MS;
  const { lastInsertRowid } = db
    .prepare(
      "INSERT INTO incident (subject, title, severity, worst, opened_at, resolved_at) VALUES ('', 't', 'major', 'major', ?, ?)",
    )
    .run(at, resolvedDaysAgo === null ? null : AT - resolvedDaysAgo * DAY_MS);
  db.prepare("INSERT INTO incident_alarm (incident_id, alarm_id, joined_at, why) VALUES (?, ?, ?, '')").run(
    lastInsertRowid,
    alarmId,
    at,
  );
  return Number(lastInsertRowid);
}
const left = (table: "alarm" | "incident") => db.prepare(`SELECT id FROM ${table} ORDER BY id`).pluck().all();

describe("history", () => {
  it("goes when it was over for longer than it is kept, what stands and what belongs to something kept stays", () => {
    const [open, old, recent] = [alarm("a"), alarm("b", 31), alarm("c", 29)];
    const [ofKept, ofGone] = [alarm("d", 40), alarm("e", 40)];
    const kept = incident(ofKept, 29);
    incident(ofGone, 31);
    const stillOpen = incident(open, null);
    expect(new History(db).purge(AT, 30 * DAY_MS)).toBe(3);
    expect(left("incident")).toEqual([kept, stillOpen]);
    expect(left("alarm")).toEqual([open, recent, ofKept]);
    expect(old).toBeGreaterThan(0);
  });
  it("is looked through once an hour, and at every tick while much is left", () => {
    for (let index = 0; index < 250; index++) alarm(String(index), 40);
    const history = new History(db);
    const at = (ms: number) => history.purge(AT + ms, 30 * DAY_MS);
    expect([at(0), at(1000), at(2000), at(3000)]).toEqual([100, 100, 50, 0]);
    alarm("late", 40);
    expect(at(MINUTE_MS)).toBe(0);
    expect(at(HOUR_MS + MINUTE_MS)).toBe(1);
    // A clock that was set back does not stop it.
    alarm("later", 40);
    expect(at(-5 * HOUR_MS)).toBe(1);
  });
});
