import { keptText } from "#core/telemetry/text";
import { bounded, isId, textOf } from "./attributes";
import type { ArrivedExemplar, ArrivedLog, ArrivedSpan } from "./batch";
import { LIMITS } from "./limits";
import type { AnyValue, Attribute, Exemplar, SpanRecord } from "./otlp-types";

/** A log record as it is kept: bounded, and with what was left out said. */
export function logOf(
  resource: number,
  record: {
    atMs: number;
    severity: number;
    body: AnyValue;
    attributes: readonly Attribute[];
    traceId: string;
    spanId: string;
  },
): ArrivedLog {
  const body = textOf(record.body);
  const attributes = bounded(record.attributes);
  if (body.length > LIMITS.body) attributes["characters left out"] = body.length - LIMITS.body;
  let text: string | null = Object.keys(attributes).length ? JSON.stringify(attributes) : null;
  if (text && text.length > LIMITS.logAttributesText)
    text = JSON.stringify({ "attributes left out": record.attributes.length, because: "they are too long together" });
  return {
    resource,
    atMs: Math.round(record.atMs),
    severity: Number.isInteger(record.severity) && record.severity >= 0 && record.severity <= 24 ? record.severity : 0,
    body: keptText(body, LIMITS.body),
    attributes: text,
    traceId: /^[0-9a-f]{32}$/.test(record.traceId) ? record.traceId : null,
    spanId: /^[0-9a-f]{16}$/.test(record.spanId) ? record.spanId : null,
  };
}

/** Why a span cannot be told from others, or undefined. */
export const wrongIds = (span: SpanRecord): string | undefined =>
  !isId(span.traceId, 32) || !isId(span.spanId, 16) || (span.parentId !== "" && !isId(span.parentId, 16))
    ? "A span's identifiers are not those of W3C Trace Context."
    : undefined;

/** Attributes, events and links of a span as JSON; null where there are none. */
function detailOf(span: SpanRecord): string | null {
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
  const text = Object.keys(detail).length ? JSON.stringify(detail) : null;
  return text && text.length > LIMITS.logAttributesText
    ? JSON.stringify({
        attributes: { "attributes left out": span.attributes.length, because: "they are too long together" },
      })
    : text;
}

/** A span as it is kept. @param name of its operation, bounded */
export const spanOf = (resource: number, span: SpanRecord, name: string): ArrivedSpan => ({
  resource,
  traceId: span.traceId,
  spanId: span.spanId,
  parentId: span.parentId,
  name,
  kind: Number.isInteger(span.kind) && span.kind >= 0 && span.kind <= 5 ? span.kind : 0,
  startMs: span.startMs,
  endMs: Math.max(span.startMs, span.endMs),
  status: span.status === 2 ? 2 : span.status === 1 ? 1 : 0,
  detail: detailOf(span),
});

/** The highest of a point's exemplars that have a trace to look at. */
export const exemplarsOf = (
  resource: number,
  metric: string,
  instance: string,
  exemplars: readonly Exemplar[],
  isTimeWrong: (atMs: number) => boolean,
): ArrivedExemplar[] =>
  exemplars
    .filter((one) => isId(one.traceId, 32) && Number.isFinite(one.value) && !isTimeWrong(one.atMs))
    .sort((a, b) => b.value - a.value)
    .slice(0, LIMITS.exemplars)
    .map((one) => ({
      resource,
      metric,
      instance,
      atMs: Math.round(one.atMs),
      value: one.value,
      traceId: one.traceId,
      spanId: isId(one.spanId, 16) ? one.spanId : "",
    }));
