import type { ResourceAttributes } from "#core/estate/naming";
import { exponentialError, quantileOfBuckets, quantileOfExponential } from "#core/telemetry/histogram";
import { MINUTE_MS } from "#core/time/windows";
import type { Instrument } from "#core/catalogue/metrics";
import { keptText } from "#core/telemetry/text";
import { LIMITS } from "./limits";
import type {
  AnyValue,
  Attribute,
  Exemplar,
  ExponentialPoint,
  HistogramPoint,
  LogRecord,
  Metric,
  OfResource,
  SpanRecord,
} from "./otlp-types";
import { SeriesHandles, type Stream } from "./series-handles";
import { Staged } from "./staged";
import { ClientBounds } from "./client-bounds";

/** A sender met for the first time on this thread; from then on it goes by its handle. */
export interface ResourceDef {
  handle: number;
  attributes: ResourceAttributes;
}

export interface SeriesDef {
  handle: number;
  resource: number;
  metric: string;
  instance: string;
  unit: string;
  instrument: Instrument;
}

export interface ArrivedLog {
  resource: number;
  atMs: number;
  severity: number;
  body: string;
  attributes: string | null;
  traceId: string | null;
  spanId: string | null;
}

export interface ArrivedSpan {
  resource: number;
  traceId: string;
  spanId: string;
  parentId: string;
  name: string;
  kind: number;
  startMs: number;
  endMs: number;
  status: number;
  detail: string | null;
}

/** One measurement that has its trace. */
export interface ArrivedExemplar {
  resource: number;
  /** Name of the metric without what was worked out of it. */
  metric: string;
  instance: string;
  atMs: number;
  value: number;
  traceId: string;
  spanId: string;
}

/** A change or deployment somebody told of. */
export interface ArrivedEvent {
  source: string;
  id: string;
  kind: "change" | "deployment";
  /** Epoch milliseconds; the present where the event does not say. */
  atMs: number | undefined;
  attributes: ResourceAttributes;
  summary: string;
  ticket: string | null;
  by: string;
  detail: string;
}

/** What is handed to the engine at once; it answers when all of it is safe. */
export interface Batch {
  resources: ResourceDef[];
  series: SeriesDef[];
  /** Positive for what receivers hand over. */
  handles: Int32Array;
  /** Epoch milliseconds. */
  times: Float64Array;
  values: Float64Array;
  logs: ArrivedLog[];
  spans: ArrivedSpan[];
  events: ArrivedEvent[];
  exemplars: ArrivedExemplar[];
  /** Senders whose running totals began anew, and when. */
  restarts?: { resource: number; atMs: number }[];
}

/** What was not kept of a request, with the reasons, most frequent first. */
export class Rejected {
  private readonly reasons = new Map<string, number>();
  count = 0;

  add(reason: string, count = 1): void {
    this.count += count;
    if (this.reasons.size < 20 || this.reasons.has(reason))
      this.reasons.set(reason, (this.reasons.get(reason) ?? 0) + count);
  }

  get text(): string {
    return [...this.reasons]
      .sort((a, b) => b[1] - a[1])
      .slice(0, 3)
      .map(([reason, count]) => `${count}: ${reason}`)
      .join(" ");
  }
}

const isId = (text: string, digits: number) => text.length === digits && /^[0-9a-f]+$/.test(text) && !/^0+$/.test(text);
const textOf = (value: AnyValue): string =>
  typeof value === "string"
    ? value
    : value === null
      ? ""
      : typeof value === "object"
        ? JSON.stringify(value)
        : String(value);

interface Counted {
  startMs: number;
  atMs: number;
  counts: number[];
  bounds: number[];
  zero: number;
  negative: number[];
  scale: number;
  offset: number;
  negativeOffset: number;
}

const QUANTILES = [0.5, 0.95, 0.99] as const;
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
      if (point.exemplars) this.takeExemplars(resource, name, instance, point.exemplars);
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

  /** Keeps the highest of a point's exemplars that have a trace to look at. */
  private takeExemplars(resource: number, metric: string, instance: string, exemplars: readonly Exemplar[]): void {
    const traced = exemplars.filter(
      (one) => isId(one.traceId, 32) && Number.isFinite(one.value) && this.wrongTime(one.atMs) === undefined,
    );
    for (const one of traced.sort((a, b) => b.value - a.value).slice(0, LIMITS.exemplars))
      this.exemplars.push({
        resource,
        metric,
        instance,
        atMs: Math.round(one.atMs),
        value: one.value,
        traceId: one.traceId,
        spanId: isId(one.spanId, 16) ? one.spanId : "",
      });
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
    const now: Counted =
      "scale" in point
        ? {
            startMs: point.startMs,
            atMs: point.atMs,
            counts: point.positive.counts,
            bounds: [],
            zero: point.zeroCount,
            negative: point.negative.counts,
            scale: point.scale,
            offset: point.positive.offset,
            negativeOffset: point.negative.offset,
          }
        : {
            startMs: point.startMs,
            atMs: point.atMs,
            counts: point.counts,
            bounds: point.bounds,
            zero: 0,
            negative: [],
            scale: 0,
            offset: 0,
            negativeOffset: 0,
          };
    if (now.counts.length > 2000 || now.negative.length > 2000) return "A histogram has more than 2,000 buckets.";
    if (!("scale" in point) && now.counts.length && now.counts.length !== now.bounds.length + 1)
      return "A histogram must have one more count than bounds.";
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
    if (!counted || counted.counts.every((count) => count === 0)) return problem;
    for (const quantile of QUANTILES) {
      const value =
        "scale" in point
          ? quantileOfExponential(
              counted.scale,
              counted.zero,
              { offset: counted.offset, counts: counted.counts },
              { offset: counted.negativeOffset, counts: counted.negative },
              quantile,
            )
          : quantileOfBuckets(
              counted.bounds,
              counted.counts,
              quantile,
              instrument === "delta" ? point.min : null,
              instrument === "delta" ? point.max : null,
            );
      // What lies below the stated error is not in the data.
      if (!Number.isNaN(value))
        problem ??= put(
          `.p${quantile * 100}`,
          "gauge",
          Number(value.toPrecision("scale" in point && exponentialError(point.scale) > 0.001 ? 4 : 6)),
        );
    }
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
        const wrong =
          !isId(span.traceId, 32) || !isId(span.spanId, 16) || (span.parentId !== "" && !isId(span.parentId, 16))
            ? "A span's identifiers are not those of W3C Trace Context."
            : (this.wrongTime(span.startMs) ?? this.wrongTime(span.endMs));
        if (wrong) {
          rejected.add(wrong);
          continue;
        }
        let name = keptText(span.name, LIMITS.spanName) || "(no name)";
        if (!names.has(name) && names.size >= LIMITS.operationsOfResource) name = "further operations";
        names.add(name);
        const detail: Record<string, unknown> = {};
        if (span.attributes.length) detail.attributes = bounded(span.attributes);
        if (span.events.length)
          detail.events = span.events.slice(0, LIMITS.spanEvents).map((event) => ({
            atMs: event.atMs,
            name: keptText(event.name, LIMITS.spanName),
            attributes: bounded(event.attributes),
          }));
        const links = span.links.filter((link) => isId(link.traceId, 32) && isId(link.spanId, 16));
        if (links.length)
          detail.links = links.slice(0, LIMITS.spanLinks).map((link) => ({
            traceId: link.traceId,
            spanId: link.spanId,
            ...(link.attributes.length ? { attributes: bounded(link.attributes) } : {}),
          }));
        if (span.traceState) detail.traceState = keptText(span.traceState, LIMITS.traceState);
        if (span.statusMessage) detail.message = keptText(span.statusMessage, 1000);
        let text: string | null = Object.keys(detail).length ? JSON.stringify(detail) : null;
        if (text && text.length > LIMITS.logAttributesText)
          text = JSON.stringify({
            attributes: { "attributes left out": span.attributes.length, because: "they are too long together" },
          });
        this.spans.push({
          resource,
          traceId: span.traceId,
          spanId: span.spanId,
          parentId: span.parentId,
          name,
          kind: Number.isInteger(span.kind) && span.kind >= 0 && span.kind <= 5 ? span.kind : 0,
          startMs: span.startMs,
          endMs: Math.max(span.startMs, span.endMs),
          status: span.status === 2 ? 2 : span.status === 1 ? 1 : 0,
          detail: text,
        });
      }
    }
  }

  log(
    resource: number,
    record: {
      atMs: number;
      severity: number;
      body: AnyValue;
      attributes: readonly Attribute[];
      traceId: string;
      spanId: string;
    },
  ): void {
    const body = textOf(record.body);
    const attributes = bounded(record.attributes);
    if (body.length > LIMITS.body) attributes["characters left out"] = body.length - LIMITS.body;
    let text: string | null = Object.keys(attributes).length ? JSON.stringify(attributes) : null;
    if (text && text.length > LIMITS.logAttributesText)
      text = JSON.stringify({ "attributes left out": record.attributes.length, because: "they are too long together" });
    this.logs.push({
      resource,
      atMs: Math.round(record.atMs),
      severity:
        Number.isInteger(record.severity) && record.severity >= 0 && record.severity <= 24 ? record.severity : 0,
      body: keptText(body, LIMITS.body),
      attributes: text,
      traceId: /^[0-9a-f]{32}$/.test(record.traceId) ? record.traceId : null,
      spanId: /^[0-9a-f]{16}$/.test(record.spanId) ? record.spanId : null,
    });
  }
}

/** Attributes as an object, no more and no longer than is kept. */
function bounded(list: readonly Attribute[]): Record<string, AnyValue> {
  const attributes: Record<string, AnyValue> = {};
  for (const [key, value] of list.slice(0, LIMITS.logAttributes))
    attributes[keptText(key, LIMITS.attributeKey)] = typeof value === "string" ? keptText(value, 4096) : value;
  if (list.length > LIMITS.logAttributes) attributes["attributes left out"] = list.length - LIMITS.logAttributes;
  return attributes;
}

/**
 * Attributes as what tells series apart: "name=value, name=value", sorted; a lone "instance" as its value; undefined
 * when there are too many.
 */
export function instanceOf(attributes: readonly Attribute[]): string | undefined {
  if (attributes.length === 0) return "";
  if (attributes.length > LIMITS.pointAttributes) return undefined;
  // Our own agent tells disks and interfaces apart by nothing else, as polls do.
  if (attributes.length === 1 && attributes[0]?.[0] === "instance")
    return keptText(textOf(attributes[0][1]), LIMITS.attributeValue);
  const parts = attributes.map(
    ([key, value]) => `${keptText(key, LIMITS.attributeKey)}=${keptText(textOf(value), LIMITS.attributeValue)}`,
  );
  return (parts.length > 1 ? parts.sort() : parts).join(", ");
}

/**
 * What was counted between two cumulative readings; all of it after a restart: the buckets changed, a count fell, or
 * the sender says so.
 */
function sinceBefore(before: Counted | undefined, now: Counted): Counted | undefined {
  if (!before) return undefined;
  if (now.startMs > before.atMs) return now;
  const same =
    before.scale === now.scale &&
    before.offset === now.offset &&
    before.negativeOffset === now.negativeOffset &&
    before.bounds.length === now.bounds.length &&
    before.bounds.every((bound, index) => bound === now.bounds[index]) &&
    before.counts.length <= now.counts.length;
  if (!same) return now;
  const counts = now.counts.map((count, index) => count - (before.counts[index] ?? 0));
  if (counts.some((count) => count < 0)) return now;
  return {
    ...now,
    counts,
    zero: Math.max(0, now.zero - before.zero),
    negative: now.negative.map((count, index) => Math.max(0, count - (before.negative[index] ?? 0))),
  };
}
