import { FieldCounts, fieldReader, OTHER_VALUES, PLACE } from "#core/telemetry/log-fields";
import { wordsToSearch } from "#core/jobs/words";
import { DAY_MS, MINUTE_MS } from "#core/time/windows";
import type { Db } from "../store/database";
import { componentById } from "../store/estate";
import { logFigures, type LogFigure } from "../store/log-figures";
import type { NewLog } from "../store/log-writer";
import { searchLogs } from "../store/logs";
import type { SampleWriter } from "./sample-writer";

interface Counted {
  figure: LogFigure;
  valueOf: ReturnType<typeof fieldReader>;
  counts: FieldCounts;
}

const DISTINCT = "log.distinct";
const SHARE = "log.share";
/** What a record may be ahead of this clock and still count. */
const AHEAD_MS = MINUTE_MS;
/** Of the past so much is looked through when a figure is made, and so many records. */
const PAST_MS = 14 * DAY_MS;
const MOST_PAST = 50_000;
const MOST_LOOKED = 200_000;
/** Longest name of a value beside that of its figure. */
const LONGEST = 60;

/** Makes series of fields of log records as they come: judged, drawn and found to be odd like any other figure. */
export class LogFigures {
  private counted: Counted[] = [];
  private minute = 0;

  constructor(
    private readonly db: Db,
    private readonly sampleWriter: SampleWriter,
  ) {
    this.reload();
  }

  /** Takes up what people made and removed; what goes on being counted keeps its counts. */
  reload(): void {
    const known = new Map(this.counted.map((one) => [one.figure.id, one]));
    this.counted = logFigures(this.db).map(
      (figure) =>
        known.get(figure.id) ?? {
          figure,
          valueOf: fieldReader(figure.field),
          counts: new FieldCounts(figure.minutes),
        },
    );
  }

  take(logs: readonly NewLog[], componentOf: (resourceId: number) => number | null, nowMs: number): void {
    for (const { figure, valueOf, counts } of this.counted)
      for (const log of logs) {
        if (log.severity < figure.level || log.atMs > nowMs + AHEAD_MS) continue;
        const value = valueOf(log);
        const componentId = value === undefined ? null : componentOf(log.resourceId);
        if (componentId !== null) counts.add(componentId, value as string, log.atMs);
      }
  }

  /** Writes down the minutes that are over; call inside a transaction, at least once a minute. */
  tick(nowMs: number): void {
    const minute = Math.floor(nowMs / MINUTE_MS);
    if (minute === this.minute || this.counted.length === 0) return;
    this.minute = minute;
    for (const { figure, counts } of this.counted) this.write(figure, counts, minute);
  }

  /**
   * Makes a figure of the records that are kept, as far back as it may look, minute by minute; call inside a transaction, once
   * it is made.
   * @returns how many records had the field
   */
  countBack(id: number, componentOf: (resourceId: number) => number | null, nowMs: number): number {
    const own = this.counted.find((one) => one.figure.id === id);
    if (!own) return 0;
    const { figure, valueOf, counts } = own;
    const words = figure.field.includes(PLACE) ? wordsToSearch(figure.field.replace(PLACE, "*")) : [];
    const filter = { fromMs: nowMs - PAST_MS, toMs: nowMs, words, without: [], leastSeverity: figure.level };
    const past = new FieldCounts(figure.minutes);
    const thisMinute = Math.floor(nowMs / MINUTE_MS);
    let minute: number | undefined;
    let whole = 0;
    let had = 0;
    const rows = searchLogs(this.db, filter, null, MOST_PAST, MOST_LOOKED).rows.sort((a, b) => a.at - b.at);
    for (const { resource_id: resourceId, at, body, attributes } of rows) {
      const value = valueOf({ body, attributes });
      const componentId = value === undefined ? null : componentOf(resourceId);
      if (value === undefined || componentId === null) continue;
      had++;
      const ownMinute = Math.floor(at / MINUTE_MS);
      if (minute === undefined) {
        minute = ownMinute;
        // Before a whole window is known its figures would be too small.
        whole = minute + figure.minutes;
      }
      for (; minute < ownMinute; minute++) if (minute + 1 >= whole) this.write(figure, past, minute + 1);
      past.add(componentId, value, at);
      if (ownMinute >= thisMinute - figure.minutes) counts.add(componentId, value, at);
    }
    if (minute !== undefined)
      for (; minute < thisMinute; minute++) if (minute + 1 >= whole) this.write(figure, past, minute + 1);
    return had;
  }

  /** What is counted in the window before a minute since 1970. */
  private write(figure: LogFigure, counts: FieldCounts, minute: number): void {
    const atMs = minute * MINUTE_MS;
    for (const [componentId, { distinct, shares }] of counts.read(atMs)) {
      // What has left the estate meanwhile has no figures any more.
      if (componentById(this.db, componentId)?.valid_to !== null) continue;
      const put = (metric: string, instance: string, unit: string, value: number) =>
        this.sampleWriter.record(
          this.sampleWriter.series({ componentId, serviceId: null }, metric, instance, unit, atMs),
          atMs,
          value,
        );
      if (figure.measure === "distinct") put(DISTINCT, figure.name, "1", distinct);
      else
        for (const [value, share] of shares)
          put(SHARE, `${figure.name}: ${value === OTHER_VALUES ? "others" : shortened(value)}`, "%", share);
    }
  }
}

const shortened = (value: string) => (value.length > LONGEST ? `${value.slice(0, LONGEST - 1)}…` : value);
