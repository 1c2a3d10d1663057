import { beforeEach, expect, it } from "vitest";
import { MINUTE_MS } from "#core/time/windows";
import { emptyEstate, useStore } from "../../tests/store";
import { SampleWriter } from "../ingest/sample-writer";
import type { Db } from "../store/database";
import { insertComponent } from "../store/estate";
import { insertRelation } from "../store/relations";
import { takersOf } from "./takers";

const AT = Date.parse("2026-03-17T10:00:00Z");
let db: Db;
useStore((made) => (db = made));
beforeEach(() => emptyEstate(db));

const make = (name: string, kind = "app.process") =>
  insertComponent(
    db,
    { kind, name, site: "N", reason: "", sourceId: null, hostId: null, address: null, keys: [`k:${name}`], facts: {} },
    AT - 120 * MINUTE_MS,
  );

it("names those who take hardly any messages from a queue that fills, not those who take as many, or from others", () => {
  const bus = make("bus", "queue.broker");
  const writer = new SampleWriter(db);
  const series = (id: number, metric: string, queue: string, instrument?: "delta") =>
    writer.series(
      { componentId: id, serviceId: null },
      metric,
      `messaging.destination.name=${queue}`,
      "1",
      AT - 90 * MINUTE_MS,
      instrument,
    );
  const depth = series(bus, "messaging.queue.depth", "lots");
  /** Messages a minute until they pile up, and since. */
  const takes = (name: string, queue: string, before: number, now: number) => {
    const id = make(name);
    insertRelation(
      db,
      { type: "talks-to", fromId: id, toId: bus, detail: "", connections: 1, seenBy: "test" },
      AT - 100 * MINUTE_MS,
    );
    const own = series(id, "messaging.process.duration.count", queue, "delta");
    for (let minute = -70; minute <= 5; minute++)
      if (minute < 0 || now > 0) writer.record(own, AT + minute * MINUTE_MS, minute < 0 ? before : now);
  };
  takes("stuck", "lots", 40, 0);
  takes("slow", "lots", 40, 6);
  takes("busy", "lots", 40, 55);
  takes("idle", "lots", 0.2, 0);
  takes("elsewhere", "bills", 40, 0);
  writer.commit("tick", () => undefined);
  const alarm = (metric: string) => ({
    subject_type: "component" as const,
    subject_id: bus,
    metric,
    onset_at: AT,
    series_id: depth.id,
  });
  const named = (metric: string) => takersOf(db, [alarm(metric)], AT + 5 * MINUTE_MS).map((one) => one.name);
  expect(named("messaging.queue.depth").sort()).toEqual(["slow", "stuck"]);
  expect(named("cpu.used")).toEqual([]);
});
