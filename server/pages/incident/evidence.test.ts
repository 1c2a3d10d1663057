import { beforeEach, describe, expect, it } from "vitest";
import { HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { useStore } from "../../../tests/store";
import { insertChange } from "../../store/changes";
import type { Db } from "../../store/database";
import { insertComponent } from "../../store/estate";
import { LogWriter, type NewLog } from "../../store/log-writer";
import { insertRelation } from "../../store/relations";
import { insertResource } from "../../store/resources";
import { SpanWriter, type NewSpan } from "../../store/span-writer";
import { changesBefore, loudPatterns, tracePairs } from "./evidence";
import { triagePage } from "../triage";

const AT = Date.parse("2026-03-17T10:00:00Z");
let db: Db;
let gate: number;
let yard: number;
let gateSender: number;
let yardSender: number;
let made = 0;
useStore((store) => (db = store));
beforeEach(() => {
  db.exec(
    `DELETE FROM relation; DELETE FROM span; DELETE FROM operation_minute; DELETE FROM call_minute; DELETE FROM operation; DELETE FROM log_tally;
     DELETE FROM log_tally_half; DELETE FROM log; DELETE FROM log_pattern; DELETE FROM change; DELETE FROM resource; DELETE
     FROM component_key; DELETE FROM component`,
  );
  [gate, gateSender] = sender("gate");
  [yard, yardSender] = sender("yard");
});

function sender(name: string): [number, number] {
  const id = insertComponent(
    db,
    {
      kind: "app.web",
      name,
      site: "North",
      sourceId: null,
      hostId: null,
      address: null,
      reason: "",
      keys: [`k:${name}`],
      facts: {},
    },
    AT - 10 * HOUR_MS,
  );
  return [id, insertResource(db, JSON.stringify({ "service.name": name }), { componentId: id, why: "" }, AT)];
}

describe("logs that are joined to an incident", () => {
  /** Says something so often, spread over a span. */
  const say = (body: string, times: number, fromMs: number, spanMs: number, more: Partial<NewLog> = {}) => {
    const records = Array.from({ length: times }, (_, index) => ({
      atMs: fromMs + Math.floor((index * spanMs) / times),
      severity: 17,
      resourceId: gateSender,
      body,
      attributes: null,
      traceId: null,
      spanId: null,
      ...more,
    }));
    db.transaction(() => new LogWriter(db).write(records))();
  };
  const loud = (components = [gate]) =>
    loudPatterns(db, components, AT, AT + 20 * MINUTE_MS).map(({ text, count, before, isNew, component }) => ({
      text,
      count,
      before,
      isNew,
      component,
    }));

  it("are those never met before and those that come much more often, the new ones first", () => {
    say("queue is full, slot dropped", 6, AT - HOUR_MS, HOUR_MS - 5 * MINUTE_MS);
    say("queue is full, slot dropped", 40, AT, 15 * MINUTE_MS);
    say("cannot reach the slot store", 2, AT + MINUTE_MS, MINUTE_MS);
    expect(loud()).toEqual([
      { text: "cannot reach the slot store", count: 2, before: 0, isNew: true, component: "gate" },
      {
        text: "queue is full, slot dropped",
        count: 40,
        before: expect.closeTo(2.2, 0),
        isNew: false,
        component: "gate",
      },
    ]);
  });
  it("are none that come as ever, that are no warnings, that others say, or that nobody says", () => {
    say("slow answer of the store", 60, AT - HOUR_MS, HOUR_MS - 5 * MINUTE_MS);
    say("slow answer of the store", 25, AT, 20 * MINUTE_MS);
    say("slot booked at the gate", 90, AT, 10 * MINUTE_MS, { severity: 9 });
    say("yard is closed", 9, AT, MINUTE_MS, { resourceId: yardSender });
    expect(loud()).toEqual([]);
    expect(loud([gate, yard]).map((one) => one.component)).toEqual(["yard"]);
    expect(loud([])).toEqual([]);
  });
});

describe("traces beside healthy ones", () => {
  const hex = (value: number, digits: number) => value.toString(16).padStart(digits, "0");
  const call = (name: string, atMs: number, took: number, failed = false, resourceId = gateSender) => {
    made++;
    const one: NewSpan = {
      traceId: hex(made, 32),
      spanId: hex(made, 16),
      parentId: "",
      resourceId,
      name,
      kind: 2,
      startMs: atMs,
      endMs: atMs + took,
      status: failed ? 2 : 0,
      detail: null,
    };
    db.transaction(() => new SpanWriter(db).write([one]))();
    return one.traceId;
  };
  const pairs = () => tracePairs(db, [gate], AT, AT + 10 * MINUTE_MS);

  it("are the failed ones first, then what took much longer, each beside the middle one of before", () => {
    const ordinary = [10, 20, 30].map((took, index) => call("GET /slots", AT - (10 + index) * MINUTE_MS, took));
    call("GET /maps", AT - 10 * MINUTE_MS, 10);
    const slow = call("GET /maps", AT + MINUTE_MS, 90);
    const failed = call("GET /slots", AT + MINUTE_MS, 5, true);
    call("GET /slots", AT + MINUTE_MS, 5000);
    expect(
      pairs().map(({ operation, failed: isFailed, traceId, healthy }) => [operation, isFailed, traceId, healthy?.ms]),
    ).toEqual([
      ["GET /slots", true, failed, 20],
      ["GET /maps", false, slow, 10],
    ]);
    expect(pairs()[0]?.healthy?.traceId).toBe(ordinary[1]);
  });
  it("are none where all took as long as ever, nor slow ones where nothing is known of before", () => {
    call("GET /slots", AT - 10 * MINUTE_MS, 20);
    call("GET /slots", AT + MINUTE_MS, 30);
    call("GET /new", AT + MINUTE_MS, 9000);
    call("GET /yard", AT + MINUTE_MS, 9, true, yardSender);
    expect(pairs()).toEqual([]);
    call("GET /new", AT + 2 * MINUTE_MS, 9000, true);
    expect(pairs()).toMatchObject([{ operation: "GET /new", failed: true, healthy: null, component: "gate" }]);
  });
});

describe("changes just before", () => {
  const change = (atMs: number, summary: string, { kind = "setting", componentId = gate } = {}) =>
    insertChange(db, { atMs, kind, componentId, summary, by: "sweep" });
  it("are those of what takes part within two hours, the latest first; what Holotaxis did itself is none", () => {
    change(AT - 3 * HOUR_MS, "long ago");
    change(AT - HOUR_MS, "an hour before");
    change(AT - MINUTE_MS, "just before");
    change(AT + HOUR_MS, "after");
    change(AT - MINUTE_MS, "a runbook", { kind: "runbook" });
    change(AT - MINUTE_MS, "elsewhere", { componentId: yard });
    expect(changesBefore(db, [gate], AT, AT + HOUR_MS).map((one) => one.summary)).toEqual([
      "just before",
      "an hour before",
    ]);
  });
});

describe("triage of a complaint", () => {
  it("asks for its subject where there is none, and looks around a component though nothing alarmed", () => {
    expect(triagePage(db, { service: null, component: null, atMs: AT })).toMatchObject({ subject: null });
    expect(triagePage(db, { service: 99_999, component: null, atMs: AT })).toMatchObject({ subject: null });
    insertChange(db, { atMs: AT - MINUTE_MS, kind: "setting", componentId: gate, summary: "changed", by: "sweep" });
    expect(triagePage(db, { service: null, component: gate, atMs: AT })).toMatchObject({
      subject: { name: "gate", componentId: gate },
      alarms: [],
      odd: [],
      changes: [{ summary: "changed" }],
    });
  });
  it("names nothing for its place alone, and what changed just before", () => {
    const talk = {
      type: "talks-to",
      fromId: gate,
      toId: yard,
      detail: "tcp/1",
      connections: 3,
      seenBy: "both",
    } as const;
    insertRelation(db, talk, AT - 10 * HOUR_MS);
    const causes = () => {
      const page = triagePage(db, { service: null, component: gate, atMs: AT });
      return page.causes?.map((one) => one.name);
    };
    expect(causes()).toEqual([]);
    insertChange(db, {
      atMs: AT - 2 * MINUTE_MS,
      kind: "version",
      componentId: yard,
      summary: "upgraded",
      by: "sweep",
    });
    expect(causes()).toEqual(["yard"]);
  });
});
