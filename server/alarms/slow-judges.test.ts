import { beforeEach, describe, expect, it } from "vitest";
import { MINUTE_MS } from "#core/time/windows";
import { emptyEstate, useStore } from "../../tests/store";
import { SampleWriter } from "../ingest/sample-writer";
import { activeAlarms, saveRule, type RuleRow } from "../store/alarms";
import { insertChange } from "../store/changes";
import type { Db } from "../store/database";
import { insertComponent } from "../store/estate";
import { findingsIn } from "../store/findings";
import { insertSource } from "../store/sources";
import { replaceTickets } from "../store/tickets";
import { AlarmBook } from "./alarm-book";
import { ChangeJudge } from "./change-judge";
import { Others } from "./others";
import { saveService } from "../store/services";
import { SilenceJudge } from "./silence-judge";
import { StateJudge } from "./state-judge";

const AT = Date.parse("2026-03-17T10:00:00Z");
const at = (minute: number) => AT + minute * MINUTE_MS;
let db: Db;
useStore((made) => (db = made));
beforeEach(() => {
  emptyEstate(db);
  db.exec("DELETE FROM alarm; DELETE FROM finding; DELETE FROM rule; DELETE FROM change; DELETE FROM sample_wal");
});

const add = (name: string, more: Partial<Parameters<typeof insertComponent>[1]> = {}) =>
  insertComponent(
    db,
    {
      kind: "app.server",
      name,
      site: "",
      sourceId: null,
      hostId: null,
      address: null,
      reason: "",
      keys: [`k:${name}`],
      facts: {},
      ...more,
    },
    AT - 30 * 24 * 60 * MINUTE_MS,
  );
const rule = (name: string, type: string, settings: unknown, scope: RuleRow["scope"], enabled = true) =>
  saveRule(db, undefined, { name, type, settings, scope, enabled });
const APPS = { subject: "component", kind: "app.*" } as const;
const context = {
  kindOf: () => "app.server",
  isWatched: () => true,
  serviceUid: () => "gate",
  servicesOf: (_id: number): { id: number }[] => [],
  hostOf: (id: number) => id,
};
const judged = <T>(work: () => T): T => db.transaction(work)();

describe("silence", () => {
  const settings = { metric: "orders.taken", times: 4, minutes: 5, forget: 24, severity: "major", as: "alarm" };
  const world = () => {
    const writer = new SampleWriter(db);
    const id = add("orders");
    const series = writer.series({ componentId: id, serviceId: null }, "orders.taken", "", "1", AT);
    for (let minute = 0; minute <= 60; minute++) writer.record(series, at(minute), minute);
    const book = new AlarmBook(db);
    const judge = new SilenceJudge(db, book, writer, context);
    /** Looks at it as a server does that is there all the time. */
    const listens = (looked = judge, from = 60) => {
      for (let minute = from; minute < from + 6; minute += 2) judged(() => looked.evaluate(at(minute)));
    };
    return { writer, id, series, book, judge, listens };
  };

  it("is told of once when something is late by its own rhythm, and ends when it comes again", () => {
    rule("orders", "silence", settings, APPS);
    const { writer, id, series, judge, listens } = world();
    listens();
    expect(activeAlarms(db)).toEqual([]);
    const [event] = judged(() => judge.evaluate(at(66)));
    expect(event).toMatchObject({ what: "raised", subject: { type: "component", id }, severity: "major" });
    expect(activeAlarms(db)[0]).toMatchObject({ metric: "orders.taken", direction: "below", onset_at: at(61) });
    expect(judged(() => judge.evaluate(at(70)))).toEqual([]);
    writer.record(series, at(71), 1);
    expect(judged(() => judge.evaluate(at(71.5)))).toMatchObject([{ what: "cleared" }]);
  });

  it("is not told of a host that is known not to answer", () => {
    rule("orders", "silence", settings, APPS);
    const { id, judge, book, listens } = world();
    const down = {
      subject: { type: "component" as const, id },
      ruleId: 0,
      seriesId: null,
      detector: "threshold",
      metric: "reachable",
      direction: "below" as const,
      qualifier: "",
    };
    db.pragma("foreign_keys = OFF");
    judged(() => book.take(down, { severity: "critical", score: 90, onsetMs: at(61), text: "down" }, at(62)));
    db.pragma("foreign_keys = ON");
    listens();
    expect(judged(() => judge.evaluate(at(66)))).toEqual([]);
  });

  it("of a service's figures is not told of while a host of it is known not to answer", () => {
    const serviceId = saveService(db, { uid: "gate", name: "Gate", purpose: "", owner: "", entries: [] }, AT);
    rule("orders", "silence", settings, { subject: "service", service: "*" });
    const { writer, id, book } = world();
    const series = writer.series({ componentId: null, serviceId }, "orders.taken", "", "1", AT);
    for (let minute = 0; minute <= 60; minute++) writer.record(series, at(minute), minute);
    let services: { id: number }[] = [{ id: serviceId }];
    const judge = new SilenceJudge(db, book, writer, { ...context, servicesOf: () => services });
    const down = { subject: { type: "component" as const, id }, metric: "reachable", direction: "below" as const };
    db.pragma("foreign_keys = OFF");
    const kind = { ...down, ruleId: 0, seriesId: null, detector: "threshold", qualifier: "" };
    judged(() => book.take(kind, { severity: "critical", score: 90, onsetMs: at(61), text: "down" }, at(62)));
    db.pragma("foreign_keys = ON");
    for (let minute = 60; minute < 67; minute += 2) expect(judged(() => judge.evaluate(at(minute)))).toEqual([]);
    // A host of another service is no reason.
    services = [];
    expect(judged(() => judge.evaluate(at(68)))).toMatchObject([
      { what: "raised", subject: { type: "service", id: serviceId } },
    ]);
  });

  it("goes on standing over a restart, and ends when its rule is switched off", () => {
    const id = rule("orders", "silence", settings, APPS);
    const { writer, judge, listens } = world();
    listens();
    judged(() => judge.evaluate(at(66)));
    const again = new SilenceJudge(db, new AlarmBook(db), writer, context);
    expect(judged(() => again.evaluate(at(67)))).toEqual([]);
    saveRule(db, id, { name: "orders", type: "silence", settings, scope: APPS, enabled: false });
    again.loadRules();
    expect(judged(() => again.evaluate(at(68)))).toMatchObject([
      { what: "cleared", text: "The rule was switched off" },
    ]);
  });

  it("is judged after a start only when what came last is read again, bit by bit", () => {
    rule("orders", "silence", settings, APPS);
    const { writer, id, listens } = world();
    for (let index = 0; index < 350; index++)
      writer.record(writer.series({ componentId: id, serviceId: null }, "orders.taken", `${index}`, "1", AT), at(0), 1);
    writer.commit("everything", () => undefined);
    const fresh = new SampleWriter(db);
    const judge = new SilenceJudge(db, new AlarmBook(db), fresh, context);
    listens(judge);
    expect(activeAlarms(db)).toEqual([]);
    expect(judged(() => judge.evaluate(at(66)))).toMatchObject([{ what: "raised" }]);
  });

  it("is judged only of the time in which it was listened for: not of a server's own absence", () => {
    rule("orders", "silence", settings, APPS);
    const { judge } = world();
    // Away since 60, and held up from 104 to 120.
    for (const minute of [100, 104, 120, 124]) expect(judged(() => judge.evaluate(at(minute)))).toEqual([]);
    expect(judged(() => judge.evaluate(at(126)))).toMatchObject([{ what: "raised" }]);
  });

  it("can be evidence only", () => {
    rule("orders", "silence", { ...settings, as: "finding" }, APPS);
    const { judge, listens } = world();
    listens();
    expect(judged(() => judge.evaluate(at(66)))).toEqual([]);
    expect(findingsIn(db, at(60), at(70), 10)).toMatchObject([{ metric: "orders.taken" }]);
    expect(activeAlarms(db)).toEqual([]);
  });

  it("of anything at all is about what is sent, by component", () => {
    rule("any", "silence", { ...settings, metric: "*" }, APPS);
    const { judge, listens } = world();
    listens();
    // What is polled is missed by whoever polls it.
    expect(judged(() => judge.evaluate(at(66)))).toEqual([]);
  });
});

describe("a combination", () => {
  const world = (when: string, scope: RuleRow["scope"] = { subject: "service", service: "*" }) => {
    const cpu = rule("Member CPU", "threshold", {}, APPS);
    rule("Half of it", "composite", { when, minutes: 0, says: "", severity: "major" }, scope);
    const ids = ["a", "b", "c"].map((name) => add(name));
    const writer = new SampleWriter(db);
    const book = new AlarmBook(db);
    const judge = new StateJudge(db, book, writer, {
      ...context,
      servicesOf: () => [{ id: 7 }],
      components: () => ids.map((id) => [id, { name: `c${id}`, hostId: null }] as const),
      serviceIds: () => [[7, { name: "Gate" }]],
    });
    const raise = (id: number) =>
      judged(() =>
        book.take(
          {
            subject: { type: "component", id },
            ruleId: cpu,
            seriesId: null,
            detector: "threshold",
            metric: "cpu.used",
            direction: "above",
            qualifier: "",
          },
          { severity: "major", score: 90, onsetMs: AT, text: "busy" },
          AT,
        ),
      );
    return { ids, writer, judge, raise };
  };

  it("counts the members of a service that are unwell", () => {
    const { ids, judge, raise } = world('unwell("Member CPU", minor) >= 2');
    raise(ids[0] as number);
    expect(judged(() => judge.evaluate(at(1)))).toEqual([]);
    raise(ids[1] as number);
    expect(judged(() => judge.evaluate(at(2)))).toMatchObject([
      { what: "raised", subject: { type: "service", id: 7 }, severity: "major" },
    ]);
    // Its own alarm is no reason for itself.
    expect(judged(() => judge.evaluate(at(3)))).toEqual([]);
  });

  it("reads figures that came lately", () => {
    const { ids, writer, judge } = world('figure("queue.depth") > 100.0', APPS);
    const series = writer.series({ componentId: ids[2] as number, serviceId: null }, "queue.depth", "", "1", AT);
    writer.record(series, at(0), 250);
    expect(judged(() => judge.evaluate(at(1)))).toMatchObject([{ subject: { type: "component", id: ids[2] } }]);
    // What did not come for a quarter of an hour is nothing any more.
    expect(judged(() => judge.evaluate(at(20)))).toMatchObject([{ what: "cleared" }]);
  });
});

describe("changes", () => {
  const settings = { standing: "wrong", kind: "", words: "", hours: 4, severity: "minor" };
  const change = (componentId: number, minute: number, summary: string) =>
    insertChange(db, { atMs: at(minute), kind: "setting", componentId, summary, by: "d.hale" });

  it("without a ticket are told of where a source tells of tickets, until their time is over", () => {
    rule("unplanned", "changes", settings, APPS);
    const [one, other] = [add("a"), add("b")];
    const desk = insertSource(
      db,
      { kind: "tickets", name: "Desk", site: "", settings: {}, pollSeconds: null, sweepEvery: null } as never,
      "",
      AT,
    );
    const ticket = {
      ref: "CHG-7",
      title: "",
      state: "planned",
      person: "",
      fromMs: at(-60),
      toMs: at(60),
      things: ["b"],
    };
    replaceTickets(db, desk, [ticket], AT);
    change(one, 0, "pool.size: “40” became “4”");
    change(other, 0, "pool.size: “40” became “4”");
    change(one, 0, "version “3” is no longer reported");
    const judge = new ChangeJudge(db, new AlarmBook(db), context);
    expect(judged(() => judge.evaluate(at(1)))).toMatchObject([
      { what: "raised", subject: { type: "component", id: one }, text: expect.stringContaining("pool.size") },
    ]);
    expect(judged(() => judge.evaluate(at(3)))).toEqual([]);
    expect(judged(() => judge.evaluate(at(5 * 60)))).toMatchObject([{ what: "cleared" }]);
    expect(activeAlarms(db)).toEqual([]);
  });

  it("need no ticket where nobody tells of tickets", () => {
    rule("unplanned", "changes", settings, APPS);
    change(add("a"), 0, "pool.size: “40” became “4”");
    const judge = new ChangeJudge(db, new AlarmBook(db), context);
    expect(judged(() => judge.evaluate(at(1)))).toEqual([]);
  });
});

it("others that ought to be alike: siblings by program, instances of one component; stale ones are left out", () => {
  const [first, second, third] = ["h-app-01", "h-app-02", "h-app-03"].map((name) => add(name, { kind: "host.linux" }));
  const writer = new SampleWriter(db);
  const series = [first, second, third].map((id) =>
    writer.series({ componentId: id as number, serviceId: null }, "cpu.used", "", "%", AT),
  );
  const cores = ["0", "1", "2"].map((core) =>
    writer.series({ componentId: first as number, serviceId: null }, "cpu.core.used", core, "%", AT),
  );
  [50, 51, 52].forEach((value, index) => writer.record(series[index] as never, at(0), value));
  [90, 10, 11].forEach((value, index) => writer.record(cores[index] as never, at(0), value));
  const others = new Others(db, writer);
  expect(others.of(series[0] as never, "siblings", at(1))).toEqual([51, 52]);
  expect(others.of(cores[0] as never, "instances", at(1))).toEqual([10, 11]);
  writer.record(series[1] as never, at(20), 60);
  expect(others.of(series[0] as never, "siblings", at(21))).toEqual([60]);
});
