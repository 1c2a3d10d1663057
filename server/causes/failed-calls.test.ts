import { beforeEach, expect, it } from "vitest";
import { MINUTE_MS } from "#core/time/windows";
import { emptyEstate, useStore } from "../../tests/store";
import type { Db } from "../store/database";
import { insertComponent } from "../store/estate";
import { insertResource } from "../store/resources";
import { SpanWriter, type NewSpan } from "../store/span-writer";
import { failedCallsOf } from "./failed-calls";

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
  return { id, address, sender: insertResource(db, `{"n":${++made}}`, { componentId: id, why: "" }, at) };
}
type Process = ReturnType<typeof process>;

const hex = (value: number, digits: number) => value.toString(16).padStart(digits, "0");
const span = (sender: number, name: string, kind: number, failed: boolean, to = "", second = 0): NewSpan => {
  const startMs = AT + second * 1000;
  return {
    traceId: hex(++made, 32),
    spanId: hex(made, 16),
    parentId: "",
    resourceId: sender,
    name,
    kind,
    startMs,
    endMs: startMs + 5,
    status: failed ? 2 : 0,
    detail: to ? JSON.stringify({ attributes: { "server.address": to, "peer.service": "board" } }) : null,
  };
};
const send = (...list: NewSpan[]) => db.transaction(() => spans.write(list))();
/** Answers of the front, and as many calls to another that went the same way. */
const through = (front: Process, to: Process, failed: boolean, count = 1) => {
  for (let times = 0; times < count; times++)
    send(
      span(front.sender, "GET /", 2, failed, "", times),
      span(front.sender, "GET /orders", 3, failed, to.address, times),
    );
};
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
  failedCallsOf(db, alarms, AT + MINUTE_MS).map((one) => [one.name, Number(one.strength.toFixed(2))]);

it("speaks against whom a failing answer's own call failed, be it one trace alone, and for nothing else", () => {
  const front = process("front", "h-1", "10.0.0.1");
  const board = process("board", "h-2", "10.0.0.2");
  through(front, board, false, 5);
  expect(blamed(alarm(front))).toEqual([]);
  through(front, board, true);
  expect(blamed(alarm(front))).toEqual([["board @ h-2", 0.6]]);
  expect(failedCallsOf(db, [alarm(front)], AT + MINUTE_MS)[0]).toMatchObject({ isWeak: true, calledBy: "the front" });
  // Of calls that are slow, or that it makes, others tell; and nothing that was long before.
  expect(blamed(alarm(front, { metric: "calls.slow" }), alarm(front, { qualifier: "to board" }))).toEqual([]);
  expect(blamed(alarm(front, { onset_at: AT + 5 * MINUTE_MS }))).toEqual([]);
  // Most of its failures are its own.
  send(...[1, 2, 3].map((second) => span(front.sender, "GET /own", 2, true, "", second)));
  expect(blamed(alarm(front))).toEqual([]);
});

it("speaks against nobody where others are answered well, or where it fails whoever is called", () => {
  const front = process("front", "h-1", "10.0.0.1");
  const other = process("other", "h-3", "10.0.0.3");
  const board = process("board", "h-2", "10.0.0.2");
  through(front, board, true, 2);
  through(other, board, false, 3);
  expect(blamed(alarm(front))).toEqual([]);
  through(other, board, true);
  expect(blamed(alarm(front))).toEqual([["board @ h-2", 0.6]]);
  const store = process("store", "h-4", "10.0.0.4");
  send(
    ...[1, 2].map((second): NewSpan => ({
      ...span(front.sender, "select", 3, true, "", second),
      detail: JSON.stringify({ attributes: { "server.address": store.address, "peer.service": "store" } }),
    })),
  );
  expect(blamed(alarm(front))).toEqual([]);
});
