import { beforeEach, describe, expect, it } from "vitest";
import { natureOf } from "#core/correlation/harm";
import { DAY_MS, HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { emptyEstate, useStore } from "../../tests/store";
import type { Db } from "../store/database";
import { insertComponent } from "../store/estate";
import { insertResource, resourcesOf } from "../store/resources";
import { insertSeries } from "../store/signals";
import { healthAt, saveService, writeMembers } from "../store/services";
import { refreshHealth, servicesByComponent } from "./services";

const AT = Date.parse("2026-03-17T10:00:00Z");
let db: Db;
useStore((made) => (db = made));
beforeEach(() => {
  db.exec(
    "DELETE FROM alarm; DELETE FROM health; DELETE FROM series; DELETE FROM operation; DELETE FROM resource; DELETE FROM member; DELETE FROM service",
  );
  emptyEstate(db);
});

const add = (name: string, kind: string) =>
  insertComponent(
    db,
    { kind, name, site: "N", reason: "", sourceId: null, hostId: null, address: null, keys: [`k:${name}`], facts: {} },
    AT - DAY_MS,
  );

describe("work that nobody waits for", () => {
  const AT_ALL = { isMeasured: () => true, takes: () => true };
  /** A service with a front that answers, two workers that take from its broker, and what they send. */
  const setUp = () => {
    const [front, broker] = [add("front @ h", "app.web"), add("bus @ h", "queue.broker")];
    const workers = ["w-1", "w-2"].map((host) => add(`settler @ ${host}`, "app.process"));
    for (const [id, label] of [
      [front, "front"],
      [broker, "bus"],
      ...workers.map((one) => [one, "settler"] as const),
    ] as const)
      db.prepare("UPDATE component SET label = ? WHERE id = ?").run(label, id);
    const spans = (id: number, kind: number) => {
      const sender = insertResource(db, `{"of":${id}}`, { componentId: id, why: "" }, AT);
      db.prepare("INSERT INTO operation (resource_id, name, kind) VALUES (?, 'x', ?)").run(sender, kind);
    };
    spans(front, 2);
    spans(workers[0] as number, 3);
    insertResource(db, '{"of":"the other"}', { componentId: workers[1] as number, why: "" }, AT);
    const service = saveService(db, { uid: "sale", name: "Sale", purpose: "", owner: "", entries: [] }, AT - DAY_MS);
    writeMembers(db, service, new Set([front, broker, ...workers]), new Set([front, ...workers]), AT - HOUR_MS);
    return { front, broker, workers, service };
  };
  let minute = 0;
  /** How the service is while some have an alarm. */
  const state = (
    service: number,
    ...alarms: [component: number, metric: string, severity: string, qualifier?: string][]
  ) => {
    for (const [id, metric, severity, qualifier = ""] of alarms)
      db.prepare(
        `INSERT INTO alarm (subject_type, subject_id, detector, metric, direction, alarm_type, qualifier, severity, worst,
           text, onset_at, raised_at, changed_at) VALUES ('component', ?, 'x', ?, 'above', 'x', ?, ?, ?, 'x', 0, 0, 0)`,
      ).run(id, metric, qualifier, severity, severity);
    const atMs = AT + ++minute * MINUTE_MS;
    refreshHealth(db, [{ type: "service", id: service }], { ...AT_ALL, servicesOf: servicesByComponent(db, AT) }, atMs);
    db.exec("DELETE FROM alarm");
    return healthAt(db, "service", atMs).get(service)?.severity;
  };

  it("degrades a service whose messages pile up, where nobody else uses the broker", () => {
    const { broker, service } = setUp();
    expect(state(service, [broker, "messaging.queue.depth", "critical"])).toBe("major");
    expect(state(service, [broker, "messaging.queue.depth", "warning"])).toBeUndefined();
    expect(state(service, [broker, "cpu.used", "critical"])).toBeUndefined();
    const other = saveService(db, { uid: "other", name: "Other", purpose: "", owner: "", entries: [] }, AT - DAY_MS);
    writeMembers(db, other, new Set([broker]), new Set(), AT - HOUR_MS);
    expect(state(service, [broker, "messaging.queue.depth", "critical"])).toBeUndefined();
  });
  it("degrades it where one who takes messages fails with them, wherever it is entered", () => {
    const { front, broker, workers, service } = setUp();
    const [one = 0] = workers;
    writeMembers(db, service, new Set([front, broker, ...workers]), new Set([front]), AT - HOUR_MS);
    const [sender] = resourcesOf(db, one);
    db.prepare("INSERT INTO operation (resource_id, name, kind) VALUES (?, 'process lots', 5)").run(sender);
    expect(state(service, [one, "calls.failing", "critical", "process lots"])).toBe("major");
    // Nobody waits for them: that they take longer hurts where they pile up.
    expect(state(service, [one, "calls.slow", "minor", "process lots"])).toBeUndefined();
    // What it calls may be made good by another, and what it is short of hinders one of two.
    expect(state(service, [one, "calls.failing", "critical", "to bank"])).toBeUndefined();
    expect(state(service, [one, "db.client.connection.count", "critical"])).toBeUndefined();
    // Who answers requests too is judged by its messages for those alone.
    db.prepare("INSERT INTO operation (resource_id, name, kind) VALUES (?, 'GET /lots', 2)").run(sender);
    expect(state(service, [one, "calls.failing", "major", "GET /lots"])).toBeUndefined();
    expect(state(service, [one, "calls.failing", "major", "process lots"])).toBe("major");
  });
  it("degrades it where all that take work are hindered, as much as the least of them", () => {
    const { front, workers, service } = setUp();
    const [one, other] = workers as [number, number];
    const pool = "db.client.connection.count";
    expect(natureOf(pool)).toBe("pool");
    expect(state(service, [one, pool, "major"])).toBeUndefined();
    expect(state(service, [one, pool, "major"], [other, "calls.failing", "minor"])).toBe("minor");
    expect(state(service, [one, pool, "critical"], [other, pool, "critical"])).toBe("major");
    expect(state(service, [one, "memory.used", "major"], [other, "memory.used", "major"])).toBeUndefined();
    // Who answers calls is judged by how it answers, whether spans tell of that or counts.
    expect(state(service, [front, pool, "major"])).toBeUndefined();
    const both: Parameters<typeof state>[1][] = [
      [one, pool, "major"],
      [other, pool, "major"],
    ];
    insertSeries(
      db,
      { componentId: one, serviceId: null },
      "http.server.request.duration.count",
      "http.route=/",
      "1",
      "delta",
      AT,
    );
    expect(state(service, ...both)).toBeUndefined();
  });
});
