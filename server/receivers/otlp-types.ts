/** What OTLP 1.x carries, as far as it is kept, whichever way it was written. Instants are epoch milliseconds. */

export type AnyValue = string | number | boolean | null | AnyValue[] | { [key: string]: AnyValue };
export type Attribute = [key: string, value: AnyValue];

export interface Temporal {
  /** 1 delta, 2 cumulative (AggregationTemporality). */
  temporality: number;
}

/** One measurement of those a point sums up, made while a span was under way. */
export interface Exemplar {
  atMs: number;
  value: number;
  /** Hexadecimal, empty without. */
  traceId: string;
  spanId: string;
}

interface PointFrame {
  /** Points with the same attributes may share the list. */
  attributes: readonly Attribute[];
  /** When counting began; 0 where the sender does not say. */
  startMs: number;
  atMs: number;
  exemplars?: Exemplar[];
}

export interface NumberPoint extends PointFrame {
  value: number;
}

export interface HistogramPoint extends PointFrame {
  count: number;
  sum: number | null;
  min: number | null;
  max: number | null;
  /** Upper bounds, included; one fewer than counts. */
  bounds: number[];
  counts: number[];
}

export interface ExponentialPoint extends Omit<HistogramPoint, "bounds" | "counts"> {
  scale: number;
  zeroCount: number;
  positive: { offset: number; counts: number[] };
  negative: { offset: number; counts: number[] };
}

export interface SummaryPoint extends PointFrame {
  count: number;
  sum: number;
  quantiles: { quantile: number; value: number }[];
}

export type MetricData =
  | { kind: "gauge"; points: NumberPoint[] }
  | ({ kind: "sum"; monotonic: boolean; points: NumberPoint[] } & Temporal)
  | ({ kind: "histogram"; points: HistogramPoint[] } & Temporal)
  | ({ kind: "exponential"; points: ExponentialPoint[] } & Temporal)
  | { kind: "summary"; points: SummaryPoint[] }
  | { kind: "none" };

export interface Metric {
  name: string;
  unit: string;
  data: MetricData;
}

export interface LogRecord {
  atMs: number;
  observedMs: number;
  /** 0 to 24 (SeverityNumber). */
  severity: number;
  severityText: string;
  body: AnyValue;
  attributes: Attribute[];
  /** Hexadecimal, empty without. */
  traceId: string;
  spanId: string;
}

export interface SpanRecord {
  traceId: string;
  spanId: string;
  parentId: string;
  name: string;
  /** 0 to 5 (SpanKind). */
  kind: number;
  startMs: number;
  endMs: number;
  attributes: Attribute[];
  events: { atMs: number; name: string; attributes: Attribute[] }[];
  /** Spans of this or other traces that it has to do with besides its parent. */
  links: { traceId: string; spanId: string; attributes: Attribute[] }[];
  /** What vendors hand along (W3C Trace Context, tracestate). */
  traceState: string;
  /** 0 unset, 1 fine, 2 failed (StatusCode). */
  status: number;
  statusMessage: string;
}

export interface OfResource<Item> {
  resource: Attribute[];
  items: Item[];
}

/** The sender wrote something that is not what the specification says; the message is a sentence for them. */
export class BadSignal extends Error {
  override name = "BadSignal";
}

/** Attributes nested deeper than this are refused, so that no sender can use up the stack. */
export const DEEPEST = 16;
