import { beforeEach, describe, expect, it } from "vitest";
import { HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { useStore } from "../../tests/store";
import type { Db } from "../store/database";
import { insertComponent } from "../store/estate";
import { insertResource } from "../store/resources";
import { SpanWriter, type NewSpan } from "../store/span-writer";
import { allOperations } from "../store/spans";
import { answeredBy, tracesPage, type TracesQuestion } from "./traces";

const AT = Date.parse("2026-03-17T10:00:00Z");
let db: Db;
let desk: number;
let front: number;
let stranger: number;
let made = 0;
useStore((store) => (db = store));
beforeEach(() => {
  db.exec(
    `DELETE FROM span; DELETE FROM operation_minute; DELETE FROM call_minute; DELETE FROM operation; DELETE
     FROM resource; DELETE FROM component_key; DELETE FROM component`,
  );
  desk = insertComponent(
    db,
    {
      kind: "app.web",
      name: "desk @ h-1",
      site: "North",
      sourceId: null,
      hostId: null,
      address: null,
      reason: "",
      keys: ["k:desk"],
      facts: {},
    },
    AT,
  );
  front = insertResource(db, '{"service.name":"desk"}', { componentId: desk, why: "" }, AT);
  stranger = insertResource(db, '{"service.name":"mill","host.name":"h-9"}', { componentId: null, why: "" }, AT);
});

const hex = (value: number, digits: number) => value.toString(16).padStart(digits, "0");
const span = (changes: Partial<NewSpan> & { took: number; minute?: number }): NewSpan => {
  const { took, minute = 0, ...rest } = changes;
  const startMs = AT + minute * MINUTE_MS + made;
  made++;
  return {
    traceId: hex(made, 32),
    spanId: hex(made, 16),
    parentId: "",
    resourceId: front,
    name: "GET /",
    kind: 2,
    startMs,
    endMs: startMs + took,
    status: 0,
    detail: null,
    ...rest,
  };
};
const write = (spans: readonly NewSpan[]) => db.transaction(() => new SpanWriter(db).write(spans))();
const page = (changes: Partial<TracesQuestion> = {}) =>
  tracesPage(db, {
    fromMs: AT,
    toMs: AT + HOUR_MS,
    text: "",
    answered: true,
    operation: null,
    least: null,
    most: null,
    failedOnly: false,
    ...changes,
  });
const idOf = (name: string) => allOperations(db).find((one) => one.name === name)?.id ?? 0;

describe("the page of traces", () => {
  it("lists what was answered, the most called first, and outgoing calls only when asked for", () => {
    write([
      ...Array.from({ length: 3 }, () => span({ took: 10 })),
      ...Array.from({ length: 5 }, () => span({ took: 20, resourceId: stranger, name: "PUT /grain", kind: 5 })),
      span({ took: 5, name: "SELECT", kind: 3, parentId: hex(1, 16) }),
    ]);
    expect(page().operations.map(({ name, kind, calls, sender }) => [name, kind, calls, sender])).toEqual([
      ["PUT /grain", "received", 5, "mill @ h-9"],
      ["GET /", "answered", 3, "desk @ h-1"],
    ]);
    expect(page({ answered: false }).operations.map((one) => one.name)).toEqual(["PUT /grain", "GET /", "SELECT"]);
    expect(page()).toMatchObject({ calls: 8, failed: 0, operationCount: 2, kept: 9 });
  });
  it("finds operations by words of their names and senders, all of which must be there", () => {
    write([span({ took: 1 }), span({ took: 1, resourceId: stranger, name: "PUT /grain" })]);
    expect(page({ text: "mill GRAIN" }).operations.map((one) => one.name)).toEqual(["PUT /grain"]);
    expect(page({ text: "mill get" }).operations).toEqual([]);
  });
  it("counts the window only", () => {
    write([span({ took: 1 }), span({ took: 1, minute: 90 })]);
    expect(page().calls).toBe(1);
    expect(page({ fromMs: AT + HOUR_MS, toMs: AT + 2 * HOUR_MS }).calls).toBe(1);
  });
  it("says how long calls took, within the error of the sketch", () => {
    write(Array.from({ length: 100 }, (_, index) => span({ took: index + 1 })));
    const [one] = page().operations;
    expect(Math.abs((one?.p50 ?? 0) - 50)).toBeLessThan(1.1);
    expect(Math.abs((one?.p99 ?? 0) - 99)).toBeLessThan(1.1);
  });
});

describe("one operation", () => {
  beforeEach(() => {
    write([
      span({ took: 5 }),
      span({ took: 50, minute: 1 }),
      span({ took: 500, minute: 2, status: 2, detail: '{"message":"no room"}' }),
    ]);
  });
  it("has its calls as bars over their durations, which sum up to all of them", () => {
    const { bars, chosen } = page({ operation: idOf("GET /") });
    expect(chosen?.name).toBe("GET /");
    expect(bars.reduce((sum, bar) => sum + bar.count, 0)).toBe(3);
    for (const [index, bar] of bars.slice(1).entries()) expect(bar.fromMs).toBeCloseTo(bars[index]?.toMs ?? 0);
  });
  it("lists its traces, the newest first, those that failed with what they said", () => {
    const { traces } = page({ operation: idOf("GET /") });
    expect(traces.map((one) => Math.round(one.durationMs))).toEqual([500, 50, 5]);
    expect(traces[0]).toMatchObject({ failed: true, message: "no room" });
  });
  it("narrows them by duration and failure", () => {
    const took = (changes: Partial<TracesQuestion>) =>
      page({ operation: idOf("GET /"), ...changes }).traces.map((one) => Math.round(one.durationMs));
    expect(took({ least: 10 })).toEqual([500, 50]);
    expect(took({ least: 10, most: 100 })).toEqual([50]);
    expect(took({ failedOnly: true })).toEqual([500]);
  });
  it("stays open when words above find others, and is nothing when it is not known", () => {
    expect(page({ operation: idOf("GET /"), text: "nothing like it" })).toMatchObject({ operations: [], calls: 0 });
    expect(page({ operation: idOf("GET /"), text: "nothing like it" }).chosen?.name).toBe("GET /");
    expect(page({ operation: 99_999 })).toMatchObject({ chosen: null, bars: [], traces: [] });
  });
});

it("what some components answered leaves out what they called, and what others answered", () => {
  write([
    span({ took: 5 }),
    span({ took: 5, name: "SELECT", kind: 3, parentId: hex(1, 16) }),
    span({ took: 5, resourceId: stranger, name: "PUT /grain" }),
  ]);
  const answered = answeredBy(db, new Map([[desk, "desk"]]), AT, AT + HOUR_MS, 8);
  expect(answered.map(({ name, sender, componentId, calls }) => [name, sender, componentId, calls])).toEqual([
    ["GET /", "desk", desk, 1],
  ]);
  expect(answeredBy(db, new Map(), AT, AT + HOUR_MS, 8)).toEqual([]);
});
