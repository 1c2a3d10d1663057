import { joinSpans, rollSamples, rollSpans, type Spans } from "#core/telemetry/rollup";
import { DAY_MS, HOUR_MS, MINUTE_MS } from "#core/time/windows";
import type { Db } from "../store/database";
import { appendRollup, firstRolled, forgetRollups, readRollup, ROLLUP_STEPS, setRolledTo } from "../store/rollups";
import { firstSampleMs, forgetChunks, readSamples } from "../store/signals";
import type { Retention } from "../store/retention";
import type { LiveSeries, SampleWriter } from "./sample-writer";

/** Samples may come this late and are still summed up in one go; later ones make it be done anew. */
const GRACE_MS = 15 * MINUTE_MS;
/** A series is summed up once this much of it is new. */
const BATCH_MS = 6 * HOUR_MS;
/** At most this much of a series is summed up in one go. */
const MOST_MS = 7 * DAY_MS;
/**
 * A resolution is kept where a span of it holds at least this many samples on average; else the finer one does its
 * work.
 */
const WORTHWHILE = 4;
/** What is too old is looked for in a series so often. */
const FORGET_EVERY_MS = HOUR_MS;

/** Sums what is packed up by five minutes, hours and days, and forgets what is older than it has to be kept. */
export class Roller {
  private round: Iterator<LiveSeries> | undefined;
  private readonly forgotMs = new WeakMap<LiveSeries, number>();

  constructor(
    private readonly db: Db,
    private readonly sampleWriter: SampleWriter,
  ) {}

  /**
   * Goes on for about `budgetMs` of machine time with the series whose turn it is; call inside a transaction.
   * @returns how many series were looked at
   */
  work(nowMs: number, retention: Retention, budgetMs: number): number {
    const began = performance.now();
    let looked = 0;
    while (looked < this.sampleWriter.size && performance.now() - began < budgetMs) {
      const next = (this.round ??= this.sampleWriter.all()[Symbol.iterator]()).next();
      if (next.done) {
        this.round = undefined;
        continue;
      }
      looked++;
      this.rollUp(next.value, nowMs);
      this.forget(next.value, nowMs, retention);
    }
    return looked;
  }

  /** Sums up what is new of one series, whole hours only. */
  rollUp(series: LiveSeries, nowMs: number): void {
    let from = series.rolledToMs;
    if (from === null) {
      const first = firstSampleMs(this.db, series.id);
      if (first === undefined) return;
      from = Math.floor(first / DAY_MS) * DAY_MS;
    }
    const until = Math.floor((nowMs - GRACE_MS) / HOUR_MS) * HOUR_MS;
    if (until - from < BATCH_MS) return;
    const to = Math.min(until, from + MOST_MS);
    const samples = readSamples(this.db, series.id, from, to - 1);
    let spans: Spans | undefined;
    let finer = samples.times.length;
    for (const stepMs of ROLLUP_STEPS.slice(0, 2)) {
      const rolled = spans ? rollSpans(spans, stepMs) : rollSamples(samples, stepMs);
      if (!rolled.starts.length) break;
      if (finer / rolled.starts.length < WORTHWHILE && firstRolled(this.db, series.id, stepMs) === undefined) continue;
      appendRollup(this.db, series.id, stepMs, rolled);
      spans = rolled;
      finer = rolled.starts.length;
    }
    this.rollDays(series.id, from, to);
    setRolledTo(this.db, series.id, to);
    series.rolledToMs = to;
  }

  /** Days are summed up once they are over, from hours where those are kept. */
  private rollDays(seriesId: number, fromMs: number, toMs: number): void {
    const from = Math.floor(fromMs / DAY_MS) * DAY_MS;
    const to = Math.floor(toMs / DAY_MS) * DAY_MS;
    if (to <= from) return;
    const firstHour = firstRolled(this.db, seriesId, HOUR_MS);
    const hoursFrom = firstHour === undefined ? to : Math.max(from, Math.min(to, firstHour));
    // Before hours were kept there were few samples.
    const early =
      hoursFrom > from ? rollSamples(readSamples(this.db, seriesId, from, hoursFrom - 1), HOUR_MS) : undefined;
    const hours = readRollup(this.db, seriesId, HOUR_MS, hoursFrom, to);
    appendRollup(this.db, seriesId, DAY_MS, rollSpans(early ? joinSpans([early, hours]) : hours, DAY_MS));
  }

  private forget(series: LiveSeries, nowMs: number, retention: Retention): void {
    const lookedMs = this.forgotMs.get(series);
    if (lookedMs !== undefined && Math.abs(nowMs - lookedMs) < FORGET_EVERY_MS) return;
    this.forgotMs.set(series, nowMs);
    const [fiveMinutes, hour, day] = ROLLUP_STEPS;
    forgetRollups(this.db, series.id, fiveMinutes, nowMs - retention.fiveMinutesMs);
    forgetRollups(this.db, series.id, hour, nowMs - retention.hourMs);
    forgetRollups(this.db, series.id, day, nowMs - retention.dayMs);
    if (series.rolledToMs === null) return;
    // Where no five minutes are kept, the samples stand in for them for as long.
    const firstFine = firstRolled(this.db, series.id, fiveMinutes);
    const sparse = firstFine === undefined || firstFine > nowMs - retention.rawMs;
    forgetChunks(
      this.db,
      series.id,
      Math.min(series.rolledToMs, nowMs - (sparse ? retention.fiveMinutesMs : retention.rawMs)),
    );
  }
}
