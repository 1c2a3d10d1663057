import { beforeEach, expect, it } from "vitest";
import { DAY_MS } from "#core/time/windows";
import { emptyEstate, useStore } from "../../tests/store";
import { raiseAlarm, saveRule } from "../store/alarms";
import type { Db } from "../store/database";
import { insertComponent } from "../store/estate";
import { componentsInTrouble } from "../store/incidents";
import { insertRelation } from "../store/relations";
import { saveService, writeMembers } from "../store/services";
import { KnownEstate } from "./known-estate";

const AT = Date.parse("2026-03-17T10:00:00Z");
let db: Db;
useStore((made) => (db = made));
beforeEach(() => {
  db.exec(
    "DELETE FROM incident_alarm; DELETE FROM incident; DELETE FROM alarm; DELETE FROM member; DELETE FROM service",
  );
  emptyEstate(db);
});

const add = (name: string, kind: string) =>
  insertComponent(
    db,
    { kind, name, site: "N", reason: "", sourceId: null, hostId: null, address: null, keys: [`k:${name}`], facts: {} },
    AT - DAY_MS,
  );
const relate = (type: "talks-to" | "runs-on", fromId: number, toId: number) =>
  insertRelation(db, { type, fromId, toId, detail: "", connections: 1, seenBy: "test" }, AT - DAY_MS);
function serviceAt(uid: string, entry: number): number {
  const id = saveService(db, { uid, name: uid, purpose: "", owner: "", entries: [] }, AT - DAY_MS);
  writeMembers(db, id, new Set([entry]), new Set([entry]), AT - DAY_MS);
  return id;
}

it("knows the services over what is in trouble: those that are entered there, or rely on it", () => {
  const [desk, door, store, other, host] = [
    add("desk", "app.process"),
    add("door", "app.process"),
    add("store", "db.relational"),
    add("other", "app.process"),
    add("host", "host.linux"),
  ] as [number, number, number, number, number];
  relate("talks-to", desk, store);
  relate("talks-to", door, desk);
  relate("runs-on", store, host);
  const [sale, entrance, apart] = [serviceAt("sale", desk), serviceAt("entrance", door), serviceAt("apart", other)];
  const estate = new KnownEstate(db, () => AT);
  estate.reload();
  estate.readRelations();
  const over = (...ids: number[]) => [...estate.servicesOver(ids)].sort((a, b) => a - b);
  expect(over(host)).toEqual([sale, entrance]);
  expect(over(door)).toEqual([entrance]);
  expect(over(other, store)).toEqual([sale, entrance, apart]);
  expect(over()).toEqual([]);
});

it("takes for trouble what stands in an open incident, is no mere warning, and is not announced", () => {
  const ids = ["stands", "warns", "quiet", "over", "of none", "resolved"].map((name) => add(name, "host.linux"));
  const incident = (resolvedAt: number | null) =>
    Number(
      db
        .prepare(
          "INSERT INTO incident (subject, title, severity, worst, opened_at, resolved_at) VALUES ('s', 't', 'major', 'major', ?, ?)",
        )
        .run(AT, resolvedAt).lastInsertRowid,
    );
  const [open, resolved] = [incident(null), incident(AT)];
  const scope = { subject: "component", kind: "*" } as const;
  const rule = saveRule(db, undefined, { name: "high", type: "threshold", settings: {}, scope, enabled: true });
  ids.forEach((id, at) => {
    const alarm = raiseAlarm(
      db,
      {
        subject: { type: "component", id },
        ruleId: rule,
        seriesId: null,
        detector: "threshold",
        metric: "cpu.used",
        direction: "above",
        qualifier: "",
        severity: at === 1 ? "warning" : "major",
        score: 1,
        onsetMs: AT,
        text: "high",
      },
      AT,
    );
    if (at === 2) db.prepare("UPDATE alarm SET quiet = 'planned' WHERE id = ?").run(alarm);
    if (at === 3) db.prepare("UPDATE alarm SET cleared_at = ?, severity = 'cleared' WHERE id = ?").run(AT, alarm);
    if (at !== 4)
      db.prepare("INSERT INTO incident_alarm (incident_id, alarm_id, joined_at, why) VALUES (?, ?, ?, '')").run(
        at === 5 ? resolved : open,
        alarm,
        AT,
      );
  });
  expect(componentsInTrouble(db)).toEqual([ids[0]]);
});
