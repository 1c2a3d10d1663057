import fc from "fast-check";
import { expect, it } from "vitest";
import { HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { callCount, callFigures, CallHalves, mostCalled, operationFigures } from "./call-figures";
import { prepared, type Db } from "./database";
import { insertResource } from "./resources";
import { SpanWriter, type NewSpan } from "./span-writer";
import { useStore } from "../../tests/store";

const AT = Date.parse("2026-03-17T10:00:00Z");
const SPAN = 5 * HOUR_MS;
let db: Db;
useStore((opened) => {
  db = opened;
  for (const name of ["a", "b", "c", "d"])
    insertResource(db, `{"service.name":"${name}"}`, { componentId: null, why: "" }, AT);
});

/** A call from one sender to another: the caller's span and the answer's. */
const call = (n: number, from: number, to: number, atMs: number, durationMs: number): NewSpan[] => {
  const traceId = (n + 1).toString(16).padStart(32, "0");
  const span = (resourceId: number, spanId: string, parentId: string): NewSpan => ({
    traceId,
    spanId,
    parentId,
    resourceId,
    name: `of ${resourceId}`,
    kind: parentId ? 2 : 3,
    startMs: atMs,
    endMs: atMs + durationMs,
    status: n % 4 === 0 ? 2 : 0,
    detail: null,
  });
  return [span(from, "1".padStart(16, "0"), ""), span(to, "2".padStart(16, "0"), "1".padStart(16, "0"))];
};
const step = fc.oneof(
  fc.record({
    from: fc.integer({ min: 1, max: 2 }),
    to: fc.integer({ min: 3, max: 4 }),
    at: fc.nat({ max: SPAN - 1 }),
    duration: fc.integer({ min: 1, max: 5000 }),
  }),
  fc.record({ sumUp: fc.nat({ max: SPAN }), fails: fc.boolean() }),
);
const window = fc
  .tuple(fc.integer({ min: -HOUR_MS, max: SPAN }), fc.integer({ min: 0, max: SPAN }))
  .map(([from, length]) => ({ fromMs: AT + from, toMs: AT + from + length }));

it("says the same from half hours and minutes as from the calls themselves, those that came late too", () => {
  fc.assert(
    fc.property(
      fc.array(step, { maxLength: 40 }),
      fc.array(window, { minLength: 1, maxLength: 4 }),
      (steps, windows) => {
        for (const table of ["span", "operation", "operation_minute", "call_minute", "operation_half", "call_half"])
          db.exec(`DELETE FROM ${table}`);
        db.exec("DELETE FROM meta WHERE key = 'calls_summed'");
        let writer = new SpanWriter(db);
        const kept: { from: number; to: number; atMs: number; duration: number; failed: boolean }[] = [];
        steps.forEach((one, n) => {
          if ("at" in one) {
            db.transaction(() => writer.write(call(n, one.from, one.to, AT + one.at, one.duration)))();
            kept.push({ from: one.from, to: one.to, atMs: AT + one.at, duration: one.duration, failed: n % 4 === 0 });
          } else if (one.fails) {
            // What a failed transaction did must not be taken for done.
            expect(() =>
              db.transaction(() => {
                writer.sumUp(AT + one.sumUp, 1000);
                throw new Error("no room");
              })(),
            ).toThrow("no room");
          } else {
            db.transaction(() => writer.sumUp(AT + one.sumUp, 1000))();
            if (n % 3 === 0) writer = new SpanWriter(db);
          }
        });
        for (const { fromMs, toMs } of windows) {
          const minute = (atMs: number) => Math.floor(atMs / MINUTE_MS) * MINUTE_MS;
          const inside = kept.filter((one) => minute(one.atMs) >= minute(fromMs) && minute(one.atMs) <= toMs);
          for (const from of [1, 2])
            for (const to of [3, 4]) {
              const direct = inside.filter((one) => one.from === from && one.to === to);
              const figures = callFigures(db, [from], [to], fromMs, toMs);
              expect([
                figures?.calls ?? 0,
                figures?.failed ?? 0,
                figures?.sumUs ?? 0,
                figures?.sketch.count ?? 0,
              ]).toEqual([
                direct.length,
                direct.filter((one) => one.failed).length,
                direct.reduce((sum, one) => sum + one.duration * 1000, 0),
                direct.length,
              ]);
            }
          const answered = prepared<{ id: number; resource_id: number }>(
            db,
            "SELECT id, resource_id FROM operation WHERE kind = 2",
          ).all();
          const figures = operationFigures(
            db,
            answered.map(({ id }) => id),
            fromMs,
            toMs,
          );
          for (const { id, resource_id } of answered)
            expect(figures.get(id)?.calls ?? 0).toBe(inside.filter((one) => one.to === resource_id).length);
          const all = [...figures.values()].reduce((sum, one) => sum + one.calls, 0);
          expect(
            callCount(
              db,
              answered.map(({ id }) => id),
              fromMs,
              toMs,
            ),
          ).toBe(all);
          // Counted without the sketches it is the same, in order.
          const counted = mostCalled(db, figures.keys(), fromMs, toMs);
          expect(counted.map((one) => one.calls)).toEqual(
            [...figures.values()].map((one) => one.calls).sort((a, b) => b - a),
          );
          for (const { id, calls, failed } of counted)
            expect({ calls, failed }).toEqual({ calls: figures.get(id)?.calls, failed: figures.get(id)?.failed });
        }
      },
    ),
    { numRuns: 150 },
  );
});

it("reads few rows for a long window, and goes on where it was cut off", () => {
  db.exec(
    `DELETE FROM operation_minute; DELETE FROM operation_half; DELETE FROM operation; DELETE FROM call_minute; DELETE
     FROM call_half; DELETE FROM meta WHERE key = 'calls_summed'`,
  );
  const writer = new SpanWriter(db);
  db.transaction(() => {
    for (let minute = 0; minute < 240; minute++) writer.write(call(minute, 1, 3, AT + minute * MINUTE_MS, 10));
  })();
  // So little time that each pass is cut off after a subject or two.
  const halves = new CallHalves(db);
  let passes = 0;
  const rows = () => prepared<{ n: number }>(db, "SELECT count(*) AS n FROM operation_half").get()?.n ?? 0;
  while (rows() < 16 && passes++ < 10_000) db.transaction(() => halves.work(AT + 5 * HOUR_MS, 0.001))();
  expect(rows()).toBe(16);
  db.exec("DELETE FROM operation_minute WHERE minute_at >= " + AT + " AND minute_at < " + (AT + 2 * HOUR_MS));
  const both = prepared<{ id: number }>(db, "SELECT id FROM operation")
    .all()
    .map(({ id }) => id);
  expect(operationFigures(db, both, AT, AT + 3 * HOUR_MS - 1).size).toBe(2);
});
