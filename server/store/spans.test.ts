import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import fc from "fast-check";
import { afterEach, beforeEach, expect, it } from "vitest";
import { DAY_MS, MINUTE_MS } from "#core/time/windows";
import { tracePage, tracesPage } from "../pages/traces";
import { migrate, openStore, type Db } from "./database";
import { insertResource } from "./resources";
import { SpanWriter, type NewSpan } from "./span-writer";
import { callFigures, operationFigures } from "./call-figures";
import { allOperations, spansOfTrace } from "./spans";

const AT = Date.parse("2026-03-17T10:00:00Z");
let folder: string;
let db: Db;
let writer: SpanWriter;
const resources: number[] = [];
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), "holotaxis-"));
  db = openStore(join(folder, "store.db"), "writer");
  migrate(db, join(process.cwd(), "server", "store", "migrations"));
  resources.splice(
    0,
    3,
    ...["front", "middle", "back"].map((name) =>
      insertResource(db, `{"service.name":"${name}"}`, { componentId: null, why: "" }, AT),
    ),
  );
  writer = new SpanWriter(db);
});
afterEach(() => {
  db.close();
  rmSync(folder, { recursive: true, force: true });
});

const trace = (n: number) => n.toString(16).padStart(32, "0");
/** A trace of three: front calls middle, middle calls back. */
const three = (n: number, failed = false): NewSpan[] =>
  [0, 1, 2].map((depth) => ({
    traceId: trace(n + 1),
    spanId: (n * 3 + depth + 1).toString(16).padStart(16, "0"),
    parentId: depth ? (n * 3 + depth).toString(16).padStart(16, "0") : "",
    resourceId: resources[depth] as number,
    name: `step ${depth}`,
    kind: 2,
    startMs: AT + n * 1000 + depth,
    endMs: AT + n * 1000 + depth + 100 - depth * 20,
    status: failed && depth === 2 ? 2 : 0,
    detail: null,
  }));
const write = (spans: readonly NewSpan[]) => db.transaction(() => writer.write(spans))();
const calls = () =>
  resources.flatMap((from, caller) =>
    resources.flatMap((to, called) => {
      const figures = callFigures(db, [from], [to], AT, AT + DAY_MS);
      return figures ? [[caller, called, figures.calls, figures.failed]] : [];
    }),
  );

it("brings callers and called together whatever order their spans come in, once each", () => {
  fc.assert(
    fc.property(
      fc.shuffledSubarray(Array.from({ length: 6 }, (_, n) => three(n, n === 2)).flat(), {
        minLength: 18,
        maxLength: 18,
      }),
      fc.integer({ min: 1, max: 7 }),
      (spans, size) => {
        db.exec("DELETE FROM span; DELETE FROM operation; DELETE FROM operation_minute; DELETE FROM call_minute");
        writer = new SpanWriter(db);
        for (let from = 0; from < spans.length; from += size) write(spans.slice(from, from + size));
        expect(calls()).toEqual([
          [0, 1, 6, 0],
          [1, 2, 6, 1],
        ]);
        const figures = operationFigures(
          db,
          allOperations(db).map((one) => one.id),
          AT,
          AT + DAY_MS,
        );
        expect([...figures.values()].map((one) => one.calls)).toEqual([6, 6, 6]);
      },
    ),
    { numRuns: 30 },
  );
});

it("keeps every span as it came, however many are written at once", () => {
  fc.assert(
    fc.property(fc.integer({ min: 1, max: 40 }), fc.integer({ min: 1, max: 130 }), (traces, size) => {
      db.exec("DELETE FROM span; DELETE FROM operation; DELETE FROM operation_minute; DELETE FROM call_minute");
      writer = new SpanWriter(db);
      const spans = Array.from({ length: traces }, (_, n) => three(n, n % 3 === 0)).flat();
      for (let from = 0; from < spans.length; from += size) write(spans.slice(from, from + size));
      const kept = Array.from({ length: traces }, (_, n) => spansOfTrace(db, trace(n + 1))).flat();
      const hex = (bytes: Uint8Array | null) => (bytes ? Buffer.from(bytes).toString("hex") : "");
      expect(
        kept.map((row) => [hex(row.span_id), hex(row.parent_id), row.start_us, row.duration_us, row.status]),
      ).toEqual(
        spans.map((one) => [
          one.spanId,
          one.parentId,
          one.startMs * 1000,
          Math.round((one.endMs - one.startMs) * 1000),
          one.status,
        ]),
      );
    }),
    { numRuns: 25 },
  );
});

it("goes on counting a minute after a restart", () => {
  write(three(0));
  writer = new SpanWriter(db);
  write(three(1));
  const operation = allOperations(db).find((one) => one.name === "step 0");
  const figures = operationFigures(db, [operation?.id ?? 0], AT, AT + MINUTE_MS).get(operation?.id ?? 0);
  expect([figures?.calls, Math.round((figures?.sketch.quantile(0.5) ?? 0) / 1000)]).toEqual([2, 100]);
  expect(allOperations(db)).toHaveLength(3);
});

it("shows a trace as a tree, with the time spent in each step itself, and two beside each other", () => {
  write([...three(0), ...three(1, true)]);
  const shown = tracePage(db, { traceId: trace(1), other: trace(2) });
  expect(shown?.spans.map((span) => [span.name, span.depth, Math.round(span.ownMs)])).toEqual([
    ["step 0", 0, 20],
    ["step 1", 1, 20],
    ["step 2", 2, 60],
  ]);
  expect(shown?.other?.spans[2]).toMatchObject({ failed: true, path: shown?.spans[2]?.path });
  expect(tracePage(db, { traceId: trace(77), other: "" })).toBeNull();
  expect(tracePage(db, { traceId: trace(1), other: trace(77) })?.otherMissing).toBe(true);
});

it("draws spans whose parents never came, and loops, without end", () => {
  const lost = { ...(three(0)[1] as NewSpan) };
  const [a, b] = three(5) as [NewSpan, NewSpan];
  write([lost, { ...a, parentId: b.spanId }, b]);
  expect(tracePage(db, { traceId: trace(1), other: "" })?.spans.map((span) => span.depth)).toEqual([0]);
  expect(tracePage(db, { traceId: trace(6), other: "" })).not.toBeNull();
});

it("lists the traces of an operation by duration and outcome", () => {
  write(Array.from({ length: 20 }, (_, n) => three(n, n % 5 === 0)).flat());
  const ask = (more: object) =>
    tracesPage(db, {
      fromMs: AT,
      toMs: AT + DAY_MS,
      text: "",
      answered: true,
      operation: null,
      least: null,
      most: null,
      failedOnly: false,
      ...more,
    });
  const { operations } = ask({});
  expect(operations.map((one) => [one.name, one.calls, one.failed]).sort()).toEqual([
    ["step 0", 20, 0],
    ["step 1", 20, 0],
    ["step 2", 20, 4],
  ]);
  const back = operations.find((one) => one.name === "step 2")?.id ?? 0;
  expect(ask({ operation: back, failedOnly: true }).traces).toHaveLength(4);
  expect(ask({ operation: back, least: 50, most: 70 }).traces).toHaveLength(20);
  expect(ask({ operation: back, least: 61, most: 70 }).traces).toHaveLength(0);
  expect(ask({ text: "MIDDLE step" }).operations.map((one) => one.name)).toEqual(["step 1"]);
  expect(ask({ operation: back }).bars.reduce((sum, bar) => sum + bar.count, 0)).toBe(20);
});

it("forgets what is old and keeps what is not", () => {
  write(three(0));
  write(three(1).map((span) => ({ ...span, startMs: span.startMs + 2 * DAY_MS, endMs: span.endMs + 2 * DAY_MS })));
  db.transaction(() => writer.forget(AT + DAY_MS))();
  expect(spansOfTrace(db, trace(1))).toHaveLength(0);
  expect(spansOfTrace(db, trace(2))).toHaveLength(3);
  expect(callFigures(db, resources, resources, AT, AT + DAY_MS)).toBeUndefined();
});
