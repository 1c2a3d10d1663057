import { asSpans, without } from "#core/detection/learn";
import { isCounted, learnRange, shiftOf, type Range } from "#core/detection/range";
import { metricTitle } from "#core/catalogue/metrics";
import { joinSpans, rollSamples, SpanRoom, type Spans } from "#core/telemetry/rollup";
import { DAY_MS, HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { formatValue } from "#core/units/format";
import { Forgiven } from "../changes/forgiven";
import type { LiveSeries, SampleWriter } from "../ingest/sample-writer";
import { insertChange } from "../store/changes";
import type { Db } from "../store/database";
import { oddSpansOf } from "../store/findings";
import { forgetLearned, keepLearned, learnedAt } from "../store/learned";
import { readRollup } from "../store/rollups";

const STEP_MS = 5 * MINUTE_MS;
/** So much of the past is learned from, and anew so often; what little is known of is looked at again sooner. */
const PAST_MS = 42 * DAY_MS;
const ANEW_MS = 12 * HOUR_MS;
const SOON_MS = 2 * HOUR_MS;
/** What was learned is kept once a day, for so long. */
const KEPT_EVERY_MS = 20 * HOUR_MS;
const KEPT_FOR_MS = 60 * DAY_MS;

interface Known {
  range: Range | undefined;
  learnedAtMs: number;
  keptAtMs: number;
}

/** What is usual of the series that rules judge by it; learned a few at each tick. */
export class Ranges {
  private readonly known = new Map<number, Known>();
  private untilMs = 0;
  private seldom = 1;
  private readonly forgiven: Forgiven;
  /** For what is read of one series at a time. */
  private readonly room = new SpanRoom();

  constructor(
    private readonly db: Db,
    private readonly sampleWriter: SampleWriter,
    /** Machine time that learning may take of a tick, and how many times as seldom as usual it is done. */
    private readonly pace: () => { budgetMs: number; seldom: number },
  ) {
    this.forgiven = new Forgiven(db);
  }

  /** Begins a tick. */
  begin(): void {
    const { budgetMs, seldom } = this.pace();
    this.untilMs = performance.now() + budgetMs;
    this.seldom = seldom;
  }

  /** Forgets what is held in memory, after a transaction that failed. */
  reload(): void {
    this.known.clear();
  }

  /** What is usual of a series; undefined while nothing is known. Call inside a transaction. */
  of(series: LiveSeries, atMs: number): Range | undefined {
    let known = this.known.get(series.id);
    if (!known) {
      const kept = learnedAt(this.db, series.id, atMs);
      known = { range: kept?.range, learnedAtMs: kept?.atMs ?? Number.NEGATIVE_INFINITY, keptAtMs: kept?.atMs ?? 0 };
      this.known.set(series.id, known);
    }
    const age = atMs - known.learnedAtMs;
    if (age >= this.seldom * (known.range ? ANEW_MS : SOON_MS) && performance.now() < this.untilMs)
      this.learn(series, known, atMs);
    return known.range;
  }

  private learn(series: LiveSeries, known: Known, atMs: number): void {
    known.learnedAtMs = atMs;
    const fromMs = atMs - PAST_MS;
    const all = asSpans(this.spansOf(series, fromMs, atMs));
    const odd = oddSpansOf(this.db, series.id, fromMs);
    const forgiven = this.forgiven.spansOf(series, fromMs, atMs, Math.max(fromMs, all.times[0] ?? fromMs));
    const range = learnRange(without(all, [...odd, ...forgiven], STEP_MS), { counts: isCounted(series.unit) });
    if (!range) return;
    const shift = shiftOf(range, all);
    if (shift !== undefined) {
      range.shift = shift;
      if (known.range?.shift !== undefined && Math.abs(known.range.shift) < Math.abs(shift) / 2)
        this.tellShift(series, range, shift, atMs);
    }
    known.range = range;
    if (atMs - known.keptAtMs < KEPT_EVERY_MS && shift === undefined) return;
    keepLearned(this.db, series.id, range, atMs);
    forgetLearned(this.db, series.id, atMs - KEPT_FOR_MS);
    known.keptAtMs = atMs;
  }

  /** What was summed up already, the samples since, and those from before any were worth summing up so finely. */
  private spansOf(series: LiveSeries, fromMs: number, toMs: number): Spans {
    const rolledTo = series.rolledToMs;
    const samples = (from: number, to: number) => rollSamples(this.sampleWriter.recall(series.id, from, to), STEP_MS);
    if (rolledTo === null || rolledTo <= fromMs) return samples(fromMs, toMs);
    const rolled = readRollup(this.db, series.id, STEP_MS, fromMs, rolledTo, false, this.room);
    const first = rolled.starts[0];
    if (first === undefined) return samples(fromMs, toMs);
    return joinSpans([
      ...(first > fromMs + STEP_MS ? [samples(fromMs, first - 1)] : []),
      rolled,
      samples(rolledTo, toMs),
    ]);
  }

  private tellShift(series: LiveSeries, range: Range, shift: number, atMs: number): void {
    const before = (range.middle[0] as number) || 0;
    insertChange(this.db, {
      atMs,
      kind: "level",
      componentId: series.componentId,
      summary: `${metricTitle(series.metric, series.instance)}: new level for six hours, ${formatValue(before + shift, series.unit)} where ${formatValue(before, series.unit)} was usual`,
      by: "Holotaxis",
    });
  }
}
