import { FieldCounts, fieldReader, OTHER_VALUES } from "#core/telemetry/log-fields";
import { MINUTE_MS } from "#core/time/windows";
import type { Db } from "../store/database";
import { componentById } from "../store/estate";
import { logFigures, type LogFigure } from "../store/log-figures";
import type { NewLog } from "../store/log-writer";
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
    const atMs = minute * MINUTE_MS;
    for (const { figure, counts } of this.counted)
      for (const [componentId, { distinct, shares }] of counts.read(nowMs)) {
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
