import { beforeEach, describe, expect, it } from "vitest";
import { MINUTE_MS } from "#core/time/windows";
import { useStore } from "../../tests/store";
import { SampleWriter } from "../ingest/sample-writer";
import { activeAlarms, raiseAlarm, saveRule } from "../store/alarms";
import type { Db } from "../store/database";
import { insertComponent } from "../store/estate";
import { saveService } from "../store/services";
import { AlarmBook, type AlarmEvent } from "./alarm-book";
import { Evaluator } from "./evaluator";
import { ObjectiveJudge } from "./objective-judge";
import { Ranges } from "./ranges";

const AT = Date.parse("2026-03-17T10:00:00Z");
let db: Db;
useStore((made) => (db = made));
beforeEach(() => {
  db.exec(
    "DELETE FROM alarm; DELETE FROM rule; DELETE FROM chunk; DELETE FROM sample_wal; DELETE FROM series; DELETE FROM component_key; DELETE FROM component",
  );
});

describe("a rule that is made while something is out of bounds", () => {
  it("says so with the next sample, once", () => {
    const host = insertComponent(
      db,
      {
        kind: "host.linux",
        name: "h",
        site: "",
        sourceId: null,
        hostId: null,
        address: null,
        reason: "",
        keys: ["k:h"],
        facts: {},
      },
      AT,
    );
    const writer = new SampleWriter(db);
    const series = writer.series({ componentId: host, serviceId: null }, "memory.used", "", "%", AT);
    const evaluator = new Evaluator(
      db,
      new AlarmBook(db),
      new Ranges(db, writer, () => ({ budgetMs: 25, seldom: 1 })),
      {
        kindOf: () => "host.linux",
        serviceUid: () => undefined,
        beside: () => undefined,
        others: () => [],
        looksForEvidence: () => true,
        isWatched: () => true,
        recall: (id, from, to) => writer.recall(id, from, to),
        isTwin: () => false,
      },
    );
    const feed = (minute: number, value: number): AlarmEvent[] => {
      writer.record(series, AT + minute * MINUTE_MS, value);
      const events = db.transaction(() => evaluator.evaluate(writer.fresh))();
      writer.commit("tick", () => undefined);
      writer.judged();
      return events;
    };
    for (const minute of [0, 1, 2, 3]) expect(feed(minute, 97)).toEqual([]);
    saveRule(db, undefined, {
      name: "memory",
      type: "threshold",
      settings: {
        metric: "memory.used",
        direction: "above",
        critical: 90,
        warning: 70,
        samples: 2,
        hysteresis: 5,
        memoryMinutes: 60,
      },
      scope: { subject: "component", kind: "host.*" },
      enabled: true,
    });
    evaluator.loadRules();
    expect(feed(4, 97)).toMatchObject([{ what: "raised", severity: "critical" }]);
    expect(feed(5, 97)).toEqual([]);
    expect(
      feed(6, 50)
        .concat(feed(7, 50))
        .map((event) => event.what),
    ).toContain("cleared");
  });
});

it("the alarm of a budget ends when its service promises nothing any more", () => {
  const service = saveService(
    db,
    { uid: "s", name: "S", purpose: "", owner: "", entries: [], details: { objectivePercent: 99.9 } } as never,
    AT,
  );
  const rule = saveRule(db, undefined, {
    name: "budget",
    type: "burn",
    settings: {},
    scope: { subject: "service", service: "*" },
    enabled: true,
  } as never);
  raiseAlarm(
    db,
    {
      subject: { type: "service", id: service },
      ruleId: rule,
      seriesId: null,
      detector: "burn",
      metric: "objective.burn",
      direction: "above",
      qualifier: "",
      severity: "major",
      text: "burns",
      score: 90,
      onsetMs: AT,
    },
    AT,
  );
  const judge = new ObjectiveJudge(db, new AlarmBook(db), { entries: () => new Map(), takes: () => true });
  saveService(db, { uid: "s", name: "S", purpose: "", owner: "", entries: [] }, AT + MINUTE_MS);
  const events = db.transaction(() => judge.evaluate(AT + 2 * MINUTE_MS))();
  expect(events).toMatchObject([{ what: "cleared", text: "The service has no objective any more" }]);
  expect(activeAlarms(db)).toEqual([]);
  expect(db.transaction(() => judge.evaluate(AT + 4 * MINUTE_MS))()).toEqual([]);
});
