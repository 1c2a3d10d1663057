import protobuf from "protobufjs/minimal.js";
import { Recent } from "#core/telemetry/recent";
import {
  BadSignal,
  DEEPEST,
  type AnyValue,
  type Attribute,
  type Exemplar,
  type ExponentialPoint,
  type HistogramPoint,
  type LogRecord,
  type Metric,
  type MetricData,
  type NumberPoint,
  type OfResource,
  type SpanRecord,
  type SummaryPoint,
} from "./otlp-types";

/**
 * OTLP 1.x requests in protobuf (opentelemetry-proto v1: collector, metrics, logs, trace, common). Field numbers are
 * those of the published .proto files; fields that are not kept are skipped. Throws BadSignal when the bytes are cut
 * short.
 */

type Reader = protobuf.Reader;
const TWO32 = 4_294_967_296;

/** Reads a message field by field; what the handler does not take is skipped. */
function message(reader: Reader, end: number, field: (number: number, wire: number) => boolean): void {
  while (reader.pos < end) {
    const tag = reader.uint32();
    if (!field(tag >>> 3, tag & 7)) reader.skipType(tag & 7);
  }
  if (reader.pos !== end) throw new BadSignal("A message inside it is longer than it says.");
}

function inner<T>(reader: Reader, read: (reader: Reader, end: number) => T): T {
  const length = reader.uint32();
  const end = reader.pos + length;
  if (end > reader.len) throw new BadSignal("It ends in the middle of a message.");
  return read(reader, end);
}

const fixed64 = (reader: Reader): number => {
  const low = reader.fixed32();
  return reader.fixed32() * TWO32 + low;
};
const sfixed64 = (reader: Reader): number => {
  const low = reader.fixed32();
  return reader.sfixed32() * TWO32 + low;
};
/** The two halves of a varint of up to 64 bits: in doubles, halves are exact where the whole is not. */
function varint64(reader: Reader): { low: number; high: number } {
  let low = 0;
  let high = 0;
  for (let count = 0; count < 10; count++) {
    if (reader.pos >= reader.len) throw new BadSignal("It ends in the middle of a number.");
    const byte = reader.buf[reader.pos++] as number;
    const shift = count * 7;
    if (shift < 28) low |= (byte & 127) << shift;
    else if (shift === 28) {
      low |= (byte & 15) << 28;
      high |= (byte & 127) >> 4;
    } else high |= (byte & 127) << (shift - 32);
    if (byte < 128) return { low: low >>> 0, high };
  }
  throw new BadSignal("A number in it is too long.");
}
const uint64 = (reader: Reader): number => {
  const { low, high } = varint64(reader);
  return (high >>> 0) * TWO32 + low;
};
const int64 = (reader: Reader): number => {
  const { low, high } = varint64(reader);
  return (high | 0) * TWO32 + low;
};
const millis = (reader: Reader): number => fixed64(reader) / 1e6;

/** A repeated number, packed or one by one. */
function numbers(reader: Reader, wire: number, into: number[], read: (reader: Reader) => number): true {
  if (wire !== 2) into.push(read(reader));
  else
    inner(reader, (packed, end) => {
      while (packed.pos < end) into.push(read(packed));
    });
  return true;
}

function anyValue(reader: Reader, end: number, depth: number): AnyValue {
  if (depth > DEEPEST) throw new BadSignal(`Attributes are nested deeper than ${DEEPEST} levels.`);
  let value: AnyValue = null;
  message(reader, end, (field) => {
    switch (field) {
      case 1:
        value = reader.string();
        return true;
      case 2:
        value = reader.bool();
        return true;
      case 3:
        value = int64(reader);
        return true;
      case 4:
        value = reader.double();
        return true;
      case 5: {
        const list: AnyValue[] = [];
        inner(reader, (array, arrayEnd) =>
          message(
            array,
            arrayEnd,
            (number) =>
              number === 1 && (list.push(inner(array, (one, oneEnd) => anyValue(one, oneEnd, depth + 1))), true),
          ),
        );
        value = list;
        return true;
      }
      case 6: {
        const list: Attribute[] = [];
        inner(reader, (map, mapEnd) =>
          message(map, mapEnd, (number) => number === 1 && (list.push(attribute(map, depth + 1)), true)),
        );
        value = Object.fromEntries(list);
        return true;
      }
      case 7:
        value = Buffer.from(reader.bytes()).toString("base64");
        return true;
      default:
        return false;
    }
  });
  return value;
}

function attribute(reader: Reader, depth = 0): Attribute {
  return inner(reader, (pair, end) => {
    const result: Attribute = ["", null];
    message(pair, end, (field) => {
      if (field === 1) result[0] = pair.string();
      else if (field === 2) result[1] = inner(pair, (value, valueEnd) => anyValue(value, valueEnd, depth));
      else return false;
      return true;
    });
    return result;
  });
}

/**
 * Attributes come again with every request of an exporter, byte by byte: those of points are read once. So many bytes
 * of them are known.
 */
const KNOWN_BYTES = 8 * 2 ** 20;
const LONGEST_KNOWN = 2048;
const knownAttributes = new Recent<readonly Attribute[]>(KNOWN_BYTES);
const NO_ATTRIBUTES: readonly Attribute[] = [];

/** Where the attributes of a point lie in its bytes; nearly always one behind the other. */
interface Run {
  from: number;
  to: number;
  /** Set when something else stands between them. */
  scattered: Attribute[] | undefined;
}

const newRun = (): Run => ({ from: -1, to: -1, scattered: undefined });

/** Passes over an attribute whose tag, one byte, was just read. */
function passAttribute(reader: Reader, run: Run): true {
  const tagAt = reader.pos - 1;
  if (run.from < 0) run.from = tagAt;
  else if (run.to !== tagAt || run.scattered) {
    run.scattered ??= readRun(reader, run);
    run.scattered.push(attribute(reader));
    return true;
  }
  const end = reader.uint32() + reader.pos;
  if (end > reader.len) throw new BadSignal("It ends in the middle of a message.");
  reader.pos = run.to = end;
  return true;
}

function readRun(reader: Reader, run: Run): Attribute[] {
  const back = reader.pos;
  const list: Attribute[] = [];
  reader.pos = run.from;
  while (reader.pos < run.to) {
    reader.pos++;
    list.push(attribute(reader));
  }
  reader.pos = back;
  return list;
}

function attributesOf(reader: Reader, run: Run): readonly Attribute[] {
  if (run.from < 0) return NO_ATTRIBUTES;
  if (run.scattered) return run.scattered;
  if (run.to - run.from > LONGEST_KNOWN) return readRun(reader, run);
  const key = Buffer.from(reader.buf.buffer, reader.buf.byteOffset + run.from, run.to - run.from).toString("latin1");
  const known = knownAttributes.get(key);
  if (known) return known;
  const list = readRun(reader, run);
  knownAttributes.set(key, list, key.length);
  return list;
}

function resource(reader: Reader, end: number): Attribute[] {
  const attributes: Attribute[] = [];
  message(reader, end, (field) => field === 1 && (attributes.push(attribute(reader)), true));
  return attributes;
}

function exemplar(reader: Reader, end: number): Exemplar {
  const result: Exemplar = { atMs: 0, value: Number.NaN, traceId: "", spanId: "" };
  message(reader, end, (field) => {
    if (field === 2) result.atMs = millis(reader);
    else if (field === 3) result.value = reader.double();
    else if (field === 4) result.spanId = hex(reader.bytes());
    else if (field === 5) result.traceId = hex(reader.bytes());
    else if (field === 6) result.value = sfixed64(reader);
    else return false;
    return true;
  });
  return result;
}

function numberPoint(reader: Reader, end: number): NumberPoint {
  const point: NumberPoint = { attributes: [], startMs: 0, atMs: 0, value: Number.NaN };
  const run = newRun();
  message(reader, end, (field) => {
    if (field === 3) point.atMs = millis(reader);
    else if (field === 2) point.startMs = millis(reader);
    else if (field === 4) point.value = reader.double();
    else if (field === 5) (point.exemplars ??= []).push(inner(reader, exemplar));
    else if (field === 6) point.value = sfixed64(reader);
    else if (field === 7) passAttribute(reader, run);
    else return false;
    return true;
  });
  point.attributes = attributesOf(reader, run);
  return point;
}

function histogramPoint(reader: Reader, end: number): HistogramPoint {
  const point: HistogramPoint = {
    attributes: [],
    startMs: 0,
    atMs: 0,
    count: 0,
    sum: null,
    min: null,
    max: null,
    bounds: [],
    counts: [],
  };
  const run = newRun();
  message(reader, end, (field, wire) => {
    if (field === 3) point.atMs = millis(reader);
    else if (field === 2) point.startMs = millis(reader);
    else if (field === 4) point.count = fixed64(reader);
    else if (field === 5) point.sum = reader.double();
    else if (field === 8) (point.exemplars ??= []).push(inner(reader, exemplar));
    else if (field === 6) return numbers(reader, wire, point.counts, fixed64);
    else if (field === 7) return numbers(reader, wire, point.bounds, (one) => one.double());
    else if (field === 9) passAttribute(reader, run);
    else if (field === 11) point.min = reader.double();
    else if (field === 12) point.max = reader.double();
    else return false;
    return true;
  });
  point.attributes = attributesOf(reader, run);
  return point;
}

function buckets(reader: Reader, end: number): { offset: number; counts: number[] } {
  const result = { offset: 0, counts: [] as number[] };
  message(reader, end, (field, wire) => {
    if (field === 1) result.offset = reader.sint32();
    else if (field === 2) return numbers(reader, wire, result.counts, uint64);
    else return false;
    return true;
  });
  return result;
}

function exponentialPoint(reader: Reader, end: number): ExponentialPoint {
  const point: ExponentialPoint = {
    attributes: [],
    startMs: 0,
    atMs: 0,
    count: 0,
    sum: null,
    min: null,
    max: null,
    scale: 0,
    zeroCount: 0,
    positive: { offset: 0, counts: [] },
    negative: { offset: 0, counts: [] },
  };
  const run = newRun();
  message(reader, end, (field) => {
    if (field === 1) passAttribute(reader, run);
    else if (field === 2) point.startMs = millis(reader);
    else if (field === 11) (point.exemplars ??= []).push(inner(reader, exemplar));
    else if (field === 3) point.atMs = millis(reader);
    else if (field === 4) point.count = fixed64(reader);
    else if (field === 5) point.sum = reader.double();
    else if (field === 6) point.scale = reader.sint32();
    else if (field === 7) point.zeroCount = fixed64(reader);
    else if (field === 8) point.positive = inner(reader, buckets);
    else if (field === 9) point.negative = inner(reader, buckets);
    else if (field === 12) point.min = reader.double();
    else if (field === 13) point.max = reader.double();
    else return false;
    return true;
  });
  point.attributes = attributesOf(reader, run);
  return point;
}

function summaryPoint(reader: Reader, end: number): SummaryPoint {
  const point: SummaryPoint = { attributes: [], startMs: 0, atMs: 0, count: 0, sum: 0, quantiles: [] };
  const run = newRun();
  message(reader, end, (field) => {
    if (field === 3) point.atMs = millis(reader);
    else if (field === 2) point.startMs = millis(reader);
    else if (field === 4) point.count = fixed64(reader);
    else if (field === 5) point.sum = reader.double();
    else if (field === 6) {
      const one = { quantile: 0, value: 0 };
      inner(reader, (pair, pairEnd) =>
        message(pair, pairEnd, (number) =>
          number === 1 ? ((one.quantile = pair.double()), true) : number === 2 && ((one.value = pair.double()), true),
        ),
      );
      point.quantiles.push(one);
    } else if (field === 7) passAttribute(reader, run);
    else return false;
    return true;
  });
  point.attributes = attributesOf(reader, run);
  return point;
}

/** The data of a metric: its points are field 1, its temporality field 2, whether it only rises field 3. */
function data<Point>(
  reader: Reader,
  read: (reader: Reader, end: number) => Point,
): { points: Point[]; temporality: number; monotonic: boolean } {
  return inner(reader, (own, end) => {
    const result = { points: [] as Point[], temporality: 0, monotonic: false };
    message(own, end, (field) => {
      if (field === 1) result.points.push(inner(own, read));
      else if (field === 2) result.temporality = own.int32();
      else if (field === 3) result.monotonic = own.bool();
      else return false;
      return true;
    });
    return result;
  });
}

function counted<Point>(
  reader: Reader,
  read: (reader: Reader, end: number) => Point,
): { points: Point[]; temporality: number } {
  const { points, temporality } = data(reader, read);
  return { points, temporality };
}

function metric(reader: Reader, end: number): Metric {
  const result: Metric = { name: "", unit: "", data: { kind: "none" } };
  const set = (given: MetricData) => {
    result.data = given;
    return true;
  };
  message(reader, end, (field) => {
    switch (field) {
      case 1:
        result.name = reader.string();
        return true;
      case 3:
        result.unit = reader.string();
        return true;
      case 5:
        return set({ kind: "gauge", points: data(reader, numberPoint).points });
      case 7:
        return set({ kind: "sum", ...data(reader, numberPoint) });
      case 9:
        return set({ kind: "histogram", ...counted(reader, histogramPoint) });
      case 10:
        return set({ kind: "exponential", ...counted(reader, exponentialPoint) });
      case 11:
        return set({ kind: "summary", points: data(reader, summaryPoint).points });
      default:
        return false;
    }
  });
  return result;
}

const hex = (bytes: Uint8Array) => Buffer.from(bytes).toString("hex");

function logRecord(reader: Reader, end: number): LogRecord {
  const record: LogRecord = {
    atMs: 0,
    observedMs: 0,
    severity: 0,
    severityText: "",
    body: null,
    attributes: [],
    traceId: "",
    spanId: "",
  };
  message(reader, end, (field) => {
    if (field === 1) record.atMs = millis(reader);
    else if (field === 2) record.severity = reader.int32();
    else if (field === 3) record.severityText = reader.string();
    else if (field === 5) record.body = inner(reader, (value, valueEnd) => anyValue(value, valueEnd, 0));
    else if (field === 6) record.attributes.push(attribute(reader));
    else if (field === 9) record.traceId = hex(reader.bytes());
    else if (field === 10) record.spanId = hex(reader.bytes());
    else if (field === 11) record.observedMs = millis(reader);
    else return false;
    return true;
  });
  return record;
}

function span(reader: Reader, end: number): SpanRecord {
  const result: SpanRecord = {
    traceId: "",
    spanId: "",
    parentId: "",
    name: "",
    kind: 0,
    startMs: 0,
    endMs: 0,
    attributes: [],
    events: [],
    links: [],
    traceState: "",
    status: 0,
    statusMessage: "",
  };
  message(reader, end, (field) => {
    if (field === 1) result.traceId = hex(reader.bytes());
    else if (field === 2) result.spanId = hex(reader.bytes());
    else if (field === 3) result.traceState = reader.string();
    else if (field === 4) result.parentId = hex(reader.bytes());
    else if (field === 5) result.name = reader.string();
    else if (field === 6) result.kind = reader.int32();
    else if (field === 7) result.startMs = millis(reader);
    else if (field === 8) result.endMs = millis(reader);
    else if (field === 9) result.attributes.push(attribute(reader));
    else if (field === 11) {
      const event = { atMs: 0, name: "", attributes: [] as Attribute[] };
      inner(reader, (own, ownEnd) =>
        message(own, ownEnd, (number) => {
          if (number === 1) event.atMs = millis(own);
          else if (number === 2) event.name = own.string();
          else if (number === 3) event.attributes.push(attribute(own));
          else return false;
          return true;
        }),
      );
      result.events.push(event);
    } else if (field === 13) {
      const link = { traceId: "", spanId: "", attributes: [] as Attribute[] };
      inner(reader, (own, ownEnd) =>
        message(own, ownEnd, (number) => {
          if (number === 1) link.traceId = hex(own.bytes());
          else if (number === 2) link.spanId = hex(own.bytes());
          else if (number === 4) link.attributes.push(attribute(own));
          else return false;
          return true;
        }),
      );
      result.links.push(link);
    } else if (field === 15)
      inner(reader, (own, ownEnd) =>
        message(own, ownEnd, (number) =>
          number === 2
            ? ((result.statusMessage = own.string()), true)
            : number === 3 && ((result.status = own.int32()), true),
        ),
      );
    else return false;
    return true;
  });
  return result;
}

/**
 * All three requests have the same frame: resources (1), in each the resource (1) and scopes (2), in each scope items
 * (2).
 */
function request<Item>(bytes: Uint8Array, read: (reader: Reader, end: number) => Item): OfResource<Item>[] {
  try {
    const reader = protobuf.Reader.create(bytes);
    const result: OfResource<Item>[] = [];
    message(reader, bytes.length, (field) => {
      if (field !== 1) return false;
      const one: OfResource<Item> = { resource: [], items: [] };
      inner(reader, (own, end) =>
        message(own, end, (number) => {
          if (number === 1) one.resource = inner(own, resource);
          else if (number === 2)
            inner(own, (scope, scopeEnd) =>
              message(scope, scopeEnd, (part) => part === 2 && (one.items.push(inner(scope, read)), true)),
            );
          else return false;
          return true;
        }),
      );
      result.push(one);
      return true;
    });
    return result;
  } catch (error) {
    if (error instanceof BadSignal) throw new BadSignal(`The protobuf cannot be read: ${error.message}`);
    throw new BadSignal("The protobuf cannot be read: it is cut short or not an OTLP request.");
  }
}

export const metricsFromProtobuf = (bytes: Uint8Array): OfResource<Metric>[] => request(bytes, metric);
export const logsFromProtobuf = (bytes: Uint8Array): OfResource<LogRecord>[] => request(bytes, logRecord);
export const spansFromProtobuf = (bytes: Uint8Array): OfResource<SpanRecord>[] => request(bytes, span);

/** The answer to an export: how many items were not kept, and why; empty when all were. */
export function partialSuccessToProtobuf(rejected: number, why: string): Uint8Array {
  const writer = protobuf.Writer.create();
  if (rejected > 0 || why) {
    writer.uint32(10).fork();
    if (rejected > 0) writer.uint32(8).int64(rejected);
    if (why) writer.uint32(18).string(why);
    writer.ldelim();
  }
  return writer.finish();
}

/** google.rpc.Status, as the specification asks for in answers to what cannot be taken. */
export function statusToProtobuf(code: number, why: string): Uint8Array {
  return protobuf.Writer.create().uint32(8).int32(code).uint32(18).string(why).finish();
}
