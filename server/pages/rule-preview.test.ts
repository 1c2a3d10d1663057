import { beforeEach, expect, it } from "vitest";
import { HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { emptyEstate, useStore } from "../../tests/store";
import { SampleWriter } from "../ingest/sample-writer";
import type { Db } from "../store/database";
import { insertComponent } from "../store/estate";
import { savePlannedWork } from "../store/planned-work";
import { rulePreview } from "./setup";

const NOW = Date.parse("2026-03-17T12:00:00Z");
const FROM = NOW - 72 * HOUR_MS;
let db: Db;
useStore((made) => (db = made));
beforeEach(() => {
  emptyEstate(db);
  db.exec("DELETE FROM planned_work");
});

const FIELDS = {
  name: "Queue",
  type: "usual",
  scope: "kind:*",
  metric: "queue.depth",
  direction: "above",
  score: "75",
  lastsMinutes: "1",
  leastPercent: "100",
  severity: "minor",
  as: "alarm",
};

it("does not learn from planned work what would be usual, where nobody judged yet", () => {
  const id = insertComponent(
    db,
    {
      kind: "app.process",
      name: "app",
      site: "N",
      sourceId: null,
      hostId: null,
      address: null,
      reason: "",
      keys: [],
      facts: {},
    },
    FROM,
  );
  const writer = new SampleWriter(db);
  const series = writer.series({ componentId: id, serviceId: null }, "queue.depth", "", "1", FROM);
  // More than a day is work that fills the queue; much later it fills by itself.
  for (let atMs = FROM; atMs < NOW; atMs += MINUTE_MS) {
    const hour = (atMs - FROM) / HOUR_MS;
    writer.record(series, atMs, (hour < 30 || (hour >= 60 && hour < 60.1) ? 300 : 10) + ((atMs / MINUTE_MS) % 7) / 10);
  }
  writer.commit("everything", () => undefined);
  const raised = () => {
    const preview = rulePreview(db, { fields: FIELDS, fromMs: FROM, toMs: NOW });
    if (!preview.ok) throw new Error(JSON.stringify(preview.fields));
    return preview.raised;
  };
  expect(raised()).toBe(0);
  savePlannedWork(
    db,
    undefined,
    {
      title: "Refill",
      scope: { of: "components", filter: "q=app" },
      startsAt: "2026-03-14T12:00",
      zone: "UTC",
      minutes: 30 * 60,
      repeats: "",
    },
    "Edo",
    FROM,
  );
  expect(raised()).toBeGreaterThan(0);
});
