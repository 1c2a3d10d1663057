import { expect, it } from "vitest";
import { HarmGraph } from "#core/correlation/harm";
import { MINUTE_MS } from "#core/time/windows";
import { useStore } from "../../tests/store";
import type { Db } from "../store/database";
import { insertComponent } from "../store/estate";
import { insertResource } from "../store/resources";
import { insertSeries, writeChunk } from "../store/signals";
import { shapesOf } from "./shapes";

const AT = Date.parse("2026-03-17T10:00:00Z");
const FROM = AT - 45 * MINUTE_MS;
const UNTIL = AT + 10 * MINUTE_MS;
let db: Db;
useStore((made) => (db = made));

/** Minutes from three quarters of an hour before until ten minutes after: a little unrest, and more from a minute on. */
const figure = (from: number, size: number, seed: number) =>
  Float64Array.from({ length: 55 }, (_, at) => 20 + (((at + seed) * 7919) % 17) / 10 + (at >= 45 + from ? size : 0));
let made = 0;
const place = (name: string) =>
  insertComponent(
    db,
    {
      kind: "app.process",
      name,
      site: "N",
      reason: "test",
      sourceId: null,
      hostId: null,
      address: null,
      keys: [`k:${name}`],
      facts: {},
    },
    FROM,
  );
const measured = (componentId: number, values: Float64Array) => {
  const id = insertSeries(db, { componentId, serviceId: null }, `figure.${++made}`, "", "1", "gauge", FROM);
  writeChunk(db, id, { times: values.map((_, at) => FROM + at * MINUTE_MS + 20_000), values }, values.length);
  return id;
};
const answered = (componentId: number, values: Float64Array) => {
  const resource = insertResource(db, `{"n":${++made}}`, { componentId, why: "" }, FROM);
  const operation = Number(
    db.prepare("INSERT INTO operation (resource_id, name, kind, begins) VALUES (?, 'GET /', 2, 0)").run(resource)
      .lastInsertRowid,
  );
  const row = db.prepare("INSERT INTO operation_minute VALUES (?, ?, 10, ?, ?, x'')");
  values.forEach((value, at) =>
    row.run(operation, FROM + at * MINUTE_MS, value > 30 ? 5 : 0, Math.round(value * 1000)),
  );
};
const alarm = (
  subject_type: "component" | "service",
  subject_id: number,
  metric: string,
  more: { series_id?: number; direction?: "above" | "below"; qualifier?: string; raised_at?: number } = {},
) => ({
  subject_type,
  subject_id,
  subject: `${subject_type} ${subject_id}`,
  metric,
  direction: "above" as const,
  qualifier: "",
  series_id: null,
  raised_at: AT,
  ...more,
});

it("sees whose figure moves together with that of the service, and who is ahead", () => {
  const [store, front, other] = [place("store"), place("front"), place("other")];
  answered(front, figure(2, 100, 1));
  const graph = new HarmGraph([{ from: `component:${front}`, to: "service:7", way: "entry" }]);
  const alarms = [
    alarm("service", 7, "calls.slow"),
    alarm("component", store, "cpu.used", { series_id: measured(store, figure(1, 60, 5)) }),
    // The less, the worse.
    alarm("component", other, "free", {
      series_id: measured(
        other,
        figure(8, 30, 3).map((value) => -value),
      ),
      direction: "below",
    }),
  ];
  const nodes = [store, other].map((id) => `component:${id}`);
  const shapes = shapesOf(db, graph, nodes, alarms, AT, UNTIL);
  const [one, two] = nodes.map((node) => shapes.get(node));
  expect(one).toMatchObject({ aheadMs: MINUTE_MS, with: "service 7" });
  expect(one?.r).toBeGreaterThan(0.95);
  expect(two?.r).toBeLessThan(0.6);
  expect(two?.r).toBeGreaterThan(0);
  expect(one?.mean).toBeCloseTo(((one?.r ?? 0) + (two?.r ?? 0)) / 2, 9);
  // Calls that fail are told by their share.
  expect(
    shapesOf(db, graph, nodes, [alarm("service", 7, "calls.failing"), ...alarms.slice(1)], AT, UNTIL).get(
      nodes[0] as string,
    )?.r,
  ).toBeGreaterThan(0.95);
});

it("says nothing of what has no figure of its own, and where nobody else is hurt", () => {
  const [store, front] = [place("store b"), place("front b")];
  answered(front, figure(0, 100, 1));
  const node = `component:${store}`;
  const hurt = alarm("component", front, "calls.slow", { qualifier: "GET /" });
  const graph = new HarmGraph([]);
  const of = (...alarms: ReturnType<typeof alarm>[]) => shapesOf(db, graph, [node], alarms, AT, UNTIL).size;
  expect(of(hurt, alarm("component", store, "reachable"))).toBe(0);
  // Calls that it makes are no figure of its own.
  expect(of(hurt, alarm("component", store, "calls.slow", { qualifier: "to front b" }))).toBe(0);
  const own = alarm("component", store, "cpu.used", { series_id: measured(store, figure(0, 50, 2)) });
  expect(of(own)).toBe(0);
  expect(of(hurt, own)).toBe(1);
  expect(of(alarm("component", front, "calls.slow", { qualifier: "GET /other" }), own)).toBe(0);
});
