import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { DAY_MS, HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { SampleWriter, type LiveSeries } from "#server/ingest/sample-writer";
import { Roller } from "#server/ingest/rollups";
import { chartOf } from "#server/pages/charts";
import { metricsPage } from "#server/pages/metrics";
import { migrate, openStore } from "#server/store/database";
import { USUAL_RETENTION } from "#server/store/retention";
import { saveService } from "#server/store/services";
import { seriesById, type SeriesRow } from "#server/store/signals";
import type { Measurement } from "./measurement";

const START = Date.parse("2026-03-01T00:00:00Z");
const median = (values: readonly number[]) =>
  [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)] as number;
/** A value as measurements are: a slow wave with noise, two decimals. */
const value = (series: number, at: number) =>
  Math.round(
    (50 +
      20 * Math.sin(at / 4e7 + series) +
      ((Math.imul(series * 7919 + at / 1000, 2_654_435_761) >>> 0) / 2 ** 32) * 6) *
      100,
  ) / 100;

function store(root: string) {
  const folder = mkdtempSync(join(tmpdir(), "holotaxis-bench-"));
  const file = join(folder, "samples.db");
  const db = openStore(file, "writer");
  migrate(db, join(root, "server", "store", "migrations"));
  const service = saveService(db, { uid: "s", name: "S", purpose: "", owner: "", entries: [] }, 0);
  return { db, file, service, end: () => (db.close(), rmSync(folder, { recursive: true, force: true })) };
}

/** Samples into the store: 2,000 series, ten minutes of all of them in one commit, each safe before the next begins. */
function intakeOnce(root: string): { own: number; plain: number } {
  const { db, service, end } = store(root);
  const sampleWriter = new SampleWriter(db);
  const all = db.transaction(() =>
    Array.from({ length: 2000 }, (_, index) =>
      sampleWriter.series({ componentId: null, serviceId: service }, `m${index}`, "", "%", 0),
    ),
  )();
  const minutes = 480;
  const values = Array.from({ length: minutes }, (_, minute) =>
    Float64Array.from(all, (_series, index) => value(index, START + minute * MINUTE_MS)),
  );
  const began = performance.now();
  for (let minute = 0; minute < minutes; minute++) {
    const row = values[minute] as Float64Array;
    for (let index = 0; index < all.length; index++)
      sampleWriter.record(all[index] as LiveSeries, START + minute * MINUTE_MS, row[index] as number);
    if (minute % 10 < 9) continue;
    sampleWriter.commit("commit", () => undefined);
  }
  const own = (minutes * all.length) / ((performance.now() - began) / 1000);
  db.exec("CREATE TABLE plain (id INTEGER PRIMARY KEY, data BLOB) STRICT");
  const insert = db.prepare("INSERT INTO plain (data) VALUES (?)");
  const plainBegan = performance.now();
  // The same samples as plain blobs, one row for each series and 240 samples, 16 bytes a sample.
  for (let from = 0; from < minutes; from += 240) {
    db.transaction(() => {
      for (let index = 0; index < all.length; index++) {
        const count = Math.min(240, minutes - from);
        const blob = new Float64Array(count * 2);
        for (let minute = 0; minute < count; minute++) {
          blob[minute * 2] = START + (from + minute) * MINUTE_MS;
          blob[minute * 2 + 1] = values[from + minute]?.[index] as number;
        }
        insert.run(new Uint8Array(blob.buffer));
      }
    })();
  }
  const plain = (minutes * all.length) / ((performance.now() - plainBegan) / 1000);
  end();
  return { own, plain };
}

/** The best of five, for both: on a shared machine the others tell of the neighbours. */
function intake(root: string): Measurement {
  const runs = Array.from({ length: 5 }, () => intakeOnce(root));
  return {
    name: "samples a second into the store, durable, one thread",
    value: Math.max(...runs.map((run) => run.own)),
    unit: "1/s",
    better: "higher",
    target: 500_000,
    reference: { name: "raw blobs of 240 samples into SQLite", value: Math.max(...runs.map((run) => run.plain)) },
  };
}

/**
 * A chart of 30 days of one-minute samples, as a page asks for it: once with nothing in memory, then again and again.
 */
function chart(root: string): Measurement {
  const { db, file, service, end } = store(root);
  const sampleWriter = new SampleWriter(db);
  const series = sampleWriter.series({ componentId: null, serviceId: service }, "m", "", "%", 0);
  for (let at = START; at < START + 30 * DAY_MS; at += MINUTE_MS) sampleWriter.record(series, at, value(1, at));
  sampleWriter.commit("everything", () => undefined);
  const roller = new Roller(db, sampleWriter);
  for (let pass = 0; pass < 8; pass++)
    db.transaction(() =>
      roller.work(START + 30 * DAY_MS + HOUR_MS, { ...USUAL_RETENTION, rawMs: 60 * DAY_MS }, 10_000),
    )();
  const reader = openStore(file, "reader");
  const row = seriesById(reader, series.id) as SeriesRow;
  const times = Array.from({ length: 30 }, () => {
    const began = performance.now();
    const drawn = chartOf(reader, row, START, START + 30 * DAY_MS, { width: 800 });
    if (drawn.points.length < 500) throw new Error("The chart has too few points.");
    return performance.now() - began;
  });
  db.exec("CREATE TABLE plain (at INTEGER PRIMARY KEY, value REAL) STRICT");
  const insert = db.prepare("INSERT INTO plain VALUES (?, ?)");
  db.transaction(() => {
    for (let at = START; at < START + 30 * DAY_MS; at += MINUTE_MS) insert.run(at, value(1, at));
  })();
  const plainTimes = Array.from({ length: 10 }, () => {
    const began = performance.now();
    reader
      .prepare(
        `SELECT at / 3240000 AS step, min(value), avg(value), max(value) FROM plain WHERE at >= ? AND at < ?
         GROUP BY step`,
      )
      .all(START, START + 30 * DAY_MS);
    return performance.now() - began;
  });
  reader.close();
  end();
  return {
    name: "chart of 30 days of one-minute samples, one series",
    value: median(times),
    unit: "ms",
    better: "lower",
    target: 15,
    reference: { name: "GROUP BY over plain rows", value: median(plainTimes) },
  };
}

/** The ten highest by their mean over a day, of 2,000 series measured every minute. */
export function benchHighest(root: string): Measurement {
  const { db, file, service, end } = store(root);
  const sampleWriter = new SampleWriter(db);
  const day = START + 2 * DAY_MS;
  const all = db.transaction(() =>
    Array.from({ length: 2000 }, (_, index) =>
      sampleWriter.series({ componentId: null, serviceId: service }, "busy", String(index), "%", 0),
    ),
  )();
  for (let at = START; at < day; at += MINUTE_MS) {
    for (let index = 0; index < all.length; index++)
      sampleWriter.record(all[index] as LiveSeries, at, value(index, at));
    if (at % (4 * HOUR_MS) === 0) {
      sampleWriter.commit("everything", () => undefined);
    }
  }
  sampleWriter.commit("tick", () => undefined);
  const reader = openStore(file, "reader");
  const ask = () =>
    metricsPage(reader, {
      selections: [{ metric: "busy", pick: "highest", count: 10 }],
      fromMs: day - DAY_MS,
      toMs: day,
      width: 400,
      overlay: "none",
    });
  const times = Array.from({ length: 15 }, () => {
    const began = performance.now();
    if (ask().lines.length !== 10) throw new Error("There are not ten lines.");
    return performance.now() - began;
  });
  db.exec(
    "CREATE TABLE plain (series INTEGER, at INTEGER, value REAL, PRIMARY KEY (series, at)) STRICT, WITHOUT ROWID",
  );
  const insert = db.prepare("INSERT INTO plain VALUES (?, ?, ?)");
  db.transaction(() => {
    for (let series = 0; series < 200; series++)
      for (let at = day - DAY_MS; at < day; at += MINUTE_MS) insert.run(series, at, value(series, at));
  })();
  const began = performance.now();
  reader
    .prepare("SELECT series, avg(value) AS mean FROM plain WHERE at >= ? GROUP BY series ORDER BY mean DESC LIMIT 10")
    .all(day - DAY_MS);
  const plain = (performance.now() - began) * 10;
  reader.close();
  end();
  return {
    name: "highest 10 by mean of 2,000 series over 24 hours",
    value: median(times),
    unit: "ms",
    better: "lower",
    target: 150,
    reference: { name: "GROUP BY over plain rows", value: plain },
  };
}

export function benchSamples(root: string): Measurement[] {
  return [intake(root), chart(root), benchHighest(root)];
}
