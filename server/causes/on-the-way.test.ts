import { beforeEach, expect, it } from "vitest";
import { MINUTE_MS } from "#core/time/windows";
import { emptyEstate, useStore } from "../../tests/store";
import type { Db } from "../store/database";
import { insertComponent } from "../store/estate";
import { insertResource } from "../store/resources";
import { SpanWriter, type NewSpan } from "../store/span-writer";
import { lineNode } from "./harm-map";
import { lateLinesOf } from "./on-the-way";

const AT = Date.parse("2026-03-17T10:00:00Z");
let db: Db;
useStore((made) => (db = made));
let spans: SpanWriter;
let made = 0;
beforeEach(() => {
  db.exec("DELETE FROM span; DELETE FROM operation_minute; DELETE FROM operation; DELETE FROM resource");
  emptyEstate(db);
  spans = new SpanWriter(db);
});

function process(name: string, site: string) {
  const id = insertComponent(
    db,
    {
      kind: "app.process",
      name,
      site,
      sourceId: null,
      reason: "",
      facts: {},
      hostId: null,
      address: null,
      process: name,
      label: name,
      keys: [`k:${name}`],
    },
    AT - 120 * MINUTE_MS,
  );
  return { id, sender: insertResource(db, `{"n":${++made}}`, { componentId: id, why: "" }, AT) };
}
type Process = ReturnType<typeof process>;

/** A call that takes so long, and is so long on its way. */
function call(
  from: Process,
  to: Process,
  minute: number,
  ms: number,
  wayMs: number,
  { besides = 0, answered = true } = {},
): void {
  const startMs = AT + minute * MINUTE_MS;
  const traceId = (++made).toString(16).padStart(32, "0");
  const span = (spanId: string, more: Partial<NewSpan>): NewSpan => ({
    traceId,
    spanId,
    parentId: "",
    resourceId: from.sender,
    name: "GET /slots",
    kind: 3,
    startMs,
    endMs: startMs + ms + wayMs,
    status: 0,
    detail: null,
    ...more,
  });
  const asked = "a".repeat(16);
  const answer = {
    parentId: asked,
    resourceId: to.sender,
    kind: 2,
    startMs: startMs + wayMs / 2,
    endMs: startMs + wayMs / 2 + ms,
  };
  const others = Array.from({ length: besides }, (_, index) =>
    span((index + 1).toString(16).padStart(16, "0"), { kind: 1 }),
  );
  const answers = answered ? [span("b".repeat(16), answer)] : [];
  db.transaction(() => spans.write([...others, span(asked, {}), ...answers]))();
}
const slow = (on: Process, metric = "calls.slow") => ({
  subject_type: "component" as const,
  subject_id: on.id,
  metric,
  onset_at: AT,
});

it("calls that are long on their way between two sites speak against the line, and not where who answers is slow", () => {
  const [gateway, front, yard] = [process("gateway", "Depot"), process("front", "North"), process("yard", "South")];
  for (let minute = -30; minute < 5; minute++) {
    // To the north they are late since it began; who answers in the south is slow since.
    call(gateway, front, minute, 60, minute < 0 ? 9 : 1409);
    call(gateway, yard, minute, minute < 0 ? 30 : 900, 11);
  }
  expect(lateLinesOf(db, [slow(gateway)], AT + 5 * MINUTE_MS)).toEqual([
    expect.objectContaining({
      node: lineNode("Depot", "North"),
      nature: "network",
      name: "Line between Depot and North",
      symptom: "Calls are late (1.41 s on their way, 9 ms before)",
    }),
  ]);
  expect(lateLinesOf(db, [slow(gateway, "cpu.used")], AT + 5 * MINUTE_MS)).toEqual([]);
  expect(lateLinesOf(db, [slow(yard)], AT + 5 * MINUTE_MS)).toEqual([]);
  // Before it began nothing was late.
  expect(lateLinesOf(db, [{ ...slow(gateway), onset_at: AT - 6 * MINUTE_MS }], AT - MINUTE_MS)).toEqual([]);
});

it("calls at one site cross no line", () => {
  const [gateway, front] = [process("gateway", "Depot"), process("front", "Depot")];
  for (let minute = -30; minute < 5; minute++) call(gateway, front, minute, 60, minute < 0 ? 9 : 1409);
  expect(lateLinesOf(db, [slow(gateway)], AT + 5 * MINUTE_MS)).toEqual([]);
});

it("of calls whose answers nobody traces, and of traces as long as their sender likes, so much is read and no more", () => {
  const [gateway, front] = [process("gateway", "Depot"), process("front", "North")];
  const late = (more: Parameters<typeof call>[5]) => {
    db.exec("DELETE FROM span");
    for (let minute = -30; minute < 5; minute++) call(gateway, front, minute, 60, minute < 0 ? 9 : 1409, more);
    return lateLinesOf(db, [slow(gateway)], AT + 5 * MINUTE_MS).length;
  };
  expect(late({ besides: 20 })).toBe(1);
  expect(late({ besides: 400 })).toBe(0);
  expect(late({})).toBe(1);
  // The latest forty calls were answered by somebody who traces nothing: those before are not looked through for others.
  for (let index = 0; index < 40; index++) call(gateway, front, 4, 60, 1409, { answered: false });
  expect(lateLinesOf(db, [slow(gateway)], AT + 5 * MINUTE_MS)).toEqual([]);
});
