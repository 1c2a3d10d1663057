import type { Db } from "../store/database";
import { logLevel } from "#core/telemetry/log-levels";
import { searchLogs } from "../store/logs";
import { namedResources, resourcesOfAll } from "../store/resources";
import { mostCalled, operationFigures, type CallFigures } from "../store/call-figures";
import {
  allOperations,
  answeredOperations,
  operationById,
  operationsByIds,
  operationsOf,
  spanCount,
  spansOfOperation,
  spansOfTrace,
  type SpanRow,
} from "../store/spans";

/** OpenTelemetry span kinds in words. */
const KINDS = ["not given", "inside", "answered", "called", "sent", "received"] as const;
const MOST_OPERATIONS = 50;
const MOST_TRACES = 100;
/** Bars of the histogram for each tenfold of time. */
const BARS_A_DECADE = 12;

const hex = (bytes: Uint8Array) => Buffer.from(bytes).toString("hex");
const ms = (us: number) => us / 1000;

function nameOfStranger(attributes: string, withHost = true): string {
  const said = JSON.parse(attributes) as Record<string, string>;
  return (
    [said["service.name"], withHost || !said["service.name"] ? said["host.name"] : undefined]
      .filter(Boolean)
      .join(" @ ") || "unnamed sender"
  );
}

function senderNames(db: Db, ids?: Iterable<number>) {
  return new Map(
    namedResources(db, ids).map(
      ({ id, attributes, component_id, component, label }) =>
        [
          id,
          {
            name: component ?? nameOfStranger(attributes),
            /** What it is without where it runs. */
            label: label ?? nameOfStranger(attributes, false),
            componentId: component_id,
          },
        ] as const,
    ),
  );
}

const figuresOf = (figures: CallFigures) => ({
  calls: figures.calls,
  failed: figures.failed,
  p50: ms(figures.sketch.quantile(0.5)),
  p95: ms(figures.sketch.quantile(0.95)),
  p99: ms(figures.sketch.quantile(0.99)),
});

/** Served or consumed, as against called or sent. */
export const isAnswer = (kind: number) => kind === 2 || kind === 5;

export interface TracesQuestion {
  fromMs: number;
  toMs: number;
  text: string;
  /** Only what was answered, not what was called. */
  answered: boolean;
  operation: number | null;
  /** Milliseconds. */
  least: number | null;
  most: number | null;
  failedOnly: boolean;
}

export function tracesPage(db: Db, question: TracesQuestion) {
  const { fromMs, toMs } = question;
  const words = question.text.toLowerCase().split(/\s+/).filter(Boolean);
  const known = question.answered ? answeredOperations(db) : allOperations(db);
  const everyName = words.length ? senderNames(db) : undefined;
  const fits = (one: (typeof known)[number]) =>
    words.every((word) => `${one.name} ${everyName?.get(one.resource_id)?.name ?? ""}`.toLowerCase().includes(word));
  const byId = new Map(known.map((one) => [one.id, one]));
  const counts = mostCalled(
    db,
    known.filter(fits).map((one) => one.id),
    fromMs,
    toMs,
  );
  const listed = counts.slice(0, MOST_OPERATIONS).map((one) => one.id);
  const shown = new Set(question.operation === null ? listed : [...listed, question.operation]);
  const asked = question.operation === null ? undefined : operationById(db, question.operation);
  if (asked) byId.set(asked.id, asked);
  const figures = operationFigures(db, shown, fromMs, toMs);
  const names =
    everyName ??
    senderNames(
      db,
      [...shown].flatMap((id) => byId.get(id)?.resource_id ?? []),
    );
  const rowOf = (id: number) => {
    const one = byId.get(id);
    const own = figures.get(id);
    const sender = one && names.get(one.resource_id);
    return one && own
      ? {
          id,
          name: one.name,
          kind: KINDS[one.kind] ?? "not given",
          sender: sender?.name ?? "",
          componentId: sender?.componentId ?? null,
          ...figuresOf(own),
        }
      : undefined;
  };
  const chosen = question.operation === null ? undefined : rowOf(question.operation);
  const own = chosen && figures.get(chosen.id);
  const spans = chosen
    ? spansOfOperation(
        db,
        chosen.id,
        fromMs,
        toMs,
        (question.least ?? 0) * 1000,
        (question.most ?? 1e12) * 1000,
        question.failedOnly,
        MOST_TRACES,
      )
    : [];
  return {
    operations: listed.flatMap((id) => rowOf(id) ?? []),
    operationCount: counts.length,
    calls: counts.reduce((sum, one) => sum + one.calls, 0),
    failed: counts.reduce((sum, one) => sum + one.failed, 0),
    kept: spanCount(db),
    chosen: chosen ?? null,
    bars: own ? barsOf(own) : [],
    traces: spans.map((span) => ({
      traceId: hex(span.trace_id),
      startMs: ms(span.start_us),
      durationMs: ms(span.duration_us),
      failed: span.status === 2,
      message: detailOf(span).message,
    })),
    mostTraces: MOST_TRACES,
  };
}

/** What some components, by id with their names, answered in a window: the most called few, the most called first. */
export function answeredBy(
  db: Db,
  components: ReadonlyMap<number, string>,
  fromMs: number,
  toMs: number,
  most: number,
  takes: (componentId: number, operation: string) => boolean = () => true,
) {
  const componentOf = resourcesOfAll(db, components.keys());
  const own = new Map(
    operationsOf(db, componentOf.keys()).flatMap((one) =>
      isAnswer(one.kind) && takes(componentOf.get(one.resource_id) as number, one.name) ? [[one.id, one] as const] : [],
    ),
  );
  const listed = mostCalled(db, own.keys(), fromMs, toMs)
    .slice(0, most)
    .map((one) => one.id);
  const figures = operationFigures(db, listed, fromMs, toMs);
  return listed.flatMap((id) => {
    const one = own.get(id);
    const measured = figures.get(id);
    if (!one || !measured) return [];
    const componentId = componentOf.get(one.resource_id) as number;
    return [{ id, name: one.name, sender: components.get(componentId) ?? "", componentId, ...figuresOf(measured) }];
  });
}

/** The latency histogram, in bars of equal width on a logarithmic axis. */
function barsOf(figures: CallFigures): { fromMs: number; toMs: number; count: number }[] {
  const bars = new Map<number, number>();
  for (const [, to, count] of figures.sketch.ranges()) {
    const place = Math.floor(Math.log10(Math.max(1, to)) * BARS_A_DECADE);
    bars.set(place, (bars.get(place) ?? 0) + count);
  }
  const places = [...bars.keys()];
  const list: { fromMs: number; toMs: number; count: number }[] = [];
  for (let place = Math.min(...places); place <= Math.max(...places); place++)
    list.push({
      fromMs: 10 ** (place / BARS_A_DECADE) / 1000,
      toMs: 10 ** ((place + 1) / BARS_A_DECADE) / 1000,
      count: bars.get(place) ?? 0,
    });
  return list;
}

function detailOf(span: SpanRow): {
  attributes: Record<string, unknown>;
  events: { atMs: number; name: string; attributes: Record<string, unknown> }[];
  links: { traceId: string; spanId: string; attributes?: Record<string, unknown> }[];
  traceState: string;
  message: string;
} {
  const detail = span.detail ? (JSON.parse(span.detail) as Partial<ReturnType<typeof detailOf>>) : {};
  return {
    attributes: detail.attributes ?? {},
    events: detail.events ?? [],
    links: detail.links ?? [],
    traceState: detail.traceState ?? "",
    message: detail.message ?? "",
  };
}

export interface DrawnSpan {
  id: string;
  parentId: string | null;
  depth: number;
  name: string;
  kind: string;
  sender: string;
  /** The sender without the host it runs on. */
  senderLabel: string;
  componentId: number | null;
  startMs: number;
  durationMs: number;
  /** Time not spent in spans below it. */
  ownMs: number;
  failed: boolean;
  message: string;
  attributes: { name: string; value: string }[];
  events: { atMs: number; name: string; text: string }[];
  /** Other traces that it has to do with. */
  links: { traceId: string; text: string }[];
  traceState: string;
  /** Where it stands in the trace, in names from the top: what two traces are compared by. */
  path: string;
}

const shown = (value: unknown) => (typeof value === "string" ? value : JSON.stringify(value));

/** The spans of a trace as a tree, written from the top down; spans whose parent is missing stand at the top. */
function treeOf(db: Db, rows: readonly SpanRow[]): DrawnSpan[] {
  const operations = new Map(
    operationsByIds(
      db,
      rows.map((row) => row.operation_id),
    ).map((operation) => [operation.id, operation]),
  );
  const names = senderNames(
    db,
    [...operations.values()].map((operation) => operation.resource_id),
  );
  const ids = new Set(rows.map((row) => hex(row.span_id)));
  const below = new Map<string, SpanRow[]>();
  for (const row of rows) {
    const parent = row.parent_id && ids.has(hex(row.parent_id)) ? hex(row.parent_id) : "";
    below.set(parent, [...(below.get(parent) ?? []), row]);
  }
  const result: DrawnSpan[] = [];
  const visited = new Set<string>();
  const visit = (parent: string, depth: number, path: string) => {
    const seen = new Map<string, number>();
    for (const row of below.get(parent) ?? []) {
      const id = hex(row.span_id);
      if (visited.has(id)) continue;
      visited.add(id);
      const operation = operations.get(row.operation_id);
      const sender = names.get(operation?.resource_id ?? 0);
      const detail = detailOf(row);
      const step = `${sender?.label ?? ""}: ${operation?.name ?? "?"} (${KINDS[operation?.kind ?? 0]})`;
      const times = (seen.get(step) ?? 0) + 1;
      seen.set(step, times);
      const own = `${path}\n${step}${times > 1 ? ` #${times}` : ""}`;
      result.push({
        id,
        parentId: parent || null,
        depth,
        name: operation?.name ?? "?",
        kind: KINDS[operation?.kind ?? 0] ?? "not given",
        sender: sender?.name ?? "unnamed sender",
        senderLabel: sender?.label ?? "unnamed sender",
        componentId: sender?.componentId ?? null,
        startMs: ms(row.start_us),
        durationMs: ms(row.duration_us),
        ownMs: Math.max(0, ms(row.duration_us - covered(row, below.get(id) ?? []))),
        failed: row.status === 2,
        message: detail.message,
        attributes: Object.entries(detail.attributes).map(([name, value]) => ({ name, value: shown(value) })),
        events: detail.events.map((event) => ({
          atMs: event.atMs,
          name: event.name,
          text: Object.entries(event.attributes)
            .map(([name, value]) => `${name} ${shown(value)}`)
            .join(", "),
        })),
        links: detail.links.map((link) => ({
          traceId: link.traceId,
          text: Object.entries(link.attributes ?? {})
            .map(([name, value]) => `${name} ${shown(value)}`)
            .join(", "),
        })),
        traceState: detail.traceState,
        path: own,
      });
      visit(id, depth + 1, own);
    }
  };
  visit("", 0, "");
  return result;
}

/** Microseconds of a span during which something below it was under way. */
function covered(row: SpanRow, children: readonly SpanRow[]): number {
  const end = row.start_us + row.duration_us;
  let sum = 0;
  let reached = row.start_us;
  for (const child of [...children].sort((a, b) => a.start_us - b.start_us)) {
    const from = Math.max(reached, child.start_us);
    const to = Math.min(end, child.start_us + child.duration_us);
    if (to > from) {
      sum += to - from;
      reached = to;
    }
  }
  return sum;
}

export function tracePage(db: Db, { traceId, other }: { traceId: string; other: string }) {
  const rows = spansOfTrace(db, traceId);
  if (!rows.length) return null;
  const spans = treeOf(db, rows);
  const startMs = Math.min(...spans.map((span) => span.startMs));
  const endMs = Math.max(...spans.map((span) => span.startMs + span.durationMs));
  const otherRows = other ? spansOfTrace(db, other) : [];
  const logs = searchLogs(
    db,
    { fromMs: 0, toMs: 1e15, words: [], without: [], leastSeverity: 0, traceId },
    null,
    100,
  ).rows;
  return {
    traceId,
    startMs,
    durationMs: endMs - startMs,
    spans,
    logs: logs.map((row) => ({ id: row.id, atMs: row.at, level: logLevel(row.severity), body: row.body })),
    other: otherRows.length ? { traceId: other, spans: treeOf(db, otherRows) } : null,
    otherMissing: other !== "" && otherRows.length === 0,
  };
}
