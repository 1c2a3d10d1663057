import { beforeEach, describe, expect, it } from "vitest";
import { MINUTE_MS, SECOND_MS } from "#core/time/windows";
import { emptyEstate, useStore } from "../../tests/store";
import type { AlarmEvent } from "../alarms/alarm-book";
import { readHarmMap } from "../causes/harm-map";
import { readGraph } from "../estate/services";
import { raiseAlarm, saveRule } from "../store/alarms";
import { insertChange } from "../store/changes";
import type { Db } from "../store/database";
import { componentById, insertComponent } from "../store/estate";
import { incidentById, incidentEvents, recentIncidents } from "../store/incidents";
import { insertRelation } from "../store/relations";
import { correlate } from "./correlate";
import { Reconsider } from "./reconsider";
import type { Affected } from "./refresh";

const AT = Date.parse("2026-03-17T10:00:00Z");
let db: Db;
useStore((made) => (db = made));
let machine = 0;
let front = 0;
let board = 0;
let rule = 0;

function component(kind: string, name: string, hostId: number | null) {
  const place = {
    site: "N",
    reason: "test",
    sourceId: null,
    address: null,
    keys: [`k:${name}`],
    facts: {},
    ...(hostId === null ? {} : { process: name }),
  };
  return insertComponent(db, { kind, name, hostId, ...place }, AT - 86_400_000);
}

beforeEach(() => {
  emptyEstate(db);
  db.exec(
    "DELETE FROM incident_alarm; DELETE FROM incident_event; DELETE FROM incident; DELETE FROM alarm; DELETE FROM rule",
  );
  machine = 0;
  rule = saveRule(db, undefined, {
    name: "Calls",
    type: "calls",
    settings: {},
    scope: { subject: "component", kind: "app.*" },
    enabled: true,
  });
  front = component("app.process", "front", component("host.linux", "h-1", null));
  board = component("app.process", "board", component("host.linux", "h-2", null));
  insertRelation(
    db,
    { type: "talks-to", fromId: front, toId: board, detail: "", connections: 1, seenBy: "test" },
    AT - 86_400_000,
  );
});

const affected = (): Affected => {
  const graph = readGraph(db);
  return {
    graph,
    harm: () => readHarmMap(db, graph, new Map()),
    servicesOf: () => [],
    nameOf: ({ id }) => componentById(db, id)?.name ?? "",
    siteOf: () => "N",
    entriesOf: () => new Set<number>(),
  };
};

/** The front's calls fail; everything else is told of later. */
function incident(): number {
  const alarm = {
    subject: { type: "component" as const, id: front },
    detector: "calls",
    metric: "calls.failing",
    direction: "above" as const,
    qualifier: "",
    severity: "major" as const,
    text: "bad",
  };
  const alarmId = raiseAlarm(db, { ...alarm, ruleId: rule, seriesId: null, score: 90, onsetMs: AT }, AT);
  correlate(db, [{ ...alarm, what: "raised", alarmId, atMs: AT } as unknown as AlarmEvent], affected());
  return recentIncidents(db, Number.MAX_SAFE_INTEGER)[0]?.id as number;
}
const started = (componentId: number, afterMs: number) =>
  insertChange(db, { atMs: AT + afterMs, kind: "restart", componentId, summary: "started anew", by: "polling" });
const first = (id: number) => incidentById(db, id)?.causes[0]?.name;
const reconsider = () => new Reconsider(db, affected, () => (machine += 1));

describe("causes of a young incident", () => {
  it("are looked at again by themselves, and told where they are others", () => {
    const id = incident();
    const one = reconsider();
    expect(first(id)).toBe("front");
    started(board, 2000);
    expect(one.work(AT + 5 * SECOND_MS)).toEqual([]);
    expect(first(id)).toBe("front");
    machine += 1000;
    expect(one.work(AT + 10 * SECOND_MS)).toEqual([{ what: "changed", incidentId: id }]);
    expect(first(id)).toBe("board");
    expect(incidentEvents(db, id).map(({ text }) => text)).toContainEqual(
      expect.stringContaining("Likeliest cause: board"),
    );
  });
  it("are not told again where nothing else came of it", () => {
    const id = incident();
    const one = reconsider();
    const events = incidentEvents(db, id).length;
    expect(one.work(AT + 10 * SECOND_MS)).toEqual([]);
    expect(incidentEvents(db, id)).toHaveLength(events);
  });
  it("are looked at often at first, then seldom, then no more", () => {
    const id = incident();
    const one = reconsider();
    let looks = 0;
    const told = (fromMs: number, toMs: number) => {
      looks = 0;
      for (let at = fromMs; at < toMs; at += 5 * SECOND_MS) {
        machine += 1000;
        db.prepare("UPDATE incident SET title = 'anything' WHERE id = ?").run(id);
        looks += one.work(AT + at).length;
      }
      return looks;
    };
    expect(told(0, 5 * MINUTE_MS)).toBe(29);
    expect(told(5 * MINUTE_MS, 30 * MINUTE_MS)).toBe(25);
    expect(told(30 * MINUTE_MS, 40 * MINUTE_MS)).toBe(0);
  });
  it("rest ten times as long as they took of the machine", () => {
    const id = incident();
    db.prepare("UPDATE incident SET title = 'anything' WHERE id = ?").run(id);
    let clock = 0;
    const one = new Reconsider(db, affected, () => (clock += 20));
    expect(one.work(AT + 10 * SECOND_MS)).toHaveLength(1);
    const tookUntil = clock + 10 * 20;
    started(board, 2000);
    while (clock < tookUntil - 40) expect(one.work(AT + 30 * SECOND_MS)).toEqual([]);
    while (clock < tookUntil + 20) one.work(AT + 30 * SECOND_MS);
    expect(first(id)).toBe("board");
  });
});

describe("a start of a process", () => {
  it.each<[string, () => void]>([
    ["long before", () => started(board, -3 * MINUTE_MS)],
    [
      "after somebody ran something there",
      () => {
        insertChange(db, { atMs: AT - 60_000, kind: "runbook", componentId: board, summary: "Restart", by: "Ben" });
        started(board, 2000);
      },
    ],
    [
      "after a release",
      () => {
        insertChange(db, {
          atMs: AT - 3 * MINUTE_MS,
          kind: "runbook",
          componentId: componentById(db, board)?.host_id ?? 0,
          summary: "2.0",
          by: "Ben",
        });
        started(board, 2000);
      },
    ],
    [
      "with all of its host",
      () => {
        started(componentById(db, board)?.host_id ?? 0, 2000);
        started(board, 2000);
      },
    ],
  ])("says nothing against it: %s", (_, happens) => {
    const id = incident();
    happens();
    machine += 1000;
    reconsider().work(AT + 10 * SECOND_MS);
    expect(first(id)).toBe("front");
  });
});
