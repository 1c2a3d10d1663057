import { mkdtempSync, rmSync, statSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { MINUTE_MS } from "#core/time/windows";
import { SampleWriter, type LiveSeries } from "#server/ingest/sample-writer";
import { chartOf } from "#server/pages/charts";
import { logsPage } from "#server/pages/logs";
import { tracesPage } from "#server/pages/traces";
import { migrate, openStore } from "#server/store/database";
import { LogWriter, type NewLog } from "#server/store/log-writer";
import { readSearch, searchLogs } from "#server/store/logs";
import { insertResource } from "#server/store/resources";
import { SpanWriter, type NewSpan } from "#server/store/span-writer";
import { saveService } from "#server/store/services";
import { seriesById, type SeriesRow } from "#server/store/signals";

const START = Date.parse("2026-03-01T00:00:00Z");

/** How the store does with 1, 10 and 100 times the data; each size in a store of its own. */
export interface Growth {
  factor: number;
  samples: number;
  logs: number;
  microsecondsASample: number;
  chartMs: number;
  microsecondsALog: number;
  searchMs: number;
  /** The page of logs over all of them: counts by severity, sender and pattern. */
  countMs: number;
  spans: number;
  /** The page of operations over all spans. */
  operationsMs: number;
  bytesASample: number;
  /** Resident memory of the process beyond what it had before, MB. */
  memoryMb: number;
}

const median = (values: readonly number[]) =>
  [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)] as number;

/** One size; run each in a process of its own, so that memory can be compared. */
export function measureGrowth(root: string, factor: number): Growth {
  const folder = mkdtempSync(join(tmpdir(), "holotaxis-growth-"));
  const file = join(folder, "store.db");
  const db = openStore(file, "writer");
  migrate(db, join(root, "server", "store", "migrations"));
  const service = saveService(db, { uid: "s", name: "S", purpose: "", owner: "", entries: [] }, 0);
  const before = process.memoryUsage().rss;
  // Ten times the data is more series and a longer time, both.
  const seriesCount = Math.round(60 * Math.sqrt(factor));
  const minutes = Math.round(3000 * Math.sqrt(factor));
  const sampleWriter = new SampleWriter(db);
  const all = db.transaction(() =>
    Array.from({ length: seriesCount }, (_, index) =>
      sampleWriter.series({ componentId: null, serviceId: service }, `m${index}`, "", "%", 0),
    ),
  )();
  let began = performance.now();
  for (let minute = 0; minute < minutes; minute++) {
    for (let index = 0; index < all.length; index++)
      sampleWriter.record(
        all[index] as LiveSeries,
        START + minute * MINUTE_MS,
        Math.round((50 + 20 * Math.sin(minute / 300 + index) + ((minute * 7919 + index) % 97) / 20) * 100) / 100,
      );
    if (minute % 20 < 19) continue;
    sampleWriter.commit("tick", () => undefined);
  }
  sampleWriter.commit("everything", () => undefined);
  const samples = seriesCount * minutes;
  const microsecondsASample = ((performance.now() - began) * 1000) / samples;
  const bytesASample = (
    db.prepare("SELECT sum(length(data)) * 1.0 / sum(count) AS bytes FROM chunk").get() as { bytes: number }
  ).bytes;

  const resource = insertResource(db, "{}", { componentId: null, why: "" }, START);
  const writer = new LogWriter(db);
  const logs = 20_000 * factor;
  began = performance.now();
  for (let from = 0; from < logs; from += 2000)
    db.transaction(() =>
      writer.write(
        Array.from({ length: 2000 }, (_, index): NewLog => {
          const n = from + index;
          return {
            atMs: START + n * 20,
            severity: 9,
            resourceId: resource,
            body:
              n % 997 === 0
                ? `release ${n} held back: papers missing`
                : `slot ${n} of gate ${n % 9} taken by haulier ${n % 13}`,
            attributes: null,
            traceId: null,
            spanId: null,
          };
        }),
      ),
    )();
  const microsecondsALog = ((performance.now() - began) * 1000) / logs;

  // Each operation is called once a minute, over the same time as the samples.
  const operations = Math.round(4 * Math.sqrt(factor));
  const spanWriter = new SpanWriter(db);
  for (let from = 0; from < minutes; from += 100)
    db.transaction(() => {
      for (let minute = from; minute < Math.min(minutes, from + 100); minute++)
        spanWriter.write(
          Array.from({ length: operations }, (_, index): NewSpan => {
            const startMs = START + minute * MINUTE_MS;
            return {
              traceId: (minute * operations + index + 1).toString(16).padStart(32, "0"),
              spanId: "1".padStart(16, "0"),
              parentId: "",
              resourceId: resource,
              name: `GET /part/${index}`,
              kind: 2,
              startMs,
              endMs: startMs + 5 + ((minute * 31 + index) % 97),
              status: 0,
              detail: null,
            };
          }),
        );
    })();
  db.transaction(() => spanWriter.sumUp(START + (minutes + 60) * MINUTE_MS, Number.POSITIVE_INFINITY))();

  const reader = openStore(file, "reader");
  const row = seriesById(reader, all[0]?.id as number) as SeriesRow;
  const time = (work: () => unknown) =>
    median(
      Array.from({ length: 9 }, () => {
        const start = performance.now();
        work();
        return performance.now() - start;
      }),
    );
  const chartMs = time(() => chartOf(reader, row, START, START + minutes * MINUTE_MS, { width: 400 }));
  const searchMs = time(() =>
    searchLogs(reader, { fromMs: 0, toMs: 1e15, ...readSearch("papers missing"), leastSeverity: 0 }, null, 20),
  );
  const everything = { fromMs: START, toMs: START + minutes * MINUTE_MS };
  const countMs = time(() =>
    logsPage(reader, {
      ...everything,
      text: "",
      leastSeverity: 0,
      component: null,
      service: "",
      pattern: null,
      traceId: "",
      onlyNew: false,
      before: null,
    }),
  );
  const operationsMs = time(() =>
    tracesPage(reader, {
      ...everything,
      text: "",
      answered: true,
      operation: null,
      least: null,
      most: null,
      failedOnly: false,
    }),
  );
  const memoryMb = (process.memoryUsage().rss - before) / 1e6;
  if (statSync(file).size === 0) throw new Error("Nothing was kept.");
  reader.close();
  db.close();
  rmSync(folder, { recursive: true, force: true });
  return {
    factor,
    samples,
    logs,
    microsecondsASample,
    chartMs,
    microsecondsALog,
    searchMs,
    countMs,
    spans: operations * minutes,
    operationsMs,
    bytesASample,
    memoryMb,
  };
}
