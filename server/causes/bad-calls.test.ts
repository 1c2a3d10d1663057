import { beforeEach, expect, it } from "vitest";
import { MINUTE_MS } from "#core/time/windows";
import { emptyEstate, useStore } from "../../tests/store";
import type { Db } from "../store/database";
import { insertComponent } from "../store/estate";
import { insertResource } from "../store/resources";
import { SpanWriter, type NewSpan } from "../store/span-writer";
import { insertRelation } from "../store/relations";
import { answersWorse, badCallsOf } from "./bad-calls";
import { causesAround } from "./causes";
import { componentNode, harmMapAt } from "./harm-map";

const AT = Date.parse("2026-03-17T10:00:00Z");
let db: Db;
useStore((made) => (db = made));
let spans: SpanWriter;
beforeEach(() => {
  db.exec("DELETE FROM span; DELETE FROM operation_minute; DELETE FROM operation; DELETE FROM resource");
  emptyEstate(db);
  spans = new SpanWriter(db);
});

let made = 0;
/** A process on a host of its own, and the sender that it is. */
function process(name: string, host: string, address: string) {
  const base = { site: "North", sourceId: null, reason: "", facts: {} };
  const at = AT - 60 * MINUTE_MS;
  const hostId = insertComponent(
    db,
    { ...base, kind: "host.linux", name: host, hostId: null, address, keys: [`k:${host}`] },
    at,
  );
  const id = insertComponent(
    db,
    {
      ...base,
      kind: "app.process",
      name: `${name} @ ${host}`,
      hostId,
      address: null,
      process: name,
      label: name,
      keys: [`k:${name} ${host}`],
    },
    at,
  );
  return { id, address, label: name, sender: insertResource(db, `{"n":${++made}}`, { componentId: id, why: "" }, at) };
}
type Process = ReturnType<typeof process>;

const hex = (value: number, digits: number) => value.toString(16).padStart(digits, "0");
interface Call {
  failed?: boolean;
  ms?: number;
  second?: number;
  name?: string;
}
const span = (trace: number, sender: number, name: string, kind: number, call: Call, to?: Process): NewSpan => {
  const startMs = AT + (call.second ?? 0) * 1000;
  return {
    traceId: hex(trace, 32),
    spanId: hex(++made, 16),
    parentId: "",
    resourceId: sender,
    name,
    kind,
    startMs,
    endMs: startMs + (call.ms ?? 5),
    status: call.failed ? 2 : 0,
    detail: to ? JSON.stringify({ attributes: { "server.address": to.address, "peer.service": to.label } }) : null,
  };
};
const send = (...list: NewSpan[]) => db.transaction(() => spans.write(list))();
/** An answer, and the calls to others that were made for it. */
const answered = (by: Process, call: Call, ...made: [to: Process, call: Call][]) => {
  const trace = ++traces;
  send(
    span(trace, by.sender, call.name ?? "GET /", 2, call),
    ...made.map(([to, one]) =>
      span(trace, by.sender, one.name ?? `ask ${to.label}`, 3, { second: call.second ?? 0, ...one }, to),
    ),
  );
};
let traces = 0;
const failed = { failed: true };
const alarm = (one: Process, more = {}) => ({
  subject_type: "component" as const,
  subject_id: one.id,
  subject: "the front",
  metric: "calls.failing",
  qualifier: "GET /",
  onset_at: AT,
  ...more,
});
const blamed = (...alarms: ReturnType<typeof alarm>[]) =>
  badCallsOf(db, alarms, AT + MINUTE_MS).map((one) => [one.name, one.nature, Number(one.strength.toFixed(2))]);

it("speaks against whom a call within a failed answer failed to, be it one trace alone, and for nothing else", () => {
  const front = process("front", "h-1", "10.0.0.1");
  const board = process("board", "h-2", "10.0.0.2");
  for (let second = 0; second < 5; second++) answered(front, { second }, [board, {}]);
  // A call that failed and was made up for.
  answered(front, {}, [board, failed]);
  expect(blamed(alarm(front))).toEqual([]);
  answered(front, failed, [board, failed]);
  expect(blamed(alarm(front))).toEqual([["board @ h-2", "failing", 0.6]]);
  expect(badCallsOf(db, [alarm(front)], AT + MINUTE_MS)[0]).toMatchObject({ isWeak: true, calledBy: "the front" });
  // Of calls that it makes other alarms tell; and nothing that was long before.
  expect(blamed(alarm(front, { qualifier: "to board" }))).toEqual([]);
  expect(blamed(alarm(front, { onset_at: AT + 5 * MINUTE_MS }))).toEqual([]);
  // Most of its failures are its own.
  for (const second of [1, 2, 3]) answered(front, { failed: true, second }, [board, {}]);
  expect(blamed(alarm(front))).toEqual([]);
});

it("speaks against whose calls took most of slow answers", () => {
  const front = process("front", "h-1", "10.0.0.1");
  const [board, store] = [process("board", "h-2", "10.0.0.2"), process("store", "h-4", "10.0.0.4")];
  const slow = alarm(front, { metric: "calls.slow" });
  answered(front, { ms: 900 }, [board, { ms: 300 }], [board, { ms: 400 }], [store, { ms: 100 }]);
  expect(blamed(slow), "nobody knows how long it usually takes").toEqual([]);
  for (let second = -70 * 60; second < -300; second += 30) answered(front, { second, ms: 20 }, [board, { ms: 5 }]);
  expect(blamed(slow)).toEqual([["board @ h-2", "slow", 0.6]]);
  // It is slow by itself.
  for (const second of [1, 2]) answered(front, { ms: 800, second }, [board, { ms: 100 }]);
  expect(blamed(slow)).toEqual([]);
});

it("speaks against nobody where others are answered well, or where it goes badly whoever is called", () => {
  const front = process("front", "h-1", "10.0.0.1");
  const other = process("other", "h-3", "10.0.0.3");
  const [board, store] = [process("board", "h-2", "10.0.0.2"), process("store", "h-4", "10.0.0.4")];
  answered(front, failed, [board, failed]);
  for (const second of [1, 2, 3]) answered(other, { second }, [board, {}]);
  expect(blamed(alarm(front))).toEqual([]);
  answered(other, failed, [board, failed]);
  expect(blamed(alarm(front))).toEqual([["board @ h-2", "failing", 0.6]]);
  answered(front, failed, [store, failed]);
  answered(front, failed, [store, failed], [board, failed]);
  expect(blamed(alarm(front))).toEqual([]);
});

it("is looked through for a complaint where answers are worse than before, though nothing alarmed", () => {
  const front = process("front", "h-1", "10.0.0.1");
  const [board, other] = [process("board", "h-2", "10.0.0.2"), process("other", "h-3", "10.0.0.3")];
  for (const to of [board, other])
    insertRelation(
      db,
      { type: "talks-to", fromId: front.id, toId: to.id, detail: "", connections: 1, seenBy: "test" },
      AT - 60 * MINUTE_MS,
    );
  /** So many answers a minute, in which most of the time goes to the board. */
  const minutes = (from: number, to: number, ms: number) => {
    for (let minute = from; minute < to; minute++)
      for (let index = 0; index < 4; index++) {
        const took = ms + (((minute + 100) * 7 + index * 13) % 20);
        const second = minute * 60 + index * 10;
        answered(front, { second, ms: took }, [board, { ms: took * 0.8 }], [other, { ms: 5 }]);
      }
  };
  const causes = () =>
    causesAround(db, {
      complaint: componentNode(front.id),
      complaintName: "front",
      atMs: AT,
      fromMs: AT - 30 * MINUTE_MS,
      toMs: AT + 10 * MINUTE_MS,
      alarms: [],
      harm: harmMapAt(db, AT),
      nameOf: ({ id }) => (id === board.id ? "board" : id === other.id ? "other" : "front"),
    }).map((one) => one.name);
  minutes(-69, -5, 30);
  minutes(-5, 0, 30);
  expect(answersWorse(db, front.id, true, AT - 10 * MINUTE_MS, AT + 10 * MINUTE_MS)).toBe(false);
  expect(causes()).toEqual([]);
  minutes(0, 9, 300);
  expect(answersWorse(db, front.id, true, AT - 10 * MINUTE_MS, AT + 10 * MINUTE_MS)).toBe(true);
  expect(answersWorse(db, front.id, false, AT - 10 * MINUTE_MS, AT + 10 * MINUTE_MS)).toBe(false);
  expect(causes()[0]).toBe("board");
});
