import { learnCalls, untroubled, type CallPoint, type CallUsual, type Stretch } from "#core/detection/call-usual";
import { pointsOfReports, putReport, usualLimit, type CallReport } from "#core/telemetry/call-reports";
import { REQUEST_METRICS, requestSeries, SIDE_OF_SPANS, type RequestSeries } from "#core/telemetry/request-metrics";
import { Sketch } from "#core/telemetry/sketch";
import { MINUTE_MS } from "#core/time/windows";
import type { FreshSample, LiveSeries, SampleWriter } from "../ingest/sample-writer";
import { callMinutes } from "../store/call-figures";
import type { Db } from "../store/database";
import { seriesOfComponent, type SeriesRow } from "../store/signals";
import type { SpanWriter } from "../store/span-writer";
import { operationById, spansOfOperation } from "../store/spans";

/** Calls are kept in memory for so long. */
export const KEPT_MS = 12 * MINUTE_MS;
/** Of spans this share of the past took longer than the usual limit. */
const LIMIT_QUANTILE = 0.95;
/** Lines that are kept at the most; one that nothing came of for so long makes room. */
const MOST_LINES = 20_000;
const FORGOTTEN_MS = 60 * MINUTE_MS;

/** Single calls of a minute are read up to so many. */
const MOST_SINCE = 500;
/** Status of a span that failed, after OpenTelemetry. */
const FAILED = 2;

/** Calls of one operation of one component, as they come in, and what is known of them from before. */
export interface CallLine {
  key: string;
  componentId: number;
  side: RequestSeries["side"];
  name: string;
  /** Where spans tell of them. */
  operationId: number | undefined;
  /** Who sends them, where that is no component of the estate: `componentId` is one that runs the same program. */
  newcomer: string | undefined;
  touchedMs: number;
  /** The last minutes, the newest last. */
  points(usual: Pick<CallUsual, "limitUs">): CallPoint[];
  /** Of the minute in which an instant lies, the calls that began after it; undefined where nobody knows each by itself. */
  restOfMinute(usual: Pick<CallUsual, "limitUs">, sinceMs: number): CallPoint | undefined;
  /** @param troubles when its alarms stood */
  learn(fromMs: number, toMs: number, troubles: readonly Stretch[]): CallUsual;
}

/** Brings spans and histograms of durations together as lines of calls. */
export class CallLines {
  private readonly lines = new Map<string, CallLine>();
  private readonly byComponent = new Map<number, Set<CallLine>>();
  /** Lines of senders that are no components, by one that runs the same program. */
  private readonly byKin = new Map<number, Set<CallLine>>();
  /** Lines of hosts that are of one of their processes as soon as that is known. */
  private readonly passing = new Set<string>();
  /** Lines that got calls since they were last asked for. */
  private changed = new Set<CallLine>();
  private readonly ofSeries = new Map<number, { line: HistogramLine; part: string; failed: boolean } | undefined>();
  private readonly kept = new Map<number, Map<string, { series: SeriesRow; part: string; failed: boolean }[]>>();
  /** Operations that a histogram counts wholly, by component and name: their spans are a sample of them. */
  private readonly counted = new Set<string>();

  constructor(
    private readonly db: Db,
    private readonly sampleWriter: SampleWriter,
    private readonly componentOf: (resourceId: number) => number | null,
    /** A component that runs the same program as a sender which is none itself, and what to call that sender. */
    private readonly kinOf: (resourceId: number) => Kin | undefined = () => undefined,
    /** Hosts to which senders are named whose processes are not known yet, by one that runs the same elsewhere. */
    readonly hostsBeside: () => ReadonlyMap<number, number> = () => new Map(),
  ) {}

  /** Takes up what came since the last tick; the lines that it is of. */
  take(spans: SpanWriter, fresh: readonly FreshSample[], atMs: number): Set<CallLine> {
    for (const sample of fresh) this.takeSample(sample);
    this.kept.clear();
    for (const operationId of spans.takeTouched()) this.takeSpans(spans, operationId, atMs);
    const { changed } = this;
    this.changed = new Set();
    for (const line of changed) line.touchedMs = atMs;
    if (this.lines.size > MOST_LINES) this.forget(atMs - FORGOTTEN_MS);
    return changed;
  }

  has(key: string): boolean {
    return this.lines.has(key);
  }

  /** Lines of some components on one side. */
  *of(componentIds: ReadonlySet<number>, side: CallLine["side"]): Generator<CallLine> {
    for (const id of componentIds)
      for (const line of this.byComponent.get(id) ?? []) if (line.side === side) yield line;
  }

  /** Calls that are answered beside some components by senders which run the same program and are no components. */
  *newcomersBeside(componentIds: ReadonlySet<number>): Generator<CallLine> {
    for (const id of componentIds) for (const line of this.byKin.get(id) ?? []) if (line.side === "answers") yield line;
  }

  /** Lines of one name on one side, whosever they are. */
  *named(name: string, side: CallLine["side"]): Generator<CallLine> {
    for (const line of this.lines.values())
      if (line.side === side && line.name === name && line.newcomer === undefined) yield line;
  }

  private takeSpans(spans: SpanWriter, operationId: number, atMs: number): void {
    const key = `o${operationId}`;
    let line = this.lines.get(key);
    // By now it may be a component, or another.
    if (!line || line.newcomer !== undefined || this.passing.has(key)) {
      const operation = operationById(this.db, operationId);
      const side = operation && SIDE_OF_SPANS[operation.kind];
      if (!operation || !side) return;
      const own = this.componentOf(operation.resource_id);
      const kin = own === null ? this.kinOf(operation.resource_id) : undefined;
      const componentId = own ?? kin?.componentId;
      if (line && (line.componentId !== componentId || (line.newcomer === undefined) !== (kin === undefined))) {
        this.drop(line);
        line = undefined;
      }
      if (componentId === undefined) return;
      if (!line) {
        const head = { key, componentId, side, name: operation.name, operationId, newcomer: kin?.name };
        line = new SpanLine(this.db, spans, head, atMs);
        this.keep(line);
        if (this.hostsBeside().has(componentId)) this.passing.add(key);
      }
    }
    if (line instanceof SpanLine) line.spans = spans;
    if (line.newcomer !== undefined || !this.counted.has(nameKey(line))) this.changed.add(line);
  }

  private keep(line: CallLine): void {
    if (this.lines.size >= 2 * MOST_LINES) return;
    this.lines.set(line.key, line);
    const index = this.indexOf(line);
    const own = index.get(line.componentId) ?? new Set();
    index.set(line.componentId, own.add(line));
  }

  private drop(line: CallLine): void {
    this.lines.delete(line.key);
    this.passing.delete(line.key);
    const index = this.indexOf(line);
    const own = index.get(line.componentId);
    own?.delete(line);
    if (own?.size === 0) index.delete(line.componentId);
  }

  private indexOf({ newcomer }: CallLine): Map<number, Set<CallLine>> {
    return newcomer === undefined ? this.byComponent : this.byKin;
  }

  private takeSample({ series, atMs, value }: FreshSample): void {
    if (!REQUEST_METRICS.has(series.metric)) return;
    let known = this.ofSeries.get(series.id);
    if (known === undefined && !this.ofSeries.has(series.id)) {
      known = this.meet(series, atMs);
      this.ofSeries.set(series.id, known);
    }
    if (!known) return;
    known.line.take(known.part, known.failed, atMs, value);
    this.changed.add(known.line);
  }

  private meet(series: LiveSeries, atMs: number) {
    const read = requestSeries(series.metric, series.instance);
    if (!read || series.componentId === null) return undefined;
    const key = lineKey(series.componentId, read);
    let line = this.lines.get(key);
    if (!(line instanceof HistogramLine)) {
      const { side, name } = read;
      const { componentId } = series;
      line = new HistogramLine(this.sampleWriter, { key, componentId, side, name }, atMs);
      this.keep(line);
      this.counted.add(nameKey(line));
      // What it says of other ends of the same calls is part of its past, though nothing came of it yet: after a start
      // anew, the first report may tell of failures alone.
      for (const other of this.keptOf(componentId).get(key) ?? [])
        (line as HistogramLine).met(other.series, other.part, other.failed);
    }
    const own = line as HistogramLine;
    own.met(series, read.part, read.failed);
    return { line: own, part: read.part, failed: read.failed };
  }

  /** Series of a component that are kept, by the line that they belong to; read once in a tick. */
  private keptOf(componentId: number): Map<string, { series: SeriesRow; part: string; failed: boolean }[]> {
    let kept = this.kept.get(componentId);
    if (kept) return kept;
    this.kept.set(componentId, (kept = new Map()));
    for (const series of seriesOfComponent(this.db, componentId)) {
      const read = requestSeries(series.metric, series.instance);
      if (!read) continue;
      const key = lineKey(componentId, read);
      const list = kept.get(key) ?? [];
      kept.set(key, list);
      list.push({ series, part: read.part, failed: read.failed });
    }
    return kept;
  }

  private forget(beforeMs: number): void {
    for (const line of this.lines.values()) {
      if (line.touchedMs >= beforeMs) continue;
      this.drop(line);
      if (line.newcomer === undefined) this.counted.delete(nameKey(line));
    }
    for (const [id, known] of this.ofSeries) if (known && !this.lines.has(known.line.key)) this.ofSeries.delete(id);
  }
}

const lineKey = (componentId: number, { base, side, name }: { base: string; side: string; name: string }) =>
  `h${componentId} ${base} ${side} ${name}`;
const nameKey = ({ componentId, side, name }: Pick<CallLine, "componentId" | "side" | "name">) =>
  `${componentId} ${side} ${name}`;

/** A component that runs what a sender runs which is none, and what to call that sender. */
export interface Kin {
  componentId: number;
  name: string;
}

type Head = Pick<CallLine, "key" | "componentId" | "side" | "name" | "operationId" | "newcomer">;

/** Calls that spans tell of, minute by minute. */
class SpanLine implements CallLine {
  readonly key: string;
  readonly componentId: number;
  readonly side: CallLine["side"];
  readonly name: string;
  readonly operationId: number | undefined;
  readonly newcomer: string | undefined;

  constructor(
    private readonly db: Db,
    public spans: SpanWriter,
    { key, componentId, side, name, operationId, newcomer }: Head,
    public touchedMs: number,
  ) {
    this.newcomer = newcomer;
    this.key = key;
    this.componentId = componentId;
    this.side = side;
    this.name = name;
    this.operationId = operationId;
  }

  points({ limitUs }: Pick<CallUsual, "limitUs">): CallPoint[] {
    return this.spans.openMinutes(this.operationId as number).map((minute) => ({
      atMs: minute.minuteMs + MINUTE_MS - 1,
      calls: minute.calls,
      failed: minute.failed,
      slow: minute.calls - minute.sketch.atMost(limitUs),
      tookUs: minute.sumUs,
    }));
  }

  restOfMinute({ limitUs }: Pick<CallUsual, "limitUs">, sinceMs: number): CallPoint {
    const endMs = (Math.floor(sinceMs / MINUTE_MS) + 1) * MINUTE_MS - 1;
    const spans = spansOfOperation(
      this.db,
      this.operationId as number,
      sinceMs + 1,
      endMs,
      0,
      Number.MAX_SAFE_INTEGER,
      false,
      MOST_SINCE,
    );
    return {
      atMs: endMs,
      calls: spans.length,
      failed: spans.filter((one) => one.status === FAILED).length,
      slow: spans.filter((one) => one.duration_us > limitUs).length,
      tookUs: spans.reduce((sum, one) => sum + one.duration_us, 0),
    };
  }

  learn(fromMs: number, toMs: number, troubles: readonly Stretch[]): CallUsual {
    const minutes = untroubled(callMinutes(this.db, this.operationId as number, fromMs, toMs), troubles);
    const all = new Sketch();
    for (const { sketch } of minutes) all.merge(sketch);
    const limitUs = all.count ? all.quantile(LIMIT_QUANTILE) : Number.POSITIVE_INFINITY;
    const points = minutes.map(({ atMs, calls, failed, sumUs, sketch }) => ({
      atMs,
      calls,
      failed,
      slow: calls - sketch.atMost(limitUs),
      tookUs: sumUs,
    }));
    return learnCalls(points, limitUs, known(points, toMs));
  }
}

/** Minutes since the first point. */
const known = (points: readonly CallPoint[], toMs: number) =>
  points[0] ? Math.max(1, (toMs - points[0].atMs) / MINUTE_MS) : 0;

/** Calls that are counted where they are answered or made, report by report. */
class HistogramLine implements CallLine {
  readonly key: string;
  readonly componentId: number;
  readonly side: CallLine["side"];
  readonly name: string;
  readonly operationId = undefined;
  readonly newcomer = undefined;
  private readonly reports = new Map<number, CallReport>();
  private readonly series = new Map<number, { part: string; failed: boolean }>();
  private microseconds = 1e6;

  constructor(
    private readonly sampleWriter: SampleWriter,
    { key, componentId, side, name }: Omit<Head, "operationId" | "newcomer">,
    public touchedMs: number,
  ) {
    this.key = key;
    this.componentId = componentId;
    this.side = side;
    this.name = name;
  }

  met(series: Pick<LiveSeries, "id" | "unit">, part: string, failed: boolean): void {
    this.series.set(series.id, { part, failed });
    if (part !== ".count") this.microseconds = series.unit === "ms" ? 1e3 : 1e6;
  }

  take(part: string, failed: boolean, atMs: number, value: number): void {
    putReport(this.reports, part, failed, atMs, value * (part === ".count" ? 1 : this.microseconds));
    for (const at of this.reports.keys()) {
      if (at >= atMs - KEPT_MS) break;
      this.reports.delete(at);
    }
  }

  points({ limitUs }: Pick<CallUsual, "limitUs">): CallPoint[] {
    return pointsOfReports(this.reports, limitUs);
  }

  /** Reports of a histogram are of less than a minute each, and of no single call. */
  restOfMinute(): undefined {
    return undefined;
  }

  learn(fromMs: number, toMs: number, troubles: readonly Stretch[]): CallUsual {
    let reports = new Map<number, CallReport>();
    for (const [id, { part, failed }] of this.series) {
      const { times, values } = this.sampleWriter.recall(id, fromMs, toMs);
      const scale = part === ".count" ? 1 : this.microseconds;
      for (let index = 0; index < times.length; index++)
        putReport(reports, part, failed, times[index] as number, (values[index] as number) * scale);
    }
    const moments = [...reports].map(([atMs, report]) => ({ atMs, report }));
    reports = new Map(untroubled(moments, troubles).map(({ atMs, report }) => [atMs, report]));
    const limitUs = usualLimit(reports);
    const points = pointsOfReports(reports, limitUs);
    return learnCalls(points, limitUs, known(points, toMs));
  }
}
