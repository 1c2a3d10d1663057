import {
  BadSignal,
  DEEPEST,
  type AnyValue,
  type Attribute,
  type LogRecord,
  type Metric,
  type MetricData,
  type OfResource,
  type SpanRecord,
} from "./otlp-types";

/**
 * OTLP 1.x requests in JSON: names in lower camel case, 64-bit numbers as text or numbers, identifiers in hexadecimal,
 * enums as numbers (OTLP specification, "JSON Protobuf Encoding"). Throws BadSignal with what is wrong where.
 */

type Json = unknown;
type Fields = Record<string, Json>;

function fields(value: Json, where: string): Fields {
  if (typeof value !== "object" || value === null || Array.isArray(value))
    throw new BadSignal(`${where} is not an object.`);
  return value as Fields;
}

function list(value: Json, where: string): Json[] {
  if (value === undefined || value === null) return [];
  if (!Array.isArray(value)) throw new BadSignal(`${where} is not a list.`);
  return value;
}

function text(value: Json, where: string): string {
  if (value === undefined || value === null) return "";
  if (typeof value !== "string") throw new BadSignal(`${where} is not text.`);
  return value;
}

function number(value: Json, where: string): number {
  if (value === undefined || value === null) return 0;
  if (typeof value === "number") return value;
  if (value === "NaN" || value === "Infinity" || value === "-Infinity") return Number(value);
  if (typeof value === "string" && /^-?\d+(\.\d+)?([eE][+-]?\d+)?$/.test(value)) return Number(value);
  throw new BadSignal(`${where} is not a number.`);
}

const optional = (value: Json, where: string): number | null =>
  value === undefined || value === null ? null : number(value, where);
const millis = (value: Json, where: string): number => number(value, where) / 1e6;

function id(value: Json, where: string): string {
  const given = text(value, where);
  if (!/^([0-9a-fA-F]{2})*$/.test(given)) throw new BadSignal(`${where} is not hexadecimal.`);
  return given.toLowerCase();
}

function anyValue(value: Json, where: string, depth = 0): AnyValue {
  if (value === undefined || value === null) return null;
  if (depth > DEEPEST) throw new BadSignal(`${where} is nested deeper than ${DEEPEST} levels.`);
  const own = fields(value, where);
  if (own.stringValue !== undefined) return text(own.stringValue, where);
  if (own.boolValue !== undefined) return Boolean(own.boolValue);
  if (own.intValue !== undefined) return number(own.intValue, where);
  if (own.doubleValue !== undefined) return number(own.doubleValue, where);
  if (own.bytesValue !== undefined) return text(own.bytesValue, where);
  if (own.arrayValue !== undefined)
    return list(fields(own.arrayValue, where).values, where).map((one) => anyValue(one, where, depth + 1));
  if (own.kvlistValue !== undefined)
    return Object.fromEntries(
      list(fields(own.kvlistValue, where).values, where).map((one) => attribute(one, where, depth + 1)),
    );
  return null;
}

function attribute(value: Json, where: string, depth = 0): Attribute {
  const own = fields(value, where);
  return [text(own.key, `${where}: a key`), anyValue(own.value, where, depth)];
}

const attributes = (value: Json, where: string): Attribute[] => list(value, where).map((one) => attribute(one, where));

/** Reads the data points of a metric, and what they have in common. */
function pointReader(where: string) {
  const points = <Point>(data: Fields, read: (point: Fields) => Point): Point[] =>
    list(data.dataPoints, `${where}: dataPoints`).map((one) => read(fields(one, `${where}: a data point`)));
  const exemplar = (given: Json) => {
    const one = fields(given, `${where}: an exemplar`);
    return {
      atMs: millis(one.timeUnixNano, `${where}: an exemplar's time`),
      value: number(one.asDouble ?? one.asInt, `${where}: an exemplar's value`),
      traceId: id(one.traceId, `${where}: traceId`),
      spanId: id(one.spanId, `${where}: spanId`),
    };
  };
  const common = (point: Fields) => ({
    attributes: attributes(point.attributes, `${where}: attributes`),
    startMs: millis(point.startTimeUnixNano, `${where}: startTimeUnixNano`),
    atMs: millis(point.timeUnixNano, `${where}: timeUnixNano`),
    ...(point.exemplars === undefined ? {} : { exemplars: list(point.exemplars, `${where}: exemplars`).map(exemplar) }),
  });
  const numberPoint = (point: Fields) => ({
    ...common(point),
    value:
      point.asDouble === undefined && point.asInt === undefined
        ? Number.NaN
        : number(point.asDouble ?? point.asInt, `${where}: its value`),
  });
  const counted = (point: Fields) => ({
    ...common(point),
    count: number(point.count, `${where}: count`),
    sum: optional(point.sum, `${where}: sum`),
    min: optional(point.min, `${where}: min`),
    max: optional(point.max, `${where}: max`),
  });
  const numbersOf = (value: Json, name: string) =>
    list(value, `${where}: ${name}`).map((one) => number(one, `${where}: ${name}`));
  const bucketsOf = (value: Json) => {
    const given = value === undefined ? {} : fields(value, `${where}: buckets`);
    return { offset: number(given.offset, `${where}: offset`), counts: numbersOf(given.bucketCounts, "bucketCounts") };
  };
  return { points, common, numberPoint, counted, numbersOf, bucketsOf };
}

function metricData(own: Fields, where: string): MetricData {
  const { points, common, numberPoint, counted, numbersOf, bucketsOf } = pointReader(where);
  const temporality = (data: Fields) => number(data.aggregationTemporality, `${where}: aggregationTemporality`);
  if (own.gauge !== undefined) return { kind: "gauge", points: points(fields(own.gauge, where), numberPoint) };
  if (own.sum !== undefined) {
    const data = fields(own.sum, where);
    return {
      kind: "sum",
      temporality: temporality(data),
      monotonic: data.isMonotonic === true,
      points: points(data, numberPoint),
    };
  }
  if (own.histogram !== undefined) {
    const data = fields(own.histogram, where);
    return {
      kind: "histogram",
      temporality: temporality(data),
      points: points(data, (point) => ({
        ...counted(point),
        bounds: numbersOf(point.explicitBounds, "explicitBounds"),
        counts: numbersOf(point.bucketCounts, "bucketCounts"),
      })),
    };
  }
  if (own.exponentialHistogram !== undefined) {
    const data = fields(own.exponentialHistogram, where);
    return {
      kind: "exponential",
      temporality: temporality(data),
      points: points(data, (point) => ({
        ...counted(point),
        scale: number(point.scale, `${where}: scale`),
        zeroCount: number(point.zeroCount, `${where}: zeroCount`),
        positive: bucketsOf(point.positive),
        negative: bucketsOf(point.negative),
      })),
    };
  }
  if (own.summary !== undefined)
    return {
      kind: "summary",
      points: points(fields(own.summary, where), (point) => ({
        ...common(point),
        count: number(point.count, `${where}: count`),
        sum: number(point.sum, `${where}: sum`),
        quantiles: list(point.quantileValues, where).map((one) => {
          const pair = fields(one, where);
          return { quantile: number(pair.quantile, where), value: number(pair.value, where) };
        }),
      })),
    };
  return { kind: "none" };
}

function metric(value: Json): Metric {
  const own = fields(value, "A metric");
  const name = text(own.name, "A metric's name");
  return {
    name,
    unit: text(own.unit, `The unit of ${name.slice(0, 60)}`),
    data: metricData(own, `The metric ${name.slice(0, 60)}`),
  };
}

function logRecord(value: Json): LogRecord {
  const own = fields(value, "A log record");
  return {
    atMs: millis(own.timeUnixNano, "A log record's timeUnixNano"),
    observedMs: millis(own.observedTimeUnixNano, "A log record's observedTimeUnixNano"),
    severity: number(own.severityNumber, "A log record's severityNumber"),
    severityText: text(own.severityText, "A log record's severityText"),
    body: anyValue(own.body, "A log record's body"),
    attributes: attributes(own.attributes, "A log record's attributes"),
    traceId: id(own.traceId, "A log record's traceId"),
    spanId: id(own.spanId, "A log record's spanId"),
  };
}

function span(value: Json): SpanRecord {
  const own = fields(value, "A span");
  const status = own.status === undefined ? {} : fields(own.status, "A span's status");
  return {
    traceId: id(own.traceId, "A span's traceId"),
    spanId: id(own.spanId, "A span's spanId"),
    parentId: id(own.parentSpanId, "A span's parentSpanId"),
    name: text(own.name, "A span's name"),
    kind: number(own.kind, "A span's kind"),
    startMs: millis(own.startTimeUnixNano, "A span's startTimeUnixNano"),
    endMs: millis(own.endTimeUnixNano, "A span's endTimeUnixNano"),
    attributes: attributes(own.attributes, "A span's attributes"),
    events: list(own.events, "A span's events").map((one) => {
      const event = fields(one, "A span's event");
      return {
        atMs: millis(event.timeUnixNano, "An event's timeUnixNano"),
        name: text(event.name, "An event's name"),
        attributes: attributes(event.attributes, "An event's attributes"),
      };
    }),
    links: list(own.links, "A span's links").map((one) => {
      const link = fields(one, "A span's link");
      return {
        traceId: id(link.traceId, "A link's traceId"),
        spanId: id(link.spanId, "A link's spanId"),
        attributes: attributes(link.attributes, "A link's attributes"),
      };
    }),
    traceState: text(own.traceState, "A span's traceState"),
    status: number(status.code, "A span's status code"),
    statusMessage: text(status.message, "A span's status message"),
  };
}

function request<Item>(
  bytes: Uint8Array,
  resources: string,
  scopes: string,
  items: string,
  read: (value: Json) => Item,
): OfResource<Item>[] {
  let json: Json;
  try {
    json = JSON.parse(Buffer.from(bytes).toString("utf8"));
  } catch (error) {
    throw new BadSignal(
      `The JSON cannot be read: ${error instanceof Error ? error.message.slice(0, 120) : "it is broken"}.`,
    );
  }
  return list(fields(json, "The request")[resources], resources).map((one) => {
    const own = fields(one, `An entry of ${resources}`);
    const resource =
      own.resource === undefined
        ? []
        : attributes(fields(own.resource, "A resource").attributes, "A resource's attributes");
    return {
      resource,
      items: list(own[scopes], scopes).flatMap((scope) =>
        list(fields(scope, `An entry of ${scopes}`)[items], items).map(read),
      ),
    };
  });
}

export const metricsFromJson = (bytes: Uint8Array): OfResource<Metric>[] =>
  request(bytes, "resourceMetrics", "scopeMetrics", "metrics", metric);
export const logsFromJson = (bytes: Uint8Array): OfResource<LogRecord>[] =>
  request(bytes, "resourceLogs", "scopeLogs", "logRecords", logRecord);
export const spansFromJson = (bytes: Uint8Array): OfResource<SpanRecord>[] =>
  request(bytes, "resourceSpans", "scopeSpans", "spans", span);
