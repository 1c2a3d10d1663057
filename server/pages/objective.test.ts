import { beforeEach, describe, expect, it } from "vitest";
import { DAY_MS, HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { useStore } from "../../tests/store";
import type { Db } from "../store/database";
import { insertComponent } from "../store/estate";
import { insertResource } from "../store/resources";
import { saveService, writeMembers, type ServiceDetails } from "../store/services";
import { SampleWriter } from "../ingest/sample-writer";
import { deleteSource, insertSource } from "../store/sources";
import { SpanWriter, type NewSpan } from "../store/span-writer";
import { replaceTickets } from "../store/tickets";
import { objectivePage } from "./objective";

const AT = Date.parse("2026-03-17T10:00:00Z");
let db: Db;
useStore((made) => (db = made));
let sender: number;
let front: number;
let made = 0;

beforeEach(() => {
  db.exec(
    `DELETE FROM span; DELETE FROM operation_minute; DELETE FROM operation_half; DELETE FROM operation; DELETE FROM
     resource; DELETE FROM member; DELETE FROM service; DELETE FROM component_key; DELETE FROM component`,
  );
  front = insertComponent(
    db,
    {
      kind: "app.web",
      name: "front",
      site: "North",
      sourceId: null,
      hostId: null,
      address: null,
      reason: "",
      keys: ["k:front"],
      facts: {},
    },
    AT - 40 * DAY_MS,
  );
  sender = insertResource(db, '{"service.name":"front"}', { componentId: front, why: "" }, AT);
});

const promise = (details: ServiceDetails) => {
  const id = saveService(
    db,
    { uid: "gate", name: "Gate", purpose: "", owner: "", entries: [], details },
    AT - 40 * DAY_MS,
  );
  writeMembers(db, id, new Set([front]), new Set([front]), AT - 40 * DAY_MS);
};
const calls = (count: number, atMs: number, { took = 20, failed = false } = {}) => {
  const hex = (value: number, digits: number) => value.toString(16).padStart(digits, "0");
  const spans = Array.from({ length: count }, (): NewSpan => {
    made++;
    return {
      traceId: hex(made, 32),
      spanId: hex(made, 16),
      parentId: "",
      resourceId: sender,
      name: "GET /",
      kind: 2,
      startMs: atMs,
      endMs: atMs + took,
      status: failed ? 2 : 0,
      detail: null,
    };
  });
  db.transaction(() => new SpanWriter(db).write(spans))();
};
const known = () => objectivePage(db, { uid: "gate", atMs: AT })?.known;

describe("the objective of a service", () => {
  it("counts calls that failed or were too slow against its budget", () => {
    promise({ objectivePercent: 90, serverLimitMs: 100 });
    calls(90, AT - 2 * DAY_MS);
    calls(4, AT - 2 * DAY_MS, { took: 500 });
    calls(6, AT - DAY_MS / 2, { failed: true });
    expect(known()).toMatchObject({ calls: 100, bad: 10 });
    expect(known()?.share).toBeCloseTo(0.9, 6);
    expect(known()?.left).toBeCloseTo(0, 6);
    // Day by day it only falls, and ends at what is left.
    const left = known()?.days.map((day) => day.left) ?? [];
    expect(left).toHaveLength(30);
    expect(left.every((value, day) => day === 0 || value <= (left[day - 1] as number))).toBe(true);
    expect(left.at(-1)).toBeCloseTo(0, 6);
  });
  it("burns where it is over its rate long and short, and not where it is over already", () => {
    promise({ objectivePercent: 99 });
    calls(1000, AT - 10 * DAY_MS);
    calls(80, AT - 50 * MINUTE_MS);
    calls(20, AT - 50 * MINUTE_MS, { failed: true });
    expect(known()?.windows[0]).toMatchObject({ burns: false, short: 0 });
    calls(5, AT - 2 * MINUTE_MS, { failed: true });
    expect(known()?.windows[0]?.burns).toBe(true);
    expect(known()?.timeLeftMs).toBe(0);
  });
  it("lasts at the rate of the last hour, and for ever at none", () => {
    promise({ objectivePercent: 50 });
    calls(100, AT - 5 * DAY_MS);
    expect(known()?.timeLeftMs).toBeNull();
    calls(75, AT - 30 * MINUTE_MS);
    calls(25, AT - 30 * MINUTE_MS, { failed: true });
    // Half the even rate, and three quarters of the budget left: 45 days.
    expect(known()?.windows[0]?.long).toBeCloseTo(0.5, 6);
    expect((known()?.timeLeftMs ?? 0) / HOUR_MS).toBeCloseTo(45 * 24, 0);
  });
  it("leaves planned work out that names the service or what it is entered by", () => {
    promise({ objectivePercent: 90 });
    calls(90, AT - 2 * DAY_MS);
    calls(10, AT - 2 * HOUR_MS, { failed: true });
    expect(known()).toMatchObject({ calls: 100, bad: 10, plannedMs: 0 });
    const source = insertSource(
      db,
      { kind: "tickets", name: "Desk", site: "North", settings: {}, pollSeconds: null, sweepEvery: null } as never,
      undefined,
      AT - DAY_MS,
    );
    const work = (things: string[], hoursAgo: number) => ({
      ref: `CHG-${hoursAgo}`,
      title: "New disk",
      state: "planned",
      person: "Ben",
      fromMs: AT - (hoursAgo + 1) * HOUR_MS,
      toMs: AT - (hoursAgo - 1) * HOUR_MS,
      things,
    });
    replaceTickets(db, source, [work(["Gate"], 2), work(["front"], 2.5), work(["somebody else"], 48)], AT);
    expect(known()).toMatchObject({ calls: 90, bad: 0, plannedMs: 2.5 * HOUR_MS });
    deleteSource(db, source);
  });
  it("is nothing without one, and of nobody", () => {
    promise({});
    expect(known()).toBeNull();
    expect(objectivePage(db, { uid: "nobody", atMs: AT })).toBeNull();
    promise({ objectivePercent: 99 });
    expect(known()).toMatchObject({ calls: 0, share: null, left: 1 });
  });
});

describe("an objective of the business figure", () => {
  it("counts quarters of an hour below their usual; none where the service has no such figure", () => {
    promise({ objectivePercent: 99, figurePercent: 80 });
    expect(objectivePage(db, { uid: "gate", atMs: AT })?.known?.calls).toBe(0);
    const { id } = db.prepare("SELECT id FROM service").get() as { id: number };
    const writer = new SampleWriter(db);
    const series = writer.series({ componentId: null, serviceId: id }, "moves", "", "{move}", AT - 20 * DAY_MS);
    for (let at = AT - 16 * DAY_MS; at < AT; at += 5 * MINUTE_MS)
      writer.record(series, at, at >= AT - HOUR_MS && at < AT - HOUR_MS / 2 ? 4 : 10);
    writer.commit("everything", () => undefined);
    const page = objectivePage(db, { uid: "gate", atMs: AT });
    expect(page?.figure).toEqual({ percent: 80, isMost: false, label: "" });
    // Of the first day nothing was usual yet.
    expect(page?.known).toMatchObject({ calls: 15 * 96, bad: 2 });
    expect(page?.known?.windows[0]?.long).toBeCloseTo(2 / 4 / 0.01);
    expect(page?.known?.windows[0]?.short).toBe(0);
    expect(page?.known?.left).toBeCloseTo(1 - 2 / (15 * 96) / 0.01);
  });
});
