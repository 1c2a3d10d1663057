import { beforeEach, describe, expect, it } from "vitest";
import { HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { emptyEstate, useStore } from "../../tests/store";
import type { Db } from "../store/database";
import { insertComponent } from "../store/estate";
import { insertRelation } from "../store/relations";
import { insertResource } from "../store/resources";
import { SpanWriter, type NewSpan } from "../store/span-writer";
import { troubledOperations } from "./troubled-operations";

const BEGAN = Date.parse("2026-03-17T10:00:00Z");
const UNTIL = BEGAN + 10 * MINUTE_MS;
let db: Db;
let made = 0;
useStore((store) => (db = store));
beforeEach(() => {
  db.exec("DELETE FROM span; DELETE FROM operation_minute; DELETE FROM call_minute; DELETE FROM operation");
  emptyEstate(db);
  db.exec("DELETE FROM resource");
});

const place = (name: string, more: { hostId?: number; address?: string; port?: number } = {}) =>
  insertComponent(
    db,
    {
      kind: "app.process",
      name,
      site: "N",
      sourceId: null,
      hostId: null,
      address: null,
      reason: "",
      keys: [`k:${name}`],
      facts: {},
      ...more,
    },
    BEGAN - 24 * HOUR_MS,
  );
const senderOf = (componentId: number) =>
  insertResource(db, `{"service.name":"s${componentId}"}`, { componentId, why: "" }, BEGAN - HOUR_MS);
const hex = (value: number, digits: number) => value.toString(16).padStart(digits, "0");

/** Calls of an operation, ten a minute in the hour before and since: quick before, and as slow as is said since. */
function calls(resourceId: number, name: string, slowMs: number, more: Partial<NewSpan> = {}): NewSpan[] {
  const spans: NewSpan[] = [];
  for (let minute = -65; minute < 10; minute++)
    for (let each = 0; each < 10; each++) {
      const startMs = BEGAN + minute * MINUTE_MS + each * 1000;
      const took = minute >= 0 && each % 2 === 0 ? slowMs : 20;
      const [traceId, spanId] = [hex(++made, 32), hex(made, 16)];
      const fixed = { parentId: "", resourceId, name, kind: 2, status: 0, detail: null };
      spans.push({ ...fixed, traceId, spanId, startMs, endMs: startMs + took, ...more });
    }
  return spans;
}
const write = (...lists: NewSpan[][]) => db.transaction(() => new SpanWriter(db).write(lists.flat()))();
const found = (id: number) => troubledOperations(db, id, BEGAN, UNTIL);

describe("which operations alone go badly", () => {
  it("is told of what a program answers by its own word", () => {
    const desk = place("desk");
    const own = senderOf(desk);
    write(calls(own, "GET /papers", 400), calls(own, "POST /checks", 20));
    expect(found(desk)).toBe(
      "only GET /papers is affected: 50 of 100 calls failed or were slow (usually 0 in 100); POST /checks is as usual",
    );
  });
  it("is not told where all go badly, or there is only one", () => {
    const [desk, other] = [place("desk"), place("other")];
    const own = senderOf(desk);
    write(calls(own, "GET /papers", 400), calls(own, "POST /checks", 400), calls(senderOf(other), "GET /", 400));
    expect([found(desk), found(other)]).toEqual([null, null]);
  });
  it("is told by callers of what says nothing itself, by those of their calls that go to it", () => {
    const host = place("db host", { address: "192.0.2.9" });
    const store = place("store @ db host", { hostId: host, port: 5432 });
    const desk = place("desk");
    insertRelation(
      db,
      { type: "talks-to", fromId: desk, toId: store, detail: "tcp/5432", connections: 3, seenBy: "both" },
      BEGAN - 2 * HOUR_MS,
    );
    const own = senderOf(desk);
    const to = (address: string) => ({
      kind: 3,
      detail: JSON.stringify({ attributes: { "server.address": address, "server.port": 5432 } }),
    });
    write(
      calls(own, "select papers", 400, to("192.0.2.9")),
      calls(own, "insert paper", 20, to("192.0.2.9")),
      calls(own, "GET /elsewhere", 400, to("192.0.2.77")),
    );
    expect(found(store)).toMatch(/^only select papers is affected: 50 of 100 calls .*; insert paper is as usual$/);
  });
  it("is not told of what nobody's calls are known of", () => expect(found(place("desk"))).toBeNull());
});
