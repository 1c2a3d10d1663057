import type { Instrument } from "#core/catalogue/metrics";
import type { ResourceAttributes } from "#core/estate/naming";
import { keptText } from "#core/telemetry/text";
import { MINUTE_MS } from "#core/time/windows";
import { instanceOf, textOf } from "./attributes";
import type { ArrivedEvent, ArrivedExemplar, ArrivedLog, ArrivedSpan, Batch, ResourceDef } from "./batch";
import { ClientBounds } from "./client-bounds";
import { countedOf, quantilesOf, sinceBefore, wrongBuckets, type Counted } from "./histogram-counts";
import { LIMITS } from "./limits";
import type {
  Attribute,
  ExponentialPoint,
  HistogramPoint,
  LogRecord,
  Metric,
  OfResource,
  SpanRecord,
} from "./otlp-types";
import { exemplarsOf, logOf, spanOf, wrongIds } from "./records";
import type { Rejected } from "./rejected";
import { SeriesHandles, type Stream } from "./series-handles";
import { Staged } from "./staged";

/** A total whose counting began no longer before its first point than this is followed from its beginning. */
const FRESH_MS = 10 * MINUTE_MS;

/** What follows from a batch, until the engine has answered. */
export interface PendingBatch {
  /** The engine has it. */
  settle(): void;
  /** The engine has nothing of it. */
  abandon(): void;
}

/** Sorts what arrives into samples and records, tells senders and series apart, and refuses what would do harm. */
export class BatchBuilder {
  /** Senders by what they say of themselves, those heard longest ago first. */
  private readonly resources = new Map<string, number>();
  private readonly series = new SeriesHandles(
    () => this.nextHandle++,
    () => (this.client === undefined ? undefined : this.bounds.whyNotSeries(this.client)),
  );
  /** Points that share their attributes share the text that tells their series apart. */
  private readonly instances = new WeakMap<readonly Attribute[], string>();
  /** Last cumulative buckets of each histogram, by its count's series. */
  private readonly buckets = new Staged<number, Counted>(
    LIMITS.bucketsHeld,
    (held) => held.counts.length + held.negative.length + 8,
  );
  private nextHandle = 1;
  private newResources: ResourceDef[] = [];
  private handles: number[] = [];
  private times: number[] = [];
  private values: number[] = [];
  private logs: ArrivedLog[] = [];
  private spans: ArrivedSpan[] = [];
  private exemplars: ArrivedExemplar[] = [];
  private restarts = new Map<number, number>();
  /** Instant of the last point of each running total, by the handle of its series. */
  private readonly countedTo = new Staged<number, number>(LIMITS.series);
  events: ArrivedEvent[] = [];
  private readonly operations = new Map<number, Set<string>>();

  /** Address that what is sorted at this moment came from; undefined for what nobody sent by themselves. */
  client: string | undefined;
  readonly bounds: ClientBounds;

  constructor(private readonly now: () => number) {
    this.bounds = new ClientBounds(now);
  }

  refuse(handle: number, why: string): void {
    this.series.refuse(handle, why);
  }

  /** Everything sorted since the last call, with what settles or abandons the state that follows from it. */
  take(): { batch: Batch; pending: PendingBatch } {
    const batch: Batch = {
      resources: this.newResources,
      series: this.series.takeFresh(),
      handles: new Int32Array(this.handles),
      times: new Float64Array(this.times),
      values: new Float64Array(this.values),
      logs: this.logs,
      spans: this.spans,
      events: this.events,
      exemplars: this.exemplars,
      restarts: [...this.restarts].map(([resource, atMs]) => ({ resource, atMs })),
    };
    this.newResources = [];
    this.handles = [];
    this.times = [];
    this.values = [];
    this.logs = [];
    this.spans = [];
    this.events = [];
    this.exemplars = [];
    this.restarts = new Map();
    return { batch, pending: this.pendingOf(batch) };
  }

  private pendingOf({ resources, series }: Batch): PendingBatch {
    const countedTo = this.countedTo.take();
    const buckets = this.buckets.take();
    this.underWay++;
    return {
      settle: () => {
        this.underWay--;
        this.countedTo.settle(countedTo);
        this.buckets.settle(buckets);
      },
      // The engine did not take it: what was new in it is new again.
      abandon: () => {
        this.underWay--;
        this.countedTo.abandon(countedTo);
        this.buckets.abandon(buckets);
        const handles = new Set(resources.map((one) => one.handle));
        for (const [key, handle] of this.resources) if (handles.has(handle)) this.resources.delete(key);
        this.series.forget(series);
      },
    };
  }
  /** Batches that the engine has not answered. */
  private underWay = 0;

  /** Senders that are held; the others are met anew when they come again. */
  get senders(): number {
    return this.resources.size;
  }

  /**
   * Lets go of the senders heard longest ago beyond what is held at the most, with their series. They are met anew
   * when they come again, by what they say of themselves. Nothing is let go of while a batch is under way that may
   * speak of it.
   * @returns handles that will not be used again
   */
  evict(): { resources: number[]; series: number[] } {
    const resources: number[] = [];
    const series: number[] = [];
    if (this.underWay === 0 && this.newResources.length === 0)
      for (const [key, handle] of this.resources) {
        if (this.resources.size <= LIMITS.sendersHeld) break;
        this.resources.delete(key);
        this.operations.delete(handle);
        resources.push(handle);
      }
    if (resources.length) series.push(...this.series.release(new Set(resources)));
    return { resources, series };
  }

  resource(attributes: readonly Attribute[], extra: ResourceAttributes = {}): number {
    const kept: Record<string, string> = { ...extra };
    let count = 0;
    for (const [key, value] of attributes) {
      if (!key || count++ >= LIMITS.resourceAttributes) continue;
      kept[keptText(key, LIMITS.attributeKey)] = keptText(textOf(value), LIMITS.attributeValue);
    }
    const key = JSON.stringify(Object.entries(kept).sort(([a], [b]) => (a < b ? -1 : 1)));
    const known = this.resources.get(key);
    if (known !== undefined) {
      this.resources.delete(key);
      this.resources.set(key, known);
      return known;
    }
    const handle = this.nextHandle++;
    this.resources.set(key, handle);
    this.newResources.push({ handle, attributes: kept });
    return handle;
  }

  private sample(stream: Stream, instance: string, atMs: number, value: number): string | undefined {
    const handle = this.series.of(stream, instance);
    if (typeof handle === "string") return handle;
    this.handles.push(handle);
    this.times.push(Math.round(atMs));
    this.values.push(value);
    return undefined;
  }

  /**
   * A point of a running total. Where the sender says that counting began after the point before, or shortly before
   * the first one, the total was zero then: a sample says so, and what was counted since is not lost, however high it
   * is already.
   */
  private total(stream: Stream, instance: string, startMs: number, atMs: number, value: number): string | undefined {
    const handle = this.series.of(stream, instance);
    if (typeof handle === "string") return handle;
    const before = this.countedTo.get(handle);
    if (
      startMs > 0 &&
      startMs < atMs &&
      (before === undefined ? atMs - startMs <= FRESH_MS : startMs > before) &&
      this.wrongTime(startMs) === undefined
    ) {
      this.sample(stream, instance, startMs, 0);
      if (before !== undefined)
        this.restarts.set(stream.resource, Math.min(startMs, this.restarts.get(stream.resource) ?? startMs));
    }
    this.countedTo.set(handle, Math.max(atMs, before ?? 0));
    return this.sample(stream, instance, atMs, value);
  }

  private instanceOf(attributes: readonly Attribute[]): string | undefined {
    const known = this.instances.get(attributes);
    if (known !== undefined) return known;
    const instance = instanceOf(attributes);
    if (instance !== undefined) this.instances.set(attributes, instance);
    return instance;
  }

  /** Why an instant cannot be kept, or undefined. */
  private wrongTime(atMs: number): string | undefined {
    const now = this.now();
    if (!Number.isFinite(atMs) || atMs <= 0) return "It has no time.";
    if (atMs > now + LIMITS.aheadMs)
      return "Its time is more than an hour ahead of this clock. Check the sender's clock.";
    if (atMs < now - LIMITS.behindMs) return "Its time is more than 30 days back.";
    return undefined;
  }

  metrics(resources: readonly OfResource<Metric>[], extra: ResourceAttributes, rejected: Rejected): void {
    for (const { resource: said, items } of resources) {
      const resource = this.resource(said, extra);
      for (const metric of items) this.metric(resource, metric, rejected);
    }
  }

  private metric(resource: number, { name: given, unit, data }: Metric, rejected: Rejected): void {
    if (data.kind === "none") return;
    const name = given.toWellFormed();
    if (!name || name.length > LIMITS.metricName) {
      rejected.add(
        name ? `A metric's name is longer than ${LIMITS.metricName} characters.` : "A metric has no name.",
        data.points.length,
      );
      return;
    }
    const kept = keptText(unit, 40) || "1";
    /** What is worked out of the metric, by what is added to its name; that tells its form and unit too. */
    const streams = new Map<string, Stream>();
    for (const point of data.points) {
      const wrong = this.wrongTime(point.atMs);
      const instance = wrong === undefined ? this.instanceOf(point.attributes) : undefined;
      if (wrong !== undefined || instance === undefined) {
        rejected.add(
          wrong ?? `A point has more than ${LIMITS.pointAttributes} attributes; at most that many are kept.`,
        );
        continue;
      }
      const put = (suffix: string, instrument: Instrument, value: number, own = kept) => {
        let stream = streams.get(suffix);
        if (!stream) streams.set(suffix, (stream = this.series.stream(resource, name + suffix, own, instrument)));
        return instrument === "total"
          ? this.total(stream, instance, point.startMs, point.atMs, value)
          : this.sample(stream, instance, point.atMs, value);
      };
      if (point.exemplars)
        this.exemplars.push(
          ...exemplarsOf(resource, name, instance, point.exemplars, (atMs) => this.wrongTime(atMs) !== undefined),
        );
      let problem: string | undefined;
      switch (data.kind) {
        case "gauge":
          problem = put("", "gauge", (point as { value: number }).value);
          break;
        case "sum":
          problem = put(
            "",
            !data.monotonic ? "gauge" : data.temporality === 1 ? "delta" : "total",
            (point as { value: number }).value,
          );
          break;
        case "summary": {
          const own = point as { count: number; sum: number; quantiles: { quantile: number; value: number }[] };
          problem = put(".count", "total", own.count, "1") ?? put(".sum", "total", own.sum);
          for (const { quantile, value } of own.quantiles.slice(0, 12))
            problem ??= put(`.p${Number((quantile * 100).toFixed(3))}`, "gauge", value);
          break;
        }
        default:
          problem = this.histogram(
            resource,
            name,
            instance,
            data.temporality === 1 ? "delta" : "total",
            point as HistogramPoint | ExponentialPoint,
            put,
          );
      }
      if (problem) rejected.add(problem);
    }
  }

  /** Count, sum and extremes of a histogram, and quantiles of what it counted since the point before. */
  private histogram(
    resource: number,
    name: string,
    instance: string,
    instrument: "delta" | "total",
    point: HistogramPoint | ExponentialPoint,
    put: (suffix: string, instrument: Instrument, value: number, unit?: string) => string | undefined,
  ): string | undefined {
    const now = countedOf(point);
    const wrong = wrongBuckets(point, now);
    if (wrong !== undefined) return wrong;
    let problem = put(".count", instrument, point.count, "1");
    // State is kept of what is taken only.
    if (problem !== undefined) return problem;
    if (point.sum !== null) problem = put(".sum", instrument, point.sum);
    let counted: Counted | undefined = now;
    if (instrument === "total") {
      const key = this.series.of(this.series.stream(resource, `${name}.count`, "1", instrument), instance);
      if (typeof key === "string") return key;
      counted = sinceBefore(this.buckets.get(key), now);
      this.buckets.set(key, now);
    }
    if (counted)
      for (const { suffix, value } of quantilesOf(point, counted, instrument === "delta"))
        problem ??= put(suffix, "gauge", value);
    return problem;
  }

  logRecords(resources: readonly OfResource<LogRecord>[], extra: ResourceAttributes, rejected: Rejected): void {
    for (const { resource: said, items } of resources) {
      const resource = this.resource(said, extra);
      for (const record of items) {
        const atMs = record.atMs || record.observedMs || this.now();
        const wrong = this.wrongTime(atMs);
        if (wrong) rejected.add(wrong);
        else this.log(resource, { ...record, atMs });
      }
    }
  }

  spanRecords(resources: readonly OfResource<SpanRecord>[], rejected: Rejected): void {
    for (const { resource: said, items } of resources) {
      const resource = this.resource(said);
      let names = this.operations.get(resource);
      if (!names) this.operations.set(resource, (names = new Set()));
      for (const span of items) {
        const wrong = wrongIds(span) ?? this.wrongTime(span.startMs) ?? this.wrongTime(span.endMs);
        if (wrong) {
          rejected.add(wrong);
          continue;
        }
        let name = keptText(span.name, LIMITS.spanName) || "(no name)";
        if (!names.has(name) && names.size >= LIMITS.operationsOfResource) name = "further operations";
        names.add(name);
        this.spans.push(spanOf(resource, span, name));
      }
    }
  }

  log(resource: number, record: Parameters<typeof logOf>[1]): void {
    this.logs.push(logOf(resource, record));
  }
}
