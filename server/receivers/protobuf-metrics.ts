import type {
  Exemplar,
  ExponentialPoint,
  HistogramPoint,
  Metric,
  MetricData,
  NumberPoint,
  SummaryPoint,
} from "./otlp-types";
import { type Reader, message, inner, fixed64, sfixed64, uint64, millis, numbers, hex } from "./protobuf-fields";
import { newRun, passAttribute, attributesOf } from "./protobuf-attributes";

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

export function metric(reader: Reader, end: number): Metric {
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
