import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { AlarmBook } from "#server/alarms/alarm-book";
import { Ranges } from "#server/alarms/ranges";
import { Evaluator } from "#server/alarms/evaluator";
import { SampleWriter } from "#server/ingest/sample-writer";
import { offerRule } from "#server/store/alarms";
import { migrate, openStore } from "#server/store/database";
import { insertComponent } from "#server/store/estate";
import { insertSource } from "#server/store/sources";
import type { Measurement } from "./measurement";

const SERIES = 20_000;
const HOSTS = 2_000;
const median = (values: readonly number[]) =>
  [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)] as number;

/**
 * One tick for 20,000 series of 2,000 hosts: take a sample of each, judge, keep them all, pack the share of series
 * whose turn it is.
 */
export function benchTick(root: string): Measurement {
  const folder = mkdtempSync(join(tmpdir(), "holotaxis-bench-"));
  const db = openStore(join(folder, "tick.db"), "writer");
  migrate(db, join(root, "server", "store", "migrations"));
  const source = insertSource(
    db,
    {
      kind: "range",
      name: "s",
      site: "s",
      settings: { ranges: "127.0.0.1", ports: "", snmpPort: 161 },
      pollSeconds: 60,
    },
    "x",
    0,
  );
  offerRule(db, {
    name: "m",
    type: "threshold",
    settings: { metric: "m0", direction: "above", critical: 1e9, samples: 5, hysteresis: 1, memoryMinutes: 60 },
    scope: { subject: "component", kind: "host.*" },
    enabled: true,
  });
  const sampleWriter = new SampleWriter(db);
  const kinds = new Map<number, string>();
  const all: ReturnType<SampleWriter["series"]>[] = [];
  db.transaction(() => {
    for (let host = 0; host < HOSTS; host++) {
      const id = insertComponent(
        db,
        {
          kind: "host.linux",
          name: `h${host}`,
          site: "s",
          sourceId: source,
          hostId: null,
          address: null,
          reason: "",
          keys: [`name:h${host}`],
          facts: {},
        },
        0,
      );
      kinds.set(id, "host.linux");
      for (let metric = 0; metric < SERIES / HOSTS; metric++)
        all.push(sampleWriter.series({ componentId: id, serviceId: null }, `m${metric}`, "", "%", 0));
    }
  })();
  const evaluator = new Evaluator(
    db,
    new AlarmBook(db),
    new Ranges(db, sampleWriter, () => ({ budgetMs: 25, seldom: 1 })),
    {
      kindOf: (id) => kinds.get(id),
      serviceUid: () => undefined,
      beside: () => undefined,
      others: () => [],
      looksForEvidence: () => true,
      isWatched: () => true,
      recall: (id, from, to) => sampleWriter.recall(id, from, to),
      isTwin: () => false,
    },
  );
  let at = 1_700_000_000_000;
  const tick = () => {
    at += 15_000;
    for (let index = 0; index < all.length; index++)
      sampleWriter.record(all[index] as (typeof all)[number], at, 40 + ((index * 7 + at / 15_000) % 100) / 3);
    const began = performance.now();
    sampleWriter.commit("tick", () => evaluator.evaluate(sampleWriter.fresh));
    sampleWriter.judged();
    return performance.now() - began;
  };
  // Chunks are half full on average, so the open ones are filled that far first.
  for (let warm = 0; warm < 120; warm++) tick();
  const took = Array.from({ length: 15 }, tick);
  db.exec("CREATE TABLE plain (series_id INTEGER, at INTEGER, value REAL) STRICT");
  const insert = db.prepare("INSERT INTO plain VALUES (?, ?, ?)");
  const plain = Array.from({ length: 15 }, () => {
    const began = performance.now();
    db.transaction(() => {
      for (let index = 0; index < SERIES; index++) insert.run(index, at, index / 3);
    })();
    return performance.now() - began;
  });
  db.close();
  rmSync(folder, { recursive: true, force: true });
  return {
    name: "engine tick for 20,000 series",
    value: median(took),
    unit: "ms",
    better: "lower",
    target: 1000,
    reference: { name: "20,000 prepared inserts of plain rows", value: median(plain) },
  };
}
