import fc from "fast-check";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { describe, expect, it } from "vitest";
import type { Batch } from "../receivers/batch";
import { migrate, openStore, type Db } from "../store/database";
import { changesOf, noteRestart } from "../store/changes";
import { insertComponent } from "../store/estate";
import { readSamples, seriesById } from "../store/signals";
import { BatchIngest } from "./batches";
import { keepWhatFits } from "./isolate";
import { SampleWriter } from "./sample-writer";

const START = Date.parse("2026-03-17T10:00:00Z");

/** A batch of one sender: a sample for each value, and a log record for each. */
function batch(sender: number, metric: string, values: readonly number[], atMs: number, unit = "%"): Batch {
  const handle = sender * 10 + metric.length;
  return {
    resources: [{ handle: sender, attributes: { "host.name": `h-${sender}` } }],
    series: [{ handle, resource: sender, metric, instance: "", unit, instrument: "gauge" }],
    handles: Int32Array.from(values, () => handle),
    times: Float64Array.from(values, (_, index) => atMs + index * 1000),
    values: Float64Array.from(values),
    logs: values.map((value, index) => ({
      resource: sender,
      atMs: atMs + index * 1000,
      severity: 9,
      body: `value ${value}`,
      attributes: null,
      traceId: null,
      spanId: null,
    })),
    spans: [],
    events: [],
    exemplars: [],
  } as unknown as Batch;
}
/** The same with a record the store cannot hold: what comes before it in the batch is written by then. */
const poisoned = (one: Batch): Batch => ({
  ...one,
  logs: [...one.logs, { ...one.logs[0], body: Symbol("x") } as unknown as Batch["logs"][number]],
});

function withStore<T>(work: (db: Db, ingest: BatchIngest, writer: SampleWriter) => T): T {
  const folder = mkdtempSync(join(tmpdir(), "holotaxis-"));
  const db = openStore(join(folder, "store.db"), "writer");
  try {
    migrate(db, join(process.cwd(), "server", "store", "migrations"));
    const writer = new SampleWriter(db);
    return work(db, new BatchIngest(db, writer), writer);
  } finally {
    db.close();
    rmSync(folder, { recursive: true, force: true });
  }
}

/** Everything a reader can see of samples and records, by names rather than ids. */
function seen(db: Db) {
  const series = db.prepare("SELECT id FROM series ORDER BY metric, id").all() as { id: number }[];
  const named = series.map(({ id }) => {
    const row = seriesById(db, id);
    const resource = db
      .prepare("SELECT attributes FROM resource WHERE id = (SELECT resource_id FROM series WHERE id = ?)")
      .get(id);
    const samples = readSamples(db, id, 0, START * 2);
    return JSON.stringify([row?.metric, row?.unit, resource, [...samples.times], [...samples.values]]);
  });
  const logs = db.prepare("SELECT at, severity, body FROM log ORDER BY at, body").all();
  return { series: named.sort(), logs };
}

it("tell how far the clock of a sender's host runs ahead: nothing is said before it is said", () =>
  withStore((db, ingest, writer) => {
    for (const name of ["h-1", "h-2"])
      insertComponent(
        db,
        {
          kind: "host.linux",
          name,
          site: "North",
          sourceId: null,
          hostId: null,
          address: null,
          reason: "",
          keys: [`k:${name}`],
          facts: {},
        },
        START,
      );
    ingest.reload();
    ingest.commit([batch(1, "cpu", [1, 2], START + 300_000), batch(2, "cpu", [1], START - 4_000)], START);
    writer.commit("tick", () => ingest.listen(START));
    const ahead = (host: string) =>
      db
        .prepare(
          "SELECT s.id FROM series s JOIN component c ON c.id = s.component_id WHERE s.metric = 'clock.ahead' AND c.name = ?",
        )
        .pluck()
        .all(host)
        .map((id) => [...writer.recall(id as number, 0, START * 2).values]);
    expect(ahead("h-1")).toEqual([[301]]);
    expect(ahead("h-2")).toEqual([[0]]);
  }));

it("tell that a sender was started anew; what polls tell of the same start is one change, at its earliest evidence", () =>
  withStore((db, ingest) => {
    const id = insertComponent(
      db,
      {
        kind: "host.linux",
        name: "h-1",
        site: "North",
        sourceId: null,
        hostId: null,
        address: null,
        reason: "",
        keys: ["k:h-1"],
        facts: {},
      },
      START,
    );
    ingest.reload();
    const restart = { resource: 1, atMs: START + 60_000 };
    ingest.commit([{ ...batch(1, "cpu", [1], START), restarts: [restart] }], START + 90_000);
    noteRestart(db, { componentId: id, atMs: START + 85_000, summary: "h-1: started anew", by: "polling" });
    noteRestart(db, { componentId: id, atMs: START + 50_000, summary: "h-1: started anew", by: "polling" });
    noteRestart(db, { componentId: id, atMs: START + 3_600_000, summary: "h-1: started anew", by: "polling" });
    const told = changesOf(db, [id], 0, START * 2).filter((one) => one.kind === "restart");
    expect(told.map((one) => [one.at - START, one.by_whom])).toEqual([
      [3_600_000, "polling"],
      [50_000, "its own signals"],
    ]);
  }));

describe("batches", () => {
  it("are durable together: samples, records and who sent them", () =>
    withStore((db, ingest) => {
      const { receipts } = ingest.commit([batch(1, "cpu", [1, 2], START), batch(2, "mem", [3], START)], START);
      expect(receipts).toEqual([{ refused: [] }, { refused: [] }]);
      expect(seen(db).series).toHaveLength(2);
      expect(seen(db).logs).toHaveLength(3);
      expect([ingest.samples, ingest.records]).toEqual([3, 3]);
    }));
  it("refuse a series whose unit changed, with a sentence, and take the rest", () =>
    withStore((db, ingest) => {
      ingest.commit([batch(1, "cpu", [1], START, "%")], START);
      const again = { ...batch(1, "cpu", [2], START + 5000, "s"), resources: batch(1, "cpu", [], 0).resources };
      again.series = again.series.map((one) => ({ ...one, handle: 99 }));
      again.handles = Int32Array.from([99]);
      const { receipts } = ingest.commit([again], START + 5000);
      expect(receipts[0]?.refused).toEqual([
        {
          handle: 99,
          why: "cpu was kept in “%” before and now comes in “s”. Give it another name, or keep the unit.",
        },
      ]);
      expect(seen(db).logs).toHaveLength(2);
      expect(seen(db).series).toHaveLength(1);
    }));
  it("leave nothing behind when one of them fails, not the good ones either", () =>
    withStore((db, ingest) => {
      expect(() =>
        ingest.commit([batch(1, "cpu", [1], START), poisoned(batch(2, "mem", [2], START))], START),
      ).toThrow();
      expect(seen(db)).toEqual({ series: [], logs: [] });
      expect(db.prepare("SELECT count(*) AS n FROM resource").get()).toEqual({ n: 0 });
    }));
  it("keep what they can of one that fails, and count what they cannot", () =>
    withStore((db, ingest) => {
      const good = batch(1, "cpu", [1, 2], START);
      const { refused, error } = keepWhatFits(poisoned(batch(2, "mem", [3, 4, 5], START)), (part) =>
        ingest.commit([part], START),
      );
      ingest.commit([good], START);
      expect(refused).toBe(1);
      expect(error).toBeInstanceOf(Error);
      expect(seen(db).logs).toHaveLength(5);
      expect([ingest.samples, ingest.records]).toEqual([5, 5]);
    }));
  it("after any failures and retries, are what they would have been without", () => {
    const plan = fc.array(
      fc.record({
        sender: fc.integer({ min: 1, max: 3 }),
        metric: fc.constantFrom("cpu", "cores", "memory"),
        values: fc.array(fc.integer({ min: 0, max: 99 }), { minLength: 1, maxLength: 4 }),
        failures: fc.integer({ min: 0, max: 2 }),
      }),
      { minLength: 1, maxLength: 8 },
    );
    fc.assert(
      fc.property(plan, (steps) => {
        const all = steps.map((step, index) => ({
          failures: step.failures,
          one: batch(step.sender, step.metric, step.values, START + index * 10_000),
        }));
        const plain = withStore((db, ingest) => {
          for (const { one } of all) ingest.commit([one], START);
          return seen(db);
        });
        const retried = withStore((db, ingest) => {
          for (const { one, failures } of all) {
            for (let time = 0; time < failures; time++) expect(() => ingest.commit([poisoned(one)], START)).toThrow();
            ingest.commit([one], START);
          }
          return seen(db);
        });
        expect(retried).toEqual(plain);
      }),
      { numRuns: 12 },
    );
  });
});
