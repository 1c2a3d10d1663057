import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import fc from "fast-check";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { DAY_MS, HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { migrate, openStore, type Db } from "../store/database";
import { saveService } from "../store/services";
import { USUAL_RETENTION } from "../store/retention";
import { readRollup } from "../store/rollups";
import { lastSample, newestSampleMs, readSamples } from "../store/signals";
import { SampleWriter } from "./sample-writer";
import { Roller } from "./rollups";

const AT = Date.parse("2026-03-17T00:00:00Z");
let folder: string;
let db: Db;
let reader: Db;
let service: number;
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), "holotaxis-"));
  db = openStore(join(folder, "store.db"), "writer");
  migrate(db, join(process.cwd(), "server", "store", "migrations"));
  service = saveService(db, { uid: "s", name: "S", purpose: "", owner: "", entries: [] }, 0);
  reader = openStore(join(folder, "store.db"), "reader");
});
afterEach(() => {
  reader.close();
  db.close();
  rmSync(folder, { recursive: true, force: true });
});

const seriesIn = (sampleWriter: SampleWriter, metric = "m") =>
  sampleWriter.series({ componentId: null, serviceId: service }, metric, "", "1", 0);
const commit = (sampleWriter: SampleWriter, how?: "full" | "everything") => {
  sampleWriter.commit(how ?? "tick", () => undefined);
};
const count = (table: string) => (db.prepare(`SELECT count(*) AS n FROM ${table}`).get() as { n: number }).n;

describe("the sampleWriter", () => {
  it("shows committed samples to other connections at once, packed or not", () => {
    const sampleWriter = new SampleWriter(db);
    const series = seriesIn(sampleWriter);
    sampleWriter.record(series, AT, 1);
    expect(readSamples(reader, series.id, 0, 1e15).times).toHaveLength(0);
    commit(sampleWriter);
    sampleWriter.record(series, AT + 1000, 2);
    commit(sampleWriter);
    expect([...readSamples(reader, series.id, 0, 1e15).values]).toEqual([1, 2]);
    expect(lastSample(reader, series.id, AT + 5000, MINUTE_MS)).toEqual({ atMs: AT + 1000, value: 2 });
    expect(newestSampleMs(reader)).toBe(AT + 1000);
    commit(sampleWriter, "everything");
    expect(count("sample_wal")).toBe(0);
    expect([...readSamples(reader, series.id, 0, 1e15).values]).toEqual([1, 2]);
  });

  it("keeps the write-ahead log short: each series is packed within a round", () => {
    const sampleWriter = new SampleWriter(db);
    const all = Array.from({ length: 100 }, (_, index) => seriesIn(sampleWriter, `m${index}`));
    for (let tick = 0; tick < 500; tick++) {
      for (const series of all) sampleWriter.record(series, AT + tick * 15_000, tick);
      commit(sampleWriter);
    }
    expect(count("sample_wal")).toBeLessThan(300);
    for (const series of all)
      expect([...readSamples(reader, series.id, 0, 1e15).values]).toEqual(
        Array.from({ length: 500 }, (_, tick) => tick),
      );
  });

  it("goes on after being cut off at any commit as if it had not been", () => {
    let sampleWriter = new SampleWriter(db);
    let series = seriesIn(sampleWriter);
    for (let index = 0; index < 600; index++) {
      sampleWriter.record(series, AT + index * 15_000, index % 7);
      if (index % 3 === 2) commit(sampleWriter);
      if (index % 50 === 49) {
        // What was not committed is lost with the process; it is sent again.
        sampleWriter = new SampleWriter(db);
        series = seriesIn(sampleWriter);
        for (let again = index - 5; again <= index; again++)
          sampleWriter.record(series, AT + again * 15_000, again % 7);
      }
    }
    commit(sampleWriter, "everything");
    expect([...readSamples(reader, series.id, 0, 1e15).values]).toEqual(
      Array.from({ length: 600 }, (_, index) => index % 7),
    );
    expect(count("chunk")).toBe(3);
  });

  it("puts samples in their order, whatever order they come in, and keeps the last of two at one instant", () => {
    const builder = fc.array(
      fc.record({
        minute: fc.nat({ max: 900 }),
        value: fc.integer({ min: 0, max: 9 }),
        commit: fc.constantFrom<"no" | "tick" | "everything" | "restart">(
          "no",
          "no",
          "no",
          "tick",
          "everything",
          "restart",
        ),
      }),
      { minLength: 1, maxLength: 120 },
    );
    let round = 0;
    fc.assert(
      fc.property(builder, (list) => {
        const name = `r${round++}`;
        let sampleWriter = new SampleWriter(db);
        // Enough of a past that late samples meet full chunks.
        for (let minute = 0; minute < 500; minute += 2)
          sampleWriter.record(seriesIn(sampleWriter, name), AT + minute * MINUTE_MS, 50);
        const table = new Map<number, number>(Array.from({ length: 250 }, (_, index) => [index * 2, 50]));
        for (const one of list) {
          sampleWriter.record(seriesIn(sampleWriter, name), AT + one.minute * MINUTE_MS, one.value);
          table.set(one.minute, one.value);
          if (one.commit !== "no") commit(sampleWriter, one.commit === "everything" ? "everything" : undefined);
          if (one.commit === "restart") sampleWriter = new SampleWriter(db);
        }
        commit(sampleWriter);
        const expected = [...table].sort((a, b) => a[0] - b[0]);
        const seen = readSamples(reader, seriesIn(sampleWriter, name).id, 0, 1e15);
        expect([...seen.times].map((at, index) => [(at - AT) / MINUTE_MS, seen.values[index]])).toEqual(expected);
        commit(sampleWriter, "everything");
        const packed = readSamples(reader, seriesIn(sampleWriter, name).id, 0, 1e15);
        expect([...packed.values]).toEqual(expected.map(([, value]) => value));
      }),
      { numRuns: 40 },
    );
  });
});

describe("summing up", () => {
  const record = (sampleWriter: SampleWriter, stepMs: number, days: number, value: (at: number) => number) => {
    const series = seriesIn(sampleWriter);
    for (let at = AT; at < AT + days * DAY_MS; at += stepMs) sampleWriter.record(series, at, value(at));
    commit(sampleWriter, "everything");
    return series;
  };
  const rollAll = (roller: Roller, nowMs: number) => {
    for (let pass = 0; pass < 6; pass++) db.transaction(() => roller.work(nowMs, USUAL_RETENTION, 10_000))();
  };

  it("keeps five minutes, hours and days of what is measured often, and only hours and days of what is not", () => {
    const sampleWriter = new SampleWriter(db);
    const often = record(sampleWriter, MINUTE_MS, 3, (at) => (at / MINUTE_MS) % 60);
    rollAll(new Roller(db, sampleWriter), AT + 3 * DAY_MS + HOUR_MS);
    expect(readRollup(reader, often.id, 5 * MINUTE_MS, 0, 1e15).starts).toHaveLength(3 * 288);
    const hours = readRollup(reader, often.id, HOUR_MS, AT + HOUR_MS, AT + 3 * HOUR_MS);
    expect([[...hours.count], [...hours.min], [...hours.max], [...hours.sum], [...hours.last]]).toEqual([
      [60, 60],
      [0, 0],
      [59, 59],
      [1770, 1770],
      [59, 59],
    ]);
    expect([...readRollup(reader, often.id, DAY_MS, 0, 1e15).count]).toEqual([1440, 1440, 1440]);
    const seldom = seriesIn(sampleWriter, "seldom");
    for (let at = AT; at < AT + 2 * DAY_MS; at += 5 * MINUTE_MS) sampleWriter.record(seldom, at, 1);
    commit(sampleWriter, "everything");
    rollAll(new Roller(db, sampleWriter), AT + 2 * DAY_MS + HOUR_MS);
    expect(readRollup(reader, seldom.id, 5 * MINUTE_MS, 0, 1e15).starts).toHaveLength(0);
    expect(readRollup(reader, seldom.id, HOUR_MS, 0, 1e15).starts).toHaveLength(48);
  });

  it("is done anew for a day that got late samples", () => {
    const sampleWriter = new SampleWriter(db);
    const series = record(sampleWriter, MINUTE_MS, 2, () => 1);
    const roller = new Roller(db, sampleWriter);
    rollAll(roller, AT + 2 * DAY_MS + HOUR_MS);
    sampleWriter.record(series, AT + 30_000, 99);
    commit(sampleWriter, "everything");
    rollAll(roller, AT + 2 * DAY_MS + HOUR_MS);
    const days = readRollup(reader, series.id, DAY_MS, 0, 1e15);
    expect([[...days.count], [...days.max]]).toEqual([
      [1441, 1440],
      [99, 1],
    ]);
  });

  it("forgets samples that are old enough and summed up, and nothing else", () => {
    const sampleWriter = new SampleWriter(db);
    const series = record(sampleWriter, MINUTE_MS, 4, () => 1);
    const roller = new Roller(db, sampleWriter);
    const keepADay = { ...USUAL_RETENTION, rawMs: DAY_MS };
    for (let pass = 0; pass < 4; pass++) db.transaction(() => roller.work(AT + 4 * DAY_MS, keepADay, 10_000))();
    const kept = readSamples(reader, series.id, 0, 1e15);
    expect(kept.times[0]).toBeGreaterThanOrEqual(AT + 3 * DAY_MS - 240 * MINUTE_MS);
    expect(kept.times[0]).toBeLessThanOrEqual(AT + 3 * DAY_MS);
    expect(readRollup(reader, series.id, HOUR_MS, 0, 1e15).starts).toHaveLength(3 * 24 + 23);
  });
});
