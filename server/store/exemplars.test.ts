import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { migrate, openStore, prepared, type Db } from "./database";
import { exemplarsOf, forgetExemplars, writeExemplars, type NewExemplar } from "./exemplars";
import { insertResource } from "./resources";
import { SpanWriter } from "./span-writer";

const AT = Date.parse("2026-03-17T10:00:00Z");
let folder: string;
let db: Db;
let resourceId: number;
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), "holotaxis-"));
  db = openStore(join(folder, "store.db"), "writer");
  migrate(db, join(process.cwd(), "server", "store", "migrations"));
  resourceId = insertResource(db, "{}", { componentId: null, why: "" }, AT);
});
afterEach(() => {
  db.close();
  rmSync(folder, { recursive: true, force: true });
});

const trace = (number: number) => number.toString(16).padStart(32, "0");
/** Keeps a measurement, and the span of its trace unless that is left out. */
function keep(number: number, atMs: number, value: number, changes: Partial<NewExemplar> = {}, spanKept = true): void {
  writeExemplars(db, [
    { resourceId, metric: "took", instance: "a=b", atMs, value, traceId: trace(number), spanId: "", ...changes },
  ]);
  if (spanKept)
    new SpanWriter(db).write([
      {
        resourceId,
        traceId: trace(number),
        spanId: number.toString(16).padStart(16, "0"),
        parentId: "",
        name: "op",
        kind: 2,
        startMs: atMs,
        endMs: atMs + 1,
        status: 0,
        detail: null,
      },
    ]);
}
const found = (metric: string, places = 10, instance = "a=b") =>
  exemplarsOf(db, { resource_id: resourceId, metric, instance }, AT, AT + 10_000, places);

describe("exemplars of a series", () => {
  it("are those of what it was worked out of", () => {
    keep(1, AT + 1, 0.5);
    expect(found("took.p95")).toEqual([{ atMs: AT + 1, value: 0.5, traceId: trace(1) }]);
    expect(found("took.p99.9")).toHaveLength(1);
    expect(found("took")).toHaveLength(1);
    // A count of calls has no value in common with how long one took.
    expect(found("took.count")).toEqual([]);
    expect(found("took.p95", 10, "a=c")).toEqual([]);
    expect(exemplarsOf(db, { resource_id: null, metric: "took", instance: "a=b" }, 0, AT * 2, 10)).toEqual([]);
  });
  it("are the highest of each part of the window, and nothing from outside it", () => {
    [
      [1, 0, 5],
      [2, 500, 9],
      [3, 999, 7],
      [4, 1000, 1],
      [5, 9999, 2],
      [6, 10_001, 99],
    ].forEach(([number, after, value]) => keep(number as number, AT + (after as number), value as number));
    keep(7, AT - 1, 99);
    expect(found("took").map((one) => [one.atMs - AT, one.value])).toEqual([
      [500, 9],
      [1000, 1],
      [9999, 2],
    ]);
    expect(found("took", 1).map((one) => one.value)).toEqual([9]);
  });
  it("are left out when their trace was not kept", () => {
    keep(1, AT, 5, {}, false);
    keep(2, AT + 1, 3);
    expect(found("took", 1).map((one) => one.traceId)).toEqual([trace(2)]);
  });
  it("are forgotten with what is old", () => {
    keep(1, AT, 5);
    keep(2, AT + 5000, 6);
    forgetExemplars(db, AT + 1);
    expect(prepared<{ n: number }>(db, "SELECT count(*) AS n FROM exemplar").get()?.n).toBe(1);
  });
});
