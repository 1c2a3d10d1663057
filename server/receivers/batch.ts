import type { Instrument } from "#core/catalogue/metrics";
import type { ResourceAttributes } from "#core/estate/naming";

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
