import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { learnRange, packRange, type Range } from "#core/detection/range";
import { replay } from "#core/detection/replay";
import { threshold, thresholdSettings } from "#core/detection/threshold";
import { usual, usualSettings } from "#core/detection/usual";
import { calls, callSettings } from "#core/detection/calls";
import { learnCalls } from "#core/detection/call-usual";
import { Ranges } from "#server/alarms/ranges";
import { SampleWriter } from "#server/ingest/sample-writer";
import { migrate, openStore } from "#server/store/database";
import { appendRollup, readRollup } from "#server/store/rollups";
import type { Measurement } from "./measurement";

const STEP_MS = 300_000;
const DAYS = 14;
const FROM = Date.parse("2026-03-02T00:00:00Z");
const wobble = (index: number) => Math.sin(index * 12.9898) * 3;

/** A fortnight of a series by five minutes. */
function fortnight(seed: number) {
  const count = (DAYS * 86_400_000) / STEP_MS;
  const times = Float64Array.from({ length: count }, (_, index) => FROM + index * STEP_MS);
  const mean = Float64Array.from(
    times,
    (_, index) => 40 + 20 * Math.sin((index / 288) * 2 * Math.PI + seed) + wobble(index + seed),
  );
  return { times, mean, min: mean, max: mean };
}

function timed(work: () => void): number {
  const began = performance.now();
  work();
  return performance.now() - began;
}

/** Series that are learned from a store; as many as are read within a few seconds. */
const STORED = 1_000;

/** Learning as the engine does it: what is summed up is read, what was odd is left out, what is learned is kept. */
function learnFromStore(root: string): Measurement {
  const folder = mkdtempSync(join(tmpdir(), "holotaxis-learn-"));
  try {
    const db = openStore(join(folder, "holotaxis.db"), "writer");
    migrate(db, join(root, "server", "store", "migrations"));
    const writer = new SampleWriter(db);
    const endMs = FROM + DAYS * 86_400_000;
    const series = db.transaction(() =>
      Array.from({ length: STORED }, (_, seed) => {
        const one = writer.series({ componentId: null, serviceId: null }, `figure.${seed}`, "", "1", FROM);
        const { times, mean: exact } = fortnight(seed);
        // Hosts measure to a hundredth.
        const mean = exact.map((value) => Math.round(value * 100) / 100);
        // Minutes of five minutes are not all alike.
        const spread = (by: number) =>
          Float64Array.from(mean, (value, index) => Math.round((value + by * (1 + (index % 5) / 10)) * 100) / 100);
        const count = new Float64Array(times.length).fill(20);
        const sum = mean.map((value) => Math.round(value * 2000) / 100);
        appendRollup(db, one.id, STEP_MS, { starts: times, count, sum, min: spread(-1), max: spread(1), last: mean });
        one.rolledToMs = endMs;
        return one;
      }),
    )();
    const ranges = new Ranges(db, writer, () => ({ budgetMs: Number.POSITIVE_INFINITY, seldom: 1 }));
    const learning = timed(() =>
      db.transaction(() => {
        ranges.begin();
        for (const one of series) if (!ranges.of(one, endMs)) throw new Error("Nothing was learned.");
      })(),
    );
    const reading = timed(() => {
      for (const one of series) readRollup(db, one.id, STEP_MS, FROM, endMs);
    });
    db.close();
    return {
      name: "learning a fortnight of 50,000 series from the store",
      value: ((learning / STORED) * 50_000) / 1000,
      unit: "s",
      better: "lower",
      target: 90,
      reference: { name: "reading the same from the store", value: ((reading / STORED) * 50_000) / 1000 },
    };
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

/** What judging costs: a tick of many series, learning, a preview. The references read the same numbers plainly. */
export function measureJudging(root: string): Measurement[] {
  const learned: Range[] = [];
  const LEARNED = 400;
  const past = Array.from({ length: LEARNED }, (_, seed) => fortnight(seed));
  const learning = timed(() => {
    for (const spans of past) learned.push(learnRange(spans) as Range);
  });
  const reading = timed(() => {
    for (const { mean } of past) mean.toSorted();
  });
  const measurements: Measurement[] = [
    {
      name: "learning a fortnight of 50,000 series, without reading it from the store",
      value: ((learning / LEARNED) * 50_000) / 1000,
      unit: "s",
      better: "lower",
      target: 90,
      reference: { name: "sorting the same numbers once", value: ((reading / LEARNED) * 50_000) / 1000 },
    },
    {
      name: "memory of what was learned, a series",
      value: Math.max(...learned.map((one) => packRange(one).byteLength)),
      unit: "bytes",
      better: "lower",
      target: 1500,
      reference: { name: "168 hours with two numbers each", value: 168 * 8 },
    },
  ];
  measurements.push(learnFromStore(root));
  for (const [count, target] of [
    [50_000, 1000],
    [200_000, 4000],
  ] as const)
    measurements.push(tickOf(count, target, learned));
  measurements.push(previewOf(learned));
  return measurements;
}

/** Each series judged by what is usual and by a fixed limit, and a hundredth of as many operations by their calls. */
function tickOf(count: number, target: number, learned: readonly Range[]): Measurement {
  const byUsual = usualSettings.parse({ metric: "m" });
  const byLimit = thresholdSettings.parse({ metric: "m", critical: 1e9 });
  const byCalls = callSettings.parse({ condition: "slow", minor: 30 });
  const states = Array.from({ length: count }, () => [usual.fresh(), threshold.fresh()] as const);
  const operations = Array.from({ length: count / 100 }, () => calls.fresh());
  const known = learnCalls([{ atMs: 0, calls: 1000, failed: 5, slow: 50 }], 400_000, 60);
  const judged = { instance: "", unit: "%" };
  let at = FROM;
  const tick = () => {
    at += 15_000;
    for (let index = 0; index < count; index++) {
      const [one, two] = states[index] as (typeof states)[number];
      const value = 40 + wobble(index + at / 15_000);
      usual.evaluate(byUsual, one, { atMs: at, value, range: learned[index % learned.length] }, judged);
      threshold.evaluate(byLimit, two, { atMs: at, value }, judged);
    }
    const points = [1, 2, 3, 4, 5]
      .map((minute) => ({ atMs: at - minute * 60_000, calls: 40, failed: 0, slow: 2 }))
      .reverse();
    for (const state of operations) calls.evaluate(byCalls, state, { atMs: at, points, usual: known }, judged);
  };
  for (let warm = 0; warm < 6; warm++) tick();
  const took = Array.from({ length: 7 }, () => timed(tick)).sort((a, b) => a - b)[3] as number;
  const plain = timed(() => {
    let sum = 0;
    for (let index = 0; index < count; index++) sum += 40 + wobble(index);
    if (Number.isNaN(sum)) throw new Error("nothing added");
  });
  return {
    name: `judging ${count.toLocaleString("en-GB")} series by usual range and limit, and ${(count / 100).toLocaleString("en-GB")} operations`,
    value: took,
    unit: "ms",
    better: "lower",
    target,
    reference: { name: "adding the same values up", value: Math.max(0.1, plain) },
  };
}

/** A rule over fourteen days of 500 series, as five-minute samples. */
function previewOf(learned: readonly Range[]): Measurement {
  const settings = usualSettings.parse({ metric: "m" });
  const series = Array.from({ length: 500 }, (_, seed) => fortnight(seed));
  const took = timed(() => {
    series.forEach(({ times, mean }, seed) =>
      replay(
        usual,
        settings,
        { times, values: mean },
        { instance: "", unit: "%" },
        () => learned[seed % learned.length],
      ),
    );
  });
  const plain = timed(() => {
    for (const { mean } of series) mean.toSorted();
  });
  return {
    name: "preview of a rule over 14 days of 500 series",
    value: took,
    unit: "ms",
    better: "lower",
    target: 1000,
    reference: { name: "sorting the same samples", value: plain },
  };
}
