import { beforeEach, describe, expect, it } from "vitest";
import type { PlannedWork } from "#core/changes/planned-work";
import { HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { useStore } from "../../tests/store";
import { activeAlarms, raiseAlarm, saveRule } from "../store/alarms";
import type { Db } from "../store/database";
import { insertComponent } from "../store/estate";
import { noteRun } from "../store/jobs";
import { endPlannedWork, savePlannedWork } from "../store/planned-work";
import { addShelf, endShelf } from "../store/quiet";
import { insertSource } from "../store/sources";
import { replaceTickets } from "../store/tickets";
import { AlarmBook, type AlarmEvent } from "./alarm-book";
import { Quiet } from "./quiet";

const AT = Date.parse("2026-03-17T10:00:00Z");
let db: Db;
useStore((made) => (db = made));
let host: number;
let rule: number;
let source: number;

beforeEach(() => {
  db.exec(
    "DELETE FROM job_run; DELETE FROM job; DELETE FROM alarm_comment; DELETE FROM alarm; DELETE FROM shelf; DELETE FROM planned_work; DELETE FROM rule; DELETE FROM ticket; DELETE FROM source; DELETE FROM component_key; DELETE FROM component",
  );
  below = new Set();
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
    AT,
  );
  rule = saveRule(db, undefined, {
    name: "r",
    type: "threshold",
    settings: {},
    scope: { subject: "component", kind: "*" },
    enabled: true,
  });
  source = insertSource(
    db,
    { kind: "tickets", name: "Desk", site: "North", settings: {}, pollSeconds: null, sweepEvery: null } as never,
    undefined,
    AT,
  );
});

/** Where calls of the host go badly. */
let below: ReadonlySet<number> = new Set();
const quiet = () =>
  new Quiet(db, {
    namesOf: ({ id }) =>
      id === host
        ? { own: ["h-1"], program: "app", components: [host] }
        : { own: ["store @ h-9"], program: "store", components: [id] },
    badAt: () => below,
  });

function raise(atMs = AT, metric = "cpu.used"): AlarmEvent {
  const subject = { type: "component" as const, id: host };
  const id = raiseAlarm(
    db,
    {
      subject,
      ruleId: rule,
      seriesId: null,
      detector: "threshold",
      metric,
      direction: "above",
      qualifier: "",
      severity: "major",
      text: "busy",
      score: 90,
      onsetMs: atMs,
    },
    atMs,
  );
  return { what: "raised", alarmId: id, subject, metric, severity: "major", text: "busy", atMs };
}
const shelve = (untilMs: number) =>
  addShelf(db, {
    subject: { type: "component", id: host },
    alarmType: "cpu.used.high",
    qualifier: "",
    reason: "being replaced",
    by: "Anna",
    at: AT,
    untilMs,
  });

describe("an alarm that is shelved", () => {
  it("is kept and tells nobody, and is heard when the shelf ends and it stands still", () => {
    shelve(AT + HOUR_MS);
    const one = quiet();
    const event = raise();
    expect(one.hear([event], AT)).toEqual([]);
    expect(activeAlarms(db)[0]).toMatchObject({ quiet: "shelved by Anna: being replaced", quiet_until: AT + HOUR_MS });
    expect(one.hear([], AT + 30 * MINUTE_MS)).toEqual([]);
    expect(one.hear([], AT + HOUR_MS + MINUTE_MS)).toMatchObject([{ what: "raised", alarmId: event.alarmId }]);
    expect(activeAlarms(db)[0]?.quiet).toBeNull();
  });
  it("is not told of when it clears meanwhile", () => {
    shelve(AT + HOUR_MS);
    const one = quiet();
    const event = raise();
    one.hear([event], AT);
    const book = new AlarmBook(db);
    const cleared = book.clearAll(event.subject, "well again", AT + MINUTE_MS);
    expect(one.hear(cleared, AT + MINUTE_MS)).toEqual([]);
    expect(one.hear([], AT + 2 * HOUR_MS)).toEqual([]);
  });
  it("goes quiet while it stands, and is heard again when it is taken down", () => {
    const one = quiet();
    const event = raise();
    expect(one.hear([event], AT)).toHaveLength(1);
    const id = shelve(AT + HOUR_MS);
    one.changed();
    expect(one.hear([], AT + MINUTE_MS)).toMatchObject([{ what: "cleared", text: "Kept quiet" }]);
    expect(endShelf(db, id, AT + 2 * MINUTE_MS)).toBe(true);
    one.changed();
    expect(one.hear([], AT + 2 * MINUTE_MS)).toMatchObject([{ what: "raised" }]);
  });
  it("does not keep others of the same thing quiet", () => {
    shelve(AT + HOUR_MS);
    const other = raiseAlarm(
      db,
      {
        subject: { type: "component", id: host },
        ruleId: rule,
        seriesId: null,
        detector: "threshold",
        metric: "memory.used",
        direction: "above",
        qualifier: "",
        severity: "major",
        text: "full",
        score: 90,
        onsetMs: AT,
      },
      AT,
    );
    const event: AlarmEvent = {
      what: "raised",
      alarmId: other,
      subject: { type: "component", id: host },
      metric: "memory.used",
      severity: "major",
      text: "full",
      atMs: AT,
    };
    expect(quiet().hear([event], AT)).toEqual([event]);
  });
});

describe("planned work", () => {
  const ticket = (fromMs: number, toMs: number, things: string[]) =>
    replaceTickets(
      db,
      source,
      [{ ref: "CHG-1", title: "New disk", state: "planned", person: "Ben", fromMs, toMs, things }],
      AT,
    );
  it("keeps what it is about quiet while it is under way, and what is left over is told of after it", () => {
    ticket(AT, AT + HOUR_MS, ["H-1"]);
    const one = quiet();
    expect(one.hear([raise()], AT)).toEqual([]);
    expect(activeAlarms(db)[0]?.quiet).toBe("planned work CHG-1: New disk");
    expect(one.hear([], AT + HOUR_MS + MINUTE_MS)).toMatchObject([{ what: "raised", text: "busy" }]);
  });
  it("keeps nothing quiet before or after its window, or of something else", () => {
    ticket(AT + HOUR_MS, AT + 2 * HOUR_MS, ["h-1"]);
    expect(quiet().hear([raise()], AT)).toHaveLength(1);
    db.exec("DELETE FROM alarm");
    ticket(AT, AT + HOUR_MS, ["h-2"]);
    expect(quiet().hear([raise()], AT)).toHaveLength(1);
  });
});

describe("planned work", () => {
  const work = (things: string[], hours: number) =>
    replaceTickets(
      db,
      source,
      [
        {
          ref: "CHG-1",
          title: "work",
          state: "approved",
          person: "Anna",
          fromMs: AT - MINUTE_MS,
          toMs: AT + hours * HOUR_MS,
          things,
        },
      ],
      AT,
    );
  it("keeps quiet what it names by its host, or by its program where it names no host", () => {
    work(["h-1"], 1);
    expect(quiet().hear([raise()], AT)).toEqual([]);
    db.exec("DELETE FROM alarm");
    work(["app"], 1);
    expect(quiet().hear([raise(AT + 1)], AT)).toEqual([]);
    db.exec("DELETE FROM alarm");
    // The program on another host.
    insertComponent(
      db,
      {
        kind: "host.linux",
        name: "h-2",
        site: "North",
        sourceId: null,
        hostId: null,
        address: null,
        reason: "",
        keys: ["k:h-2"],
        facts: {},
      },
      AT,
    );
    work(["h-2", "app"], 1);
    expect(quiet().hear([raise(AT + 2)], AT)).toHaveLength(1);
  });
  it("keeps calls quiet that go badly at what it is on, while they do, for half an hour", () => {
    work(["store @ h-9"], 6);
    below = new Set([9999]);
    const one = quiet();
    expect(one.hear([raise()], AT), "another figure").toHaveLength(1);
    expect(one.hear([raise(AT, "calls.failing")], AT)).toEqual([]);
    expect(activeAlarms(db).find((alarm) => alarm.metric === "calls.failing")?.quiet).toBe(
      "planned work CHG-1: work, on store @ h-9, where its calls go badly",
    );
    expect(one.hear([], AT + 10 * MINUTE_MS)).toEqual([]);
    expect(one.hear([], AT + 31 * MINUTE_MS)).toMatchObject([{ what: "raised", metric: "calls.failing" }]);
  });
  it("keeps calls that go badly elsewhere by now quiet no more", () => {
    work(["store @ h-9"], 6);
    below = new Set([9999]);
    const one = quiet();
    expect(one.hear([raise(AT, "calls.slow")], AT)).toEqual([]);
    below = new Set([host + 1]);
    work(["somebody else"], 6);
    expect(one.hear([], AT + 2 * MINUTE_MS)).toMatchObject([{ what: "raised", metric: "calls.slow" }]);
  });
  it("of a window of days keeps nothing quiet", () => {
    work(["h-1"], 48);
    expect(quiet().hear([raise()], AT)).toHaveLength(1);
  });
});

describe("work that somebody planned by hand", () => {
  const plan = (changes: Partial<PlannedWork> = {}) =>
    savePlannedWork(
      db,
      undefined,
      {
        title: "New disk",
        scope: { of: "components", filter: "kind=host.linux&site=North" },
        startsAt: "2026-03-17T09:30",
        zone: "UTC",
        minutes: 60,
        repeats: "",
        ...changes,
      },
      "Anna",
      AT,
    );
  it("keeps what its filter finds quiet in its window, and what is left over is told of after it", () => {
    plan();
    const one = quiet();
    expect(one.hear([raise()], AT)).toEqual([]);
    expect(activeAlarms(db)[0]?.quiet).toBe("planned work of Anna: New disk");
    expect(one.hear([], AT + 31 * MINUTE_MS)).toMatchObject([{ what: "raised", text: "busy" }]);
  });
  it("is heard as soon as somebody ends it, and kept quiet again the next time", () => {
    const id = plan({ repeats: "FREQ=DAILY" });
    const one = quiet();
    expect(one.hear([raise()], AT)).toEqual([]);
    endPlannedWork(db, id, AT + MINUTE_MS);
    one.changed();
    expect(one.hear([], AT + MINUTE_MS)).toHaveLength(1);
    db.exec("DELETE FROM alarm");
    expect(one.hear([raise(AT + 24 * HOUR_MS)], AT + 24 * HOUR_MS)).toEqual([]);
  });
  it.each([
    ["of another site", { scope: { of: "components", filter: "site=South" } }],
    ["of a service that is gone", { scope: { of: "service", uid: "gone" } }],
    ["that is over", { startsAt: "2026-03-17T08:00" }],
    ["that is still to come", { startsAt: "2026-03-17T10:30" }],
  ] as const)("%s keeps nothing quiet", (_, changes) => {
    plan(changes);
    expect(quiet().hear([raise()], AT)).toHaveLength(1);
  });
});

describe("a batch job that runs", () => {
  const run = (startMs: number, endMs?: number) => {
    const told = { componentId: host, job: "copy", toldBy: "logs" as const };
    noteRun(db, { ...told, atMs: startMs }, "begins");
    if (endMs !== undefined) noteRun(db, { ...told, atMs: endMs }, "ends");
  };
  it("is the reason for the load of its host, not for its memory, until some minutes after it ended", () => {
    run(AT - 5 * MINUTE_MS);
    const one = quiet();
    expect(one.hear([raise()], AT)).toEqual([]);
    expect(activeAlarms(db)[0]?.quiet).toMatch(/^the load of job copy, which began at 09:55/);
    expect(one.hear([raise(AT, "memory.used")], AT)).toHaveLength(1);
    noteRun(db, { componentId: host, job: "copy", toldBy: "logs", atMs: AT + 20 * MINUTE_MS }, "ends");
    expect(one.hear([], AT + 25 * MINUTE_MS)).toEqual([]);
    expect(one.hear([], AT + 31 * MINUTE_MS)).toMatchObject([{ what: "raised", metric: "cpu.used" }]);
  });
  it("is none any more where it runs far longer than usual", () => {
    for (const days of [4, 3, 2, 1]) run(AT - days * 24 * HOUR_MS, AT - days * 24 * HOUR_MS + 40 * MINUTE_MS);
    run(AT);
    const one = quiet();
    expect(one.hear([raise(AT + MINUTE_MS)], AT + MINUTE_MS)).toEqual([]);
    expect(one.hear([], AT + 60 * MINUTE_MS)).toEqual([]);
    expect(one.hear([], AT + 71 * MINUTE_MS)).toMatchObject([{ what: "raised" }]);
  });
});
