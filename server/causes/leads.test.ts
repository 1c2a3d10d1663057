import { beforeEach, expect, it } from "vitest";
import { HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { useStore } from "../../tests/store";
import { readGraph, refreshServices } from "../estate/services";
import type { Db } from "../store/database";
import { insertComponent } from "../store/estate";
import { insertRelation } from "../store/relations";
import { insertResource } from "../store/resources";
import { listServices, membersOf, saveService } from "../store/services";
import { SpanWriter, type NewSpan } from "../store/span-writer";
import { waysInAt } from "../store/ways-in";
import { leadsOf } from "./leads";

const ADDRESSES = { front: "10.0.0.1", gavel: "10.0.0.2", rounds: "10.0.0.3", ledger: "10.0.0.4" };
const AT = Date.parse("2026-03-17T10:00:00Z");
let db: Db;
useStore((made) => (db = made));
let made = 0;
const ids = new Map<string, number>();
const idOf = (name: string) => ids.get(name) as number;
let front: number;

beforeEach(() => {
  db.exec(
    `DELETE FROM member; DELETE FROM service; DELETE FROM relation; DELETE FROM span; DELETE FROM operation;
     DELETE FROM resource; DELETE FROM component_key; DELETE FROM component`,
  );
  ids.clear();
  for (const [name, address] of Object.entries(ADDRESSES)) program(name, address);
  for (const to of ["gavel", "rounds"]) talks("front", to);
  talks("rounds", "ledger");
  front = insertResource(db, '{"service.name":"front"}', { componentId: idOf("front"), why: "" }, AT);
  const details = { purpose: "", owner: "" };
  const whole = { uid: "auction", name: "Auction", entries: [{ host: "h-front", process: "front" }], ...details };
  const part = { host: "h-fr*", process: "front", operations: ["GET /rounds"] };
  saveService(db, whole, AT - HOUR_MS);
  saveService(db, { uid: "rounds", name: "Rounds", entries: [part], ...details }, AT - HOUR_MS);
});

function program(name: string, address: string) {
  const base = { site: "North", sourceId: null, reason: "", facts: {} };
  const host = insertComponent(
    db,
    { ...base, kind: "host.linux", name: `h-${name}`, hostId: null, address, keys: [`k:h-${name}`] },
    AT - HOUR_MS,
  );
  const own = { kind: "app.process", name: `${name} @ h-${name}`, hostId: host, address: null, process: name };
  ids.set(name, insertComponent(db, { ...base, ...own, label: name, keys: [`k:${name}`] }, AT - HOUR_MS));
}

const talks = (from: string, to: string) =>
  insertRelation(
    db,
    { type: "talks-to", fromId: idOf(from), toId: idOf(to), detail: "8080", connections: 1, seenBy: "both" },
    AT - HOUR_MS,
  );

const hex = (value: number, digits: number) => value.toString(16).padStart(digits, "0");

/** A request to the front that is handed on by an inner step. */
function request(name: string, to: keyof typeof ADDRESSES) {
  made++;
  const traceId = hex(made, 32);
  const span = (index: number, parent: number | undefined, more: Partial<NewSpan>): NewSpan => ({
    traceId,
    spanId: hex(made * 10 + index, 16),
    parentId: parent === undefined ? "" : hex(made * 10 + parent, 16),
    resourceId: front,
    name,
    kind: 1,
    startMs: AT - 5 * MINUTE_MS + made * 10 + index,
    endMs: AT - 5 * MINUTE_MS + made * 10 + 9,
    status: 0,
    detail: null,
    ...more,
  });
  const place = JSON.stringify({ attributes: { "server.address": ADDRESSES[to], "peer.service": to } });
  const spans = [
    span(0, undefined, { kind: 2 }),
    span(1, 0, { name: "inner step" }),
    span(2, 1, { name: "call", kind: 3, detail: place }),
    // Of nobody's request that was asked.
    span(3, 77, {
      name: "call",
      kind: 3,
      detail: JSON.stringify({ attributes: { "server.address": ADDRESSES.ledger } }),
    }),
  ];
  db.transaction(() => new SpanWriter(db).write(spans))();
}

const members = (uid: string) => {
  const service = listServices(db).find((one) => one.uid === uid)?.id as number;
  const named = new Map([...ids].map(([name, id]) => [id, name]));
  return membersOf(db, service, AT)
    .flatMap((row) => named.get(row.component_id) ?? [])
    .sort();
};

it("tells whom the operations of a front call, through what it does between", () => {
  request("GET /lots", "gavel");
  request("GET /rounds", "rounds");
  expect(leadsOf(db, idOf("front"), AT)).toEqual(
    new Map([
      ["GET /lots", new Set([idOf("gavel")])],
      ["GET /rounds", new Set([idOf("rounds")])],
    ]),
  );
  expect(leadsOf(db, idOf("gavel"), AT)).toBeUndefined();
  expect(leadsOf(db, idOf("front"), AT - 10 * MINUTE_MS)).toBeUndefined();
});

it("makes services that share a front of what is behind their own operations", () => {
  refreshServices(db, readGraph(db), AT - 30 * MINUTE_MS);
  // As long as no trace tells, it is all of whose the front is as a whole.
  expect(members("auction")).toEqual(["front", "gavel", "ledger", "rounds"]);
  expect(members("rounds")).toEqual(["front"]);
  request("GET /lots", "gavel");
  request("GET /rounds", "rounds");
  refreshServices(db, readGraph(db), AT);
  expect(members("auction")).toEqual(["front", "gavel"]);
  expect(members("rounds")).toEqual(["front", "ledger", "rounds"]);
  const [auction, rounds] = ["auction", "rounds"].map((uid) => listServices(db).find((one) => one.uid === uid)?.id);
  const ways = waysInAt(db, AT);
  expect(ways.takes(auction as number, idOf("front"), "GET /rounds")).toBe(false);
  expect(ways.takes(rounds as number, idOf("front"), "GET /rounds")).toBe(true);
  expect(ways.takes(auction as number, idOf("front"), "GET /lots")).toBe(true);
});
