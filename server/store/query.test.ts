import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import fc from "fast-check";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { pickBest, summaryOf, SUMMARY_NAMES } from "#core/telemetry/lines";
import { figureOf } from "#core/telemetry/summaries";
import { cutSamples } from "#core/telemetry/merge";
import { rollSamples } from "#core/telemetry/rollup";
import { DAY_MS, HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { SampleWriter } from "../ingest/sample-writer";
import { Roller } from "../ingest/rollups";
import { metricsPage, seriesChoices } from "../pages/metrics";
import { migrate, openStore, type Db } from "./database";
import { insertComponent } from "./estate";
import { selectSeries, spansOf, transformedSpans } from "./query";
import { bestIn } from "./summaries";
import { USUAL_RETENTION } from "./retention";
import { readSamples, seriesById, type SeriesRow } from "./signals";
import { insertSource } from "./sources";

const AT = Date.parse("2026-03-10T00:00:00Z");
const DAYS = 3;
let folder: string;
let db: Db;
let reader: Db;
let often: SeriesRow;
let total: SeriesRow;

beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), "holotaxis-"));
  db = openStore(join(folder, "store.db"), "writer");
  migrate(db, join(process.cwd(), "server", "store", "migrations"));
  const source = insertSource(
    db,
    {
      kind: "range",
      name: "s",
      site: "Room",
      settings: { ranges: "127.0.0.1", ports: "", snmpPort: 161 },
      pollSeconds: 60,
    },
    "x",
    0,
  );
  const add = (name: string, site: string, kind = "host.linux") =>
    insertComponent(
      db,
      { kind, name, site, sourceId: source, hostId: null, address: null, reason: "", keys: [`k:${name}`], facts: {} },
      0,
    );
  const sampleWriter = new SampleWriter(db);
  const hosts = [add("nq-a", "North"), add("nq-b", "North"), add("sq-a", "South"), add("sw", "South", "net.switch")];
  hosts.forEach((componentId, which) => {
    const series = sampleWriter.series({ componentId, serviceId: null }, "memory.used", "", "%", AT);
    const counter = sampleWriter.series({ componentId, serviceId: null }, "requests", "", "1", AT, "total");
    let counted = 0;
    for (let at = AT, index = 0; at < AT + DAYS * DAY_MS; at += MINUTE_MS, index++) {
      // A gap, and a host that measures nothing for a while.
      if (index % 1000 > 980) continue;
      sampleWriter.record(series, at, ((index * 7 + which * 13) % 100) / 4 + which * 10);
      counted = index % 1500 === 1499 ? 0 : counted + (index % 5);
      sampleWriter.record(counter, at, counted);
    }
  });
  const commit = (how?: "everything") => {
    sampleWriter.commit(how ?? "tick", () => undefined);
  };
  commit("everything");
  const roller = new Roller(db, sampleWriter);
  for (let pass = 0; pass < 6; pass++)
    db.transaction(() => roller.work(AT + 2 * DAY_MS + 5 * HOUR_MS, USUAL_RETENTION, 10_000))();
  // The last hours are not packed yet.
  const series = sampleWriter.series({ componentId: hosts[0] as number, serviceId: null }, "memory.used", "", "%", AT);
  for (let minute = 0; minute < 90; minute++) sampleWriter.record(series, AT + DAYS * DAY_MS + minute * MINUTE_MS, 99);
  commit();
  reader = openStore(join(folder, "store.db"), "reader");
  often = seriesById(reader, selectSeries(reader, { metric: "memory.used" })[0]?.id as number) as SeriesRow;
  total = seriesById(reader, selectSeries(reader, { metric: "requests" })[0]?.id as number) as SeriesRow;
});
afterAll(() => {
  reader.close();
  db.close();
  rmSync(folder, { recursive: true, force: true });
});

const window = fc
  .tuple(fc.integer({ min: -HOUR_MS, max: DAYS * DAY_MS + 2 * HOUR_MS }), fc.integer({ min: 1000, max: DAYS * DAY_MS }))
  .map(([from, length]) => ({ fromMs: AT + from, toMs: AT + from + length }));

describe("one way to read", () => {
  it("says the same from what was summed up as from the samples", () => {
    fc.assert(
      fc.property(
        window,
        fc.constantFrom(MINUTE_MS, 5 * MINUTE_MS, 30 * MINUTE_MS, HOUR_MS, 6 * HOUR_MS, DAY_MS),
        ({ fromMs, toMs }, stepMs) => {
          const direct = rollSamples(cutSamples(readSamples(reader, often.id, 0, 1e15), fromMs, toMs), stepMs);
          const spans = spansOf(reader, often, fromMs, toMs, stepMs);
          for (const column of ["starts", "count", "min", "max", "last"] as const)
            expect([...spans[column]]).toEqual([...direct[column]]);
          spans.sum.forEach((sum, index) => expect(sum).toBeCloseTo(direct.sum[index] as number, 6));
        },
      ),
      { numRuns: 60 },
    );
  });

  it("finds the highest and lowest of a window as if every sample had been read", () => {
    const all = selectSeries(reader, { metric: "memory.used" });
    fc.assert(
      fc.property(
        window,
        fc.constantFrom(...SUMMARY_NAMES),
        fc.constantFrom("highest" as const, "lowest" as const),
        fc.integer({ min: 1, max: 5 }),
        ({ fromMs, toMs }, rank, which, count) => {
          const withFigure = ({ id }: { id: number }) => ({
            id,
            figure: figureOf(
              summaryOf(rollSamples(readSamples(reader, id, fromMs, toMs), Number.MAX_SAFE_INTEGER)),
              rank,
            ),
          });
          const direct = pickBest(all.map(withFigure), ({ figure }) => figure, which, count);
          const best = bestIn(reader, all, ({ id }) => id, fromMs, toMs, rank, which, count).map(withFigure);
          expect(best.map(({ figure }) => figure.toFixed(6))).toEqual(direct.map(({ figure }) => figure.toFixed(6)));
        },
      ),
      { numRuns: 60 },
    );
  });

  it("never shows a rate below zero for a counter that began anew", () => {
    const spans = transformedSpans(reader, total, "rate", AT, AT + 2 * DAY_MS, HOUR_MS);
    expect(spans.starts.length).toBeGreaterThan(40);
    expect(Math.min(...spans.min)).toBeGreaterThanOrEqual(0);
  });
});

describe("selections", () => {
  const page = (
    selection: Parameters<typeof metricsPage>[1]["selections"][number],
    overlay: Parameters<typeof metricsPage>[1]["overlay"] = "none",
  ) => metricsPage(reader, { selections: [selection], fromMs: AT, toMs: AT + DAY_MS, width: 300, overlay });
  it.each([
    ["by metric", { metric: "memory.used" }, 4],
    ["by kind", { metric: "memory.used", kind: "host.*" }, 3],
    ["by site", { metric: "memory.used", site: "South" }, 2],
    ["combined", { metric: "memory.used", aggregate: "mean" }, 1],
    ["combined by site", { metric: "memory.used", aggregate: "sum", by: "site" }, 2],
    ["the two highest", { metric: "memory.used", pick: "highest", count: 2 }, 2],
    ["none", { metric: "nothing" }, 0],
  ] as const)("%s", (_what, selection, lines) => {
    expect(page(selection).lines).toHaveLength(lines);
  });

  it("rank by what they are asked to, and name whose lines they are", () => {
    expect(page({ metric: "memory.used", pick: "highest", count: 1 }).lines[0]?.label).toBe("Memory usage · sw");
    expect(page({ metric: "memory.used", pick: "lowest", count: 1, rank: "max" }).lines[0]?.label).toBe(
      "Memory usage · nq-a",
    );
    expect(page({ metric: "memory.used", aggregate: "sum", by: "site" }).lines.map((line) => line.label)).toEqual([
      "Memory usage, sum of 2 · North",
      "Memory usage, sum of 2 · South",
    ]);
  });

  it("lay the day before over it, instant by instant", () => {
    const { lines, stepMs } = metricsPage(reader, {
      selections: [{ metric: "memory.used", site: "North", aggregate: "max" }],
      fromMs: AT + DAY_MS,
      toMs: AT + DAY_MS + HOUR_MS,
      width: 60,
      overlay: "day",
    });
    const before = page({ metric: "memory.used", site: "North", aggregate: "max" }).lines[0]?.points.find(
      ([at]) => at >= AT,
    );
    expect(lines[0]?.over[0]?.[0]).toBe(AT + DAY_MS);
    expect(stepMs).toBe(MINUTE_MS);
    expect(before).toBeDefined();
  });

  it("are found by a few letters of anything", () => {
    const labels = (text: string) => seriesChoices(reader, { text }).map((choice) => choice.label);
    expect(labels("mem nq-a")).toEqual(["Memory usage · nq-a"]);
    expect(labels("memory south")).toContain("Memory usage · everything at South");
    expect(labels("memory linux")[0]).toBe("Memory usage · every linux host");
    expect(labels("xyzzy")).toEqual([]);
  });
});
