import { beforeEach, expect, it } from "vitest";
import { MINUTE_MS } from "#core/time/windows";
import { useStore } from "../../tests/store";
import type { Db } from "../store/database";
import { insertComponent } from "../store/estate";
import { insertResource } from "../store/resources";
import { SpanWriter } from "../store/span-writer";
import { WaysIn } from "#core/topology/ways-in";
import { enteredAt } from "../store/ways-in";
import { promisesOf } from "./promises";

const NOWHERE = enteredAt(new WaysIn([]), 1, []);

const AT = Date.parse("2026-03-17T10:00:00Z");
let db: Db;
let front: number;
let made = 0;
useStore((store) => (db = store));
beforeEach(() => {
  db.exec(
    "DELETE FROM span; DELETE FROM operation_minute; DELETE FROM operation; DELETE FROM resource; DELETE FROM component_key; DELETE FROM component",
  );
  front = insertComponent(
    db,
    {
      kind: "app.web",
      name: "front",
      site: "S",
      sourceId: null,
      hostId: null,
      address: null,
      reason: "",
      keys: [],
      facts: {},
    },
    AT,
  );
});
const hex = (digits: number) => (++made).toString(16).padStart(digits, "0");
const spans = (resourceId: number, name: string, kind: number, ...took: number[]) =>
  db.transaction(() =>
    new SpanWriter(db).write(
      took.map((ms) => ({
        traceId: hex(32),
        spanId: hex(16),
        parentId: "",
        resourceId,
        name,
        kind,
        startMs: AT,
        endMs: AT + ms,
        status: 0,
        detail: null,
      })),
    ),
  )();
const resource = (attributes: Record<string, string>, componentId: number | null = null) =>
  insertResource(db, JSON.stringify(attributes), { componentId, why: "" }, AT);
const window = { fromMs: AT - MINUTE_MS, toMs: AT + MINUTE_MS };
const service = {
  uid: "gate",
  name: "Gate Appointments",
  details: { serverLimitMs: 100, browserLimitMs: 2000 },
};

it("limits are held against answers at the server and against pages in browsers", () => {
  const server = resource({ "service.name": "front" }, front);
  spans(server, "GET /", 2, 20, 50, 80, 400);
  // What it calls itself is no answer.
  spans(server, "SELECT", 3, 9000);
  const browser = resource({ "service.name": "gate appointments", "telemetry.sdk.language": "webjs" });
  spans(browser, "documentLoad", 1, 1500, 3000);
  spans(browser, "resourceFetch", 1, 10);
  spans(resource({ "service.name": "gate", "telemetry.sdk.language": "nodejs" }), "documentLoad", 1, 1);
  const [atServer, inBrowser] = promisesOf(db, service, enteredAt(new WaysIn([]), 1, [front]), window);
  expect(atServer).toMatchObject({ side: "server", calls: 4, share: 0.75 });
  expect(atServer?.p95Ms).toBeCloseTo(400, -1);
  expect(inBrowser).toMatchObject({ side: "browser", calls: 2, share: 0.5 });
});

it("say so where nothing was measured, and are not told of where there are none", () => {
  expect(promisesOf(db, service, NOWHERE, window)).toEqual([
    { side: "server", limitMs: 100, calls: 0, share: null, p95Ms: null },
    { side: "browser", limitMs: 2000, calls: 0, share: null, p95Ms: null },
  ]);
  expect(promisesOf(db, { ...service, details: {} }, NOWHERE, window)).toEqual([]);
});
