import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { migrate, openStore } from "#server/store/database";
import { insertResource } from "#server/store/resources";
import { SpanWriter, type NewSpan } from "#server/store/span-writer";
import type { Measurement } from "./measurement";

const START = Date.parse("2026-03-17T00:00:00Z");
const hex = (value: number, digits: number) => value.toString(16).padStart(digits, "0");

/**
 * Spans into the store: traces of five spans through three senders, with operations, relations and quantiles counted.
 */
export function benchSpans(root: string): Measurement {
  const folder = mkdtempSync(join(tmpdir(), "holotaxis-bench-"));
  const db = openStore(join(folder, "spans.db"), "writer");
  migrate(db, join(root, "server", "store", "migrations"));
  for (let index = 0; index < 30; index++)
    insertResource(db, `{"service.name":"s${index}"}`, { componentId: null, why: "" }, START);
  const writer = new SpanWriter(db);
  const batch = 400;
  const traces = 60_000;
  const trace = (n: number): NewSpan[] =>
    Array.from({ length: 5 }, (_, depth): NewSpan => {
      const startMs = START + n * 3 + depth;
      return {
        traceId: hex((n * 2_654_435_761) % 2 ** 32, 8) + hex(n, 24),
        spanId: hex(n, 12) + hex(depth, 4),
        parentId: depth ? hex(n, 12) + hex(depth - 1, 4) : "",
        resourceId: 1 + ((n + (depth >> 1)) % 30),
        name: `step ${depth} of ${n % 12}`,
        kind: depth % 2 ? 3 : 2,
        startMs,
        endMs: startMs + 2 + ((n * 7919) % 500),
        status: n % 200 === 0 ? 2 : 0,
        detail: '{"attributes":{"http.route":"/slots"}}',
      };
    });
  let took = 0;
  for (let from = 0; from < traces; from += batch) {
    const spans = Array.from({ length: batch }, (_, index) => trace(from + index)).flat();
    const began = performance.now();
    db.transaction(() => writer.write(spans))();
    took += performance.now() - began;
  }
  db.exec(
    "CREATE TABLE plain (id INTEGER PRIMARY KEY, trace_id TEXT, name TEXT, start INTEGER, duration INTEGER) STRICT",
  );
  const insert = db.prepare("INSERT INTO plain (trace_id, name, start, duration) VALUES (?, ?, ?, ?)");
  const plainBegan = performance.now();
  for (let from = 0; from < traces; from += batch)
    db.transaction(() => {
      for (let index = 0; index < batch; index++)
        for (const span of trace(from + index))
          insert.run(span.traceId, span.name, span.startMs, span.endMs - span.startMs);
    })();
  const plain = (traces * 5) / ((performance.now() - plainBegan) / 1000);
  db.close();
  rmSync(folder, { recursive: true, force: true });
  return {
    name: "spans a second with relations and quantiles",
    value: (traces * 5) / (took / 1000),
    unit: "1/s",
    better: "higher",
    target: 30_000,
    reference: { name: "the same spans as plain rows", value: plain },
  };
}
