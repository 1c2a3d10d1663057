import fc from "fast-check";
import protobuf from "protobufjs/minimal.js";
import { LIMITS } from "./limits";
import { describe, expect, it } from "vitest";
import { DAY_MS } from "#core/time/windows";
import { instanceOf } from "./attributes";
import { BatchBuilder } from "./batch-builder";
import { Rejected } from "./rejected";
import { logsFromJson, metricsFromJson, spansFromJson } from "./otlp-json";
import {
  logsFromProtobuf,
  metricsFromProtobuf,
  partialSuccessToProtobuf,
  spansFromProtobuf,
  statusToProtobuf,
} from "./otlp-protobuf";
import { BadSignal, type AnyValue, type Attribute, type Metric } from "./otlp-types";

const AT = Date.parse("2026-03-17T10:00:00Z");
const json = (value: unknown) => new TextEncoder().encode(JSON.stringify(value));

/** Writes an attribute value as the published schema does, to compare both ways of reading it. */
function writeValue(writer: protobuf.Writer, value: AnyValue): void {
  if (typeof value === "string") writer.uint32(10).string(value);
  else if (typeof value === "boolean") writer.uint32(16).bool(value);
  else if (typeof value === "number" && Number.isInteger(value)) writer.uint32(24).int64(value);
  else if (typeof value === "number") writer.uint32(33).double(value);
  else if (Array.isArray(value)) {
    writer.uint32(42).fork();
    for (const one of value) {
      writer.uint32(10).fork();
      writeValue(writer, one);
      writer.ldelim();
    }
    writer.ldelim();
  } else if (value !== null) {
    writer.uint32(50).fork();
    for (const pair of Object.entries(value)) writePair(writer, 1, pair);
    writer.ldelim();
  }
}
function writePair(writer: protobuf.Writer, field: number, [key, value]: Attribute): void {
  writer
    .uint32((field << 3) | 2)
    .fork()
    .uint32(10)
    .string(key)
    .uint32(18)
    .fork();
  writeValue(writer, value);
  writer.ldelim().ldelim();
}
const jsonValue = (value: AnyValue): unknown =>
  typeof value === "string"
    ? { stringValue: value }
    : typeof value === "boolean"
      ? { boolValue: value }
      : typeof value === "number"
        ? Number.isInteger(value)
          ? { intValue: String(value) }
          : { doubleValue: value }
        : Array.isArray(value)
          ? { arrayValue: { values: value.map(jsonValue) } }
          : value === null
            ? {}
            : { kvlistValue: { values: Object.entries(value).map(([key, one]) => ({ key, value: jsonValue(one) })) } };

const leaf = fc.oneof(
  fc.string({ unit: "grapheme", maxLength: 12 }),
  fc.boolean(),
  fc.integer(),
  fc.maxSafeInteger(),
  fc.double({ noNaN: true, noDefaultInfinity: true }).filter((value) => !Number.isInteger(value)),
);
const value = fc.letrec<{ any: AnyValue }>((tie) => ({
  any: fc.oneof(
    { maxDepth: 3 },
    leaf,
    fc.array(tie("any"), { maxLength: 3 }),
    fc.dictionary(fc.constantFrom("a", "b", "c"), tie("any"), { maxKeys: 3, noNullPrototype: true }),
  ),
})).any;

/** Everything sorted so far, as if the engine had kept it. */
const settled = (builder: BatchBuilder) => {
  const { batch, pending } = builder.take();
  pending.settle();
  return batch;
};

describe("both ways of writing OTLP", () => {
  it("say the same of log records, whatever their bodies and attributes", () => {
    fc.assert(
      fc.property(
        value,
        fc.array(fc.tuple(fc.constantFrom("k", "host", "ünï"), value), { maxLength: 4 }),
        fc.integer({ min: 0, max: 24 }),
        (body, attributes, severity) => {
          const writer = protobuf.Writer.create();
          writer.uint32(10).fork().uint32(10).fork();
          for (const pair of attributes) writePair(writer, 1, pair);
          writer.ldelim().uint32(18).fork().uint32(18).fork();
          const nano = BigInt(AT) * 1_000_000n;
          writer
            .uint32(9)
            .fixed32(Number(nano & 0xffffffffn))
            .fixed32(Number(nano >> 32n))
            .uint32(16)
            .int32(severity)
            .uint32(42)
            .fork();
          writeValue(writer, body);
          writer.ldelim().uint32(74).bytes(new Uint8Array(16).fill(0xab)).ldelim().ldelim().ldelim();
          const pairs = attributes.map(([key, one]) => ({ key, value: jsonValue(one) }));
          const fromJson = logsFromJson(
            json({
              resourceLogs: [
                {
                  resource: { attributes: pairs },
                  scopeLogs: [
                    {
                      logRecords: [
                        {
                          timeUnixNano: String(nano),
                          severityNumber: severity,
                          body: jsonValue(body),
                          traceId: "AB".repeat(16),
                        },
                      ],
                    },
                  ],
                },
              ],
            }),
          );
          expect(logsFromProtobuf(writer.finish())).toEqual(fromJson);
        },
      ),
    );
  });

  it("never do anything but read or refuse, whatever bytes arrive", () => {
    const start = metricsFromProtobuf(new Uint8Array(0));
    expect(start).toEqual([]);
    const bytes = fc.oneof(
      fc.uint8Array({ maxLength: 200 }),
      fc
        .array(fc.constantFrom(10, 18, 26, 34, 42, 50, 1, 2, 0, 255, 127), { maxLength: 120 })
        .map((list) => Uint8Array.from(list)),
    );
    for (const read of [
      metricsFromProtobuf,
      logsFromProtobuf,
      spansFromProtobuf,
      metricsFromJson,
      logsFromJson,
      spansFromJson,
    ])
      fc.assert(
        fc.property(bytes, (given) => {
          try {
            read(given);
          } catch (error) {
            expect(error).toBeInstanceOf(BadSignal);
          }
        }),
        { numRuns: 300 },
      );
  });

  it("refuse JSON of the wrong form with where it is wrong", () => {
    const anything = fc.anything({ maxDepth: 4, withNullPrototype: false });
    fc.assert(
      fc.property(anything, (one) => {
        for (const [read, names] of [
          [metricsFromJson, ["resourceMetrics", "scopeMetrics", "metrics"]],
          [spansFromJson, ["resourceSpans", "scopeSpans", "spans"]],
        ] as const)
          for (const wrapped of [
            one,
            { [names[0]]: one },
            { [names[0]]: [{ [names[1]]: one }] },
            { [names[0]]: [{ [names[1]]: [{ [names[2]]: [one] }] }] },
          ]) {
            let text: string | undefined;
            try {
              text = JSON.stringify(wrapped);
            } catch {
              continue;
            }
            if (text === undefined) continue;
            try {
              read(new TextEncoder().encode(text));
            } catch (error) {
              expect(error).toBeInstanceOf(BadSignal);
            }
          }
      }),
    );
    const deep = `{"resourceLogs":[{"scopeLogs":[{"logRecords":[{"body":${'{"arrayValue":{"values":['.repeat(40)}${"]}}".repeat(40)}}]}]}]}`;
    expect(() => logsFromJson(new TextEncoder().encode(deep))).toThrow(/nested deeper than 16/);
  });

  // Field numbers of opentelemetry/proto/metrics/v1/metrics.proto: an exemplar's time is 2, its value 3 or 6, its span
  // 4, its trace 5.
  it("say the same of points of every kind with their beginnings and exemplars", () => {
    const start = BigInt(AT - 60_000) * 1_000_000n;
    const time = BigInt(AT) * 1_000_000n;
    const put64 = (writer: protobuf.Writer, field: number, nano: bigint) =>
      writer
        .uint32((field << 3) | 1)
        .fixed32(Number(nano & 0xffffffffn))
        .fixed32(Number(nano >> 32n));
    const exemplar = (writer: protobuf.Writer, field: number) => {
      writer.uint32((field << 3) | 2).fork();
      put64(writer, 2, time);
      writer
        .uint32(25)
        .double(1.5)
        .uint32(34)
        .bytes(new Uint8Array(8).fill(0xcd))
        .uint32(42)
        .bytes(new Uint8Array(16).fill(0xab))
        .ldelim();
    };
    const jsonExemplar = {
      timeUnixNano: String(time),
      asDouble: 1.5,
      traceId: "ab".repeat(16),
      spanId: "cd".repeat(8),
    };
    const frame = { startTimeUnixNano: String(start), timeUnixNano: String(time), exemplars: [jsonExemplar] };
    const kinds = [
      {
        field: 5,
        exemplars: 5,
        more: (writer: protobuf.Writer) => writer.uint32(33).double(2.5),
        json: { gauge: { dataPoints: [{ ...frame, asDouble: 2.5 }] } },
      },
      {
        field: 9,
        exemplars: 8,
        more: (writer: protobuf.Writer) => writer.uint32(33).fixed32(3).fixed32(0),
        json: { histogram: { dataPoints: [{ ...frame, count: "3" }] } },
      },
      {
        field: 10,
        exemplars: 11,
        more: (writer: protobuf.Writer) => writer.uint32(33).fixed32(3).fixed32(0).uint32(48).sint32(-2),
        json: { exponentialHistogram: { dataPoints: [{ ...frame, count: "3", scale: -2 }] } },
      },
    ];
    for (const kind of kinds) {
      const writer = protobuf.Writer.create();
      writer
        .uint32(10)
        .fork()
        .uint32(18)
        .fork()
        .uint32(18)
        .fork()
        .uint32(10)
        .string("m")
        .uint32((kind.field << 3) | 2)
        .fork()
        .uint32(10)
        .fork();
      put64(writer, 2, start);
      put64(writer, 3, time);
      kind.more(writer);
      exemplar(writer, kind.exemplars);
      writer.ldelim().ldelim().ldelim().ldelim().ldelim();
      const fromProtobuf = metricsFromProtobuf(writer.finish());
      expect(fromProtobuf).toEqual(
        metricsFromJson(json({ resourceMetrics: [{ scopeMetrics: [{ metrics: [{ name: "m", ...kind.json }] }] }] })),
      );
      expect(fromProtobuf[0]?.items[0]?.data).toMatchObject({
        points: [
          {
            startMs: AT - 60_000,
            atMs: AT,
            exemplars: [{ atMs: AT, value: 1.5, traceId: "ab".repeat(16), spanId: "cd".repeat(8) }],
          },
        ],
      });
    }
  });

  it("give points their attributes wherever these stand among the other fields, met before or not", () => {
    const pairs = fc.array(
      fc.tuple(fc.constantFrom("k", "host", "ünï"), fc.constantFrom<AnyValue>("a", "ü", 1, true, ["x"])),
      { maxLength: 4 },
    );
    fc.assert(
      fc.property(
        fc.array(fc.tuple(pairs, fc.array(fc.boolean(), { minLength: 4, maxLength: 4 })), { maxLength: 6 }),
        (points) => {
          const writer = protobuf.Writer.create();
          writer.uint32(10).fork().uint32(18).fork().uint32(18).fork().uint32(10).string("m").uint32(42).fork();
          for (const [attributes, between] of points) {
            writer.uint32(10).fork();
            attributes.forEach((pair, index) => {
              writePair(writer, 7, pair);
              if (between[index]) writer.uint32(33).double(index);
            });
            writer.ldelim();
          }
          const bytes = writer.ldelim().ldelim().ldelim().ldelim().finish();
          for (let time = 0; time < 2; time++) {
            const [metric] = metricsFromProtobuf(bytes).flatMap(({ items }) => items);
            const data = (metric as Metric).data as { points: { attributes: unknown }[] };
            expect(data.points.map((point) => point.attributes)).toEqual(points.map(([attributes]) => attributes));
          }
          if (points.some(([attributes]) => attributes.length))
            expect(() => metricsFromProtobuf(bytes.subarray(0, bytes.length - 1))).toThrow(BadSignal);
        },
      ),
      { numRuns: 200 },
    );
  });

  it("answer in the form the specification asks for", () => {
    expect(partialSuccessToProtobuf(0, "")).toHaveLength(0);
    // ExportPartialSuccess: field 1 rejected = 3, field 2 message.
    expect([...partialSuccessToProtobuf(3, "no")]).toEqual([10, 6, 8, 3, 18, 2, 110, 111]);
    expect([...statusToProtobuf(3, "no")]).toEqual([8, 3, 18, 2, 110, 111]);
  });
});

describe("sorting what arrives", () => {
  const gauge = (
    name: string,
    points: { attributes?: Attribute[]; atMs?: number; value?: number }[],
    unit = "1",
  ): Metric => ({
    name,
    unit,
    data: {
      kind: "gauge",
      points: points.map((point) => ({ attributes: [], startMs: 0, atMs: AT, value: 1, ...point })),
    },
  });
  const sorter = () => {
    const builder = new BatchBuilder(() => AT);
    const rejected = new Rejected();
    return {
      builder,
      rejected,
      metrics: (...items: Metric[]) => builder.metrics([{ resource: [["service.name", "s"]], items }], {}, rejected),
    };
  };

  it("tells series apart by their attributes, in whatever order these come", () => {
    const { builder, metrics } = sorter();
    metrics(
      gauge("m", [
        {
          attributes: [
            ["b", 2],
            ["a", "x"],
          ],
        },
        {
          attributes: [
            ["a", "x"],
            ["b", 2],
          ],
        },
        { attributes: [["a", "y"]] },
      ]),
    );
    const batch = settled(builder);
    expect(batch.series.map((one) => one.instance)).toEqual(["a=x, b=2", "a=y"]);
    expect(batch.handles[0]).toBe(batch.handles[1]);
    metrics(gauge("m", [{ attributes: [["a", "y"]] }]));
    expect(settled(builder)).toMatchObject({ resources: [], series: [] });
    expect(instanceOf(Array.from({ length: 25 }, (_, index) => [`k${index}`, 1]))).toBeUndefined();
  });

  it.each(["counter", "histogram", "exponential histogram"] as const)(
    "gives the same when a %s is refused by a full disk and sent again, as when it is taken at once",
    (what) => {
      const FIRST = AT - 60_000;
      const counts = (atMs: number, startMs: number, upTo: number): Metric => {
        const point = { attributes: [], startMs, atMs, count: upTo, sum: upTo, min: null, max: null };
        if (what === "counter")
          return {
            name: "m",
            unit: "1",
            data: {
              kind: "sum",
              temporality: 2,
              monotonic: true,
              points: [{ attributes: [], startMs, atMs, value: upTo }],
            },
          };
        if (what === "histogram")
          return {
            name: "m",
            unit: "ms",
            data: {
              kind: "histogram",
              temporality: 2,
              points: [{ ...point, bounds: [10, 20], counts: [1, upTo - 2, 1] }],
            },
          };
        const positive = { offset: 0, counts: [1, upTo - 1] };
        return {
          name: "m",
          unit: "ms",
          data: {
            kind: "exponential",
            temporality: 2,
            points: [{ ...point, scale: 1, zeroCount: 0, positive, negative: { offset: 0, counts: [] } }],
          },
        };
      };
      // Counting began anew between the first point and the second.
      const batches = [counts(FIRST, FIRST - 3_600_000, 100), counts(AT, FIRST + 10_000, 5)];
      const deliver = (refusals: number) => {
        const { builder, metrics } = sorter();
        const kept: string[] = [];
        const names = new Map<number, string>();
        for (const one of batches)
          for (let tries = 0; tries <= refusals; tries++) {
            metrics(one);
            const { batch, pending } = builder.take();
            if (tries < refusals) {
              pending.abandon();
              continue;
            }
            pending.settle();
            for (const def of batch.series) names.set(def.handle, def.metric);
            kept.push(
              ...[...batch.handles].map(
                (handle, index) => `${names.get(handle)} ${batch.times[index]} ${batch.values[index]}`,
              ),
            );
          }
        return kept;
      };
      const once = deliver(0);
      expect(once.some((line) => line === `m${what === "counter" ? "" : ".count"} ${FIRST + 10_000} 0`)).toBe(true);
      if (what !== "counter") expect(once.some((line) => line.startsWith("m.p95"))).toBe(true);
      expect(deliver(2)).toEqual(once);
    },
  );

  it("holds so many senders and no more, and meets those let go of anew", () => {
    const { builder, rejected } = sorter();
    const from = (sender: number) => {
      builder.metrics([{ resource: [["host.name", `h${sender}`]], items: [gauge("m", [{}])] }], {}, rejected);
      builder.take().pending.settle();
      return builder.evict();
    };
    let released = 0;
    for (let sender = 0; sender < LIMITS.sendersHeld + 500; sender++) {
      const { resources, series } = from(sender);
      expect(series.length).toBe(resources.length);
      released += resources.length;
    }
    expect(builder.senders).toBe(LIMITS.sendersHeld);
    expect(released).toBe(500);
    builder.metrics([{ resource: [["host.name", "h0"]], items: [gauge("m", [{}])] }], {}, rejected);
    expect(settled(builder)).toMatchObject({
      resources: [{ attributes: { "host.name": "h0" } }],
      series: [{ metric: "m" }],
    });
    expect(rejected.count).toBe(0);
  });

  it("keeps no state of series that are refused", () => {
    const { builder, metrics, rejected } = sorter();
    metrics(gauge("m", [{}]));
    const handle = settled(builder).handles[0] as number;
    builder.refuse(handle, "m was kept in “s” before.");
    metrics(gauge("m", [{}]));
    expect(settled(builder).handles).toHaveLength(0);
    expect(rejected.text).toContain("m was kept in “s” before.");
  });

  it("sends definitions again when a batch was not taken", () => {
    const { builder, metrics } = sorter();
    metrics(gauge("m", [{}]));
    builder.take().pending.abandon();
    metrics(gauge("m", [{}]));
    expect(settled(builder)).toMatchObject({
      resources: [{ attributes: { "service.name": "s" } }],
      series: [{ metric: "m" }],
    });
  });

  it("counts a histogram's quantiles between two cumulative points, and from the start after a restart", () => {
    const { builder, metrics } = sorter();
    const histogram = (atMs: number, counts: number[]): Metric => ({
      name: "h",
      unit: "ms",
      data: {
        kind: "histogram",
        temporality: 2,
        points: [
          {
            attributes: [],
            startMs: 0,
            atMs,
            count: counts.reduce((sum, count) => sum + count, 0),
            sum: 1,
            min: null,
            max: null,
            bounds: [10, 20],
            counts,
          },
        ],
      },
    });
    metrics(histogram(AT, [5, 0, 0]), histogram(AT + 1000, [5, 4, 0]), histogram(AT + 2000, [1, 0, 0]));
    const { series, handles, values } = settled(builder);
    const of = (suffix: string) =>
      [...values].filter((_, index) => handles[index] === series.find((one) => one.metric === `h${suffix}`)?.handle);
    expect(of(".count")).toEqual([5, 9, 1]);
    // The first point says nothing of what came since; then four between 10 and 20; then one below 10.
    expect(of(".p50")).toEqual([15, 5]);
  });

  describe("totals that say when their counting began", () => {
    const total = (startMs: number, atMs: number, value: number): Metric => ({
      name: "t",
      unit: "1",
      data: { kind: "sum", temporality: 2, monotonic: true, points: [{ attributes: [], startMs, atMs, value }] },
    });
    const taken = (...items: Metric[]) => {
      const { builder, metrics } = sorter();
      metrics(...items);
      const { times, values } = settled(builder);
      return [...times].map((at, index) => [at - AT, values[index]]);
    };
    it("are zero there: a restart is seen though the total is higher than before", () =>
      expect(
        taken(total(AT - DAY_MS, AT, 100), total(AT - DAY_MS, AT + 10_000, 110), total(AT + 15_000, AT + 20_000, 150)),
      ).toEqual([
        [0, 100],
        [10_000, 110],
        [15_000, 0],
        [20_000, 150],
      ]));
    it("tell of the restart itself, once for its sender, and of none where counting goes on", () => {
      const { builder, metrics } = sorter();
      metrics(total(AT - DAY_MS, AT, 100), total(AT - DAY_MS, AT + 10_000, 110));
      expect(builder.take().batch.restarts).toEqual([]);
      metrics(total(AT + 15_000, AT + 20_000, 5), total(AT + 15_000, AT + 30_000, 9));
      expect(builder.take().batch.restarts).toEqual([{ resource: expect.any(Number), atMs: AT + 15_000 }]);
    });
    it("are followed from the beginning when that was just now, and not when it was long ago", () => {
      expect(taken(total(AT - 60_000, AT, 7))).toEqual([
        [-60_000, 0],
        [0, 7],
      ]);
      expect(taken(total(AT - DAY_MS, AT, 7))).toEqual([[0, 7]]);
    });
    it("say nothing by a beginning that is missing, in the future, or the same instant", () => {
      expect(taken(total(0, AT, 7), total(AT + 10, AT + 5, 8), total(AT + 20, AT + 20, 9))).toEqual([
        [0, 7],
        [5, 8],
        [20, 9],
      ]);
    });
    it("leave gauges and deltas alone", () => {
      const { builder, metrics } = sorter();
      metrics({
        name: "d",
        unit: "1",
        data: {
          kind: "sum",
          temporality: 1,
          monotonic: true,
          points: [{ attributes: [], startMs: AT - 1000, atMs: AT, value: 3 }],
        },
      });
      expect([...settled(builder).values]).toEqual([3]);
    });
    it("count a histogram's buckets from zero after a restart that no count shows", () => {
      const { builder, metrics } = sorter();
      const histogram = (startMs: number, atMs: number, counts: number[]): Metric => ({
        name: "h",
        unit: "ms",
        data: {
          kind: "histogram",
          temporality: 2,
          points: [
            {
              attributes: [],
              startMs,
              atMs,
              count: counts.reduce((sum, count) => sum + count, 0),
              sum: 1,
              min: null,
              max: null,
              bounds: [10, 20],
              counts,
            },
          ],
        },
      });
      // Without the beginning, nine more below 10 would be read between them.
      metrics(histogram(AT - DAY_MS, AT, [1, 0, 0]), histogram(AT + 500, AT + 1000, [1, 9, 0]));
      const { series, handles, values } = settled(builder);
      const p50 = series.find((one) => one.metric === "h.p50")?.handle;
      expect([...values].filter((_, index) => handles[index] === p50)).toEqual([14.4444]);
    });
  });

  it("keeps the highest exemplars that have a trace", () => {
    const { builder, metrics } = sorter();
    const exemplar = (value: number, changes = {}) => ({
      atMs: AT,
      value,
      traceId: "ab".repeat(16),
      spanId: "cd".repeat(8),
      ...changes,
    });
    const point = {
      ...gauge("g", [{}]),
      data: {
        kind: "gauge" as const,
        points: [
          {
            attributes: [["a", "b"] as Attribute],
            startMs: 0,
            atMs: AT,
            value: 1,
            exemplars: [
              exemplar(1),
              exemplar(9),
              exemplar(2),
              exemplar(3),
              exemplar(4),
              exemplar(99, { traceId: "" }),
              exemplar(Number.NaN),
              exemplar(98, { atMs: AT + DAY_MS }),
              exemplar(5, { spanId: "?" }),
            ],
          },
        ],
      },
    };
    metrics(point);
    const { exemplars } = settled(builder);
    expect(exemplars.map((one) => [one.value, one.spanId])).toEqual([
      [9, "cd".repeat(8)],
      [5, ""],
      [4, "cd".repeat(8)],
      [3, "cd".repeat(8)],
    ]);
    expect(exemplars[0]).toMatchObject({ metric: "g", instance: "a=b", atMs: AT, traceId: "ab".repeat(16) });
    expect(settled(builder).exemplars).toEqual([]);
  });

  it("bounds what one record may bring", () => {
    const builder = new BatchBuilder(() => AT);
    const rejected = new Rejected();
    const attributes = Array.from({ length: 100 }, (_, index): Attribute => [`k${index}`, "v"]);
    builder.logRecords(
      [
        {
          resource: [["service.name", "x".repeat(10_000)]],
          items: [
            {
              atMs: AT,
              observedMs: 0,
              severity: 99,
              severityText: "",
              body: "b".repeat(100_000),
              attributes,
              traceId: "nonsense",
              spanId: "",
            },
            {
              atMs: AT + 86_400_000,
              observedMs: 0,
              severity: 9,
              severityText: "",
              body: "",
              attributes: [],
              traceId: "",
              spanId: "",
            },
          ],
        },
      ],
      {},
      rejected,
    );
    const { logs, resources } = settled(builder);
    expect(resources[0]?.attributes["service.name"]).toHaveLength(240);
    expect(logs).toHaveLength(1);
    expect(logs[0]).toMatchObject({ severity: 0, traceId: null });
    expect(logs[0]?.body).toHaveLength(32_768);
    expect(JSON.parse(logs[0]?.attributes ?? "{}")).toMatchObject({
      "attributes left out": 36,
      "characters left out": 67_232,
    });
    expect([rejected.count, rejected.text]).toEqual([
      1,
      "1: Its time is more than an hour ahead of this clock. Check the sender's clock.",
    ]);
  });

  it("counts a sender's operations beyond its limit together", () => {
    const builder = new BatchBuilder(() => AT);
    const rejected = new Rejected();
    const spans = Array.from({ length: 600 }, (_, index) => ({
      traceId: "a".repeat(32),
      spanId: (index + 1).toString(16).padStart(16, "0"),
      parentId: "",
      name: `GET /orders/${index}`,
      kind: 2,
      startMs: AT,
      endMs: AT - 5,
      attributes: [],
      events: [],
      links: [],
      traceState: "",
      status: 7,
      statusMessage: "",
    }));
    builder.spanRecords([{ resource: [], items: spans }], rejected);
    const taken = settled(builder).spans;
    expect(new Set(taken.map((span) => span.name)).size).toBe(501);
    expect(taken[599]).toMatchObject({ name: "further operations", status: 0, endMs: AT });
  });
});

describe("what the store cannot hold", () => {
  const span = { traceId: "1".repeat(32), spanId: "2".repeat(16), parentId: "", startMs: AT, endMs: AT + 1 };
  const built = (changes: object) => {
    const builder = new BatchBuilder(() => AT);
    const rejected = new Rejected();
    const items = [
      {
        ...span,
        name: "GET /",
        kind: 2,
        status: 0,
        statusMessage: "",
        attributes: [],
        events: [],
        links: [],
        traceState: "",
        ...changes,
      },
    ];
    builder.spanRecords([{ resource: [["service.name", "gate"]], items }] as never, rejected);
    return builder.take().batch.spans[0];
  };
  it("keeps links and trace state, and drops links that lead nowhere", () => {
    const link = { traceId: "3".repeat(32), spanId: "4".repeat(16), attributes: [["why", "batch"]] };
    const detail = JSON.parse(
      built({ links: [link, { ...link, traceId: "x" }], traceState: "vendor=value" })?.detail ?? "{}",
    ) as object;
    expect(detail).toEqual({ links: [{ ...link, attributes: { why: "batch" } }], traceState: "vendor=value" });
  });
  it.each([1.5, -1, 99, Number.NaN, Number.POSITIVE_INFINITY])("a span's kind of %d counts as not given", (kind) => {
    expect(built({ kind })?.kind).toBe(0);
  });
  it("text with halves of surrogate pairs is made well-formed, and a cut never halves one", () => {
    expect(built({ name: "a\ud800b" })?.name).toBe("a\ufffdb");
    expect(built({ name: `${"x".repeat(LIMITS.spanName - 1)}🚢` })?.name).toBe("x".repeat(LIMITS.spanName - 1));
  });
  it("senders that differ in such text only are one sender", () => {
    const builder = new BatchBuilder(() => AT);
    expect(builder.resource([["service.name", "a\ud800"]])).toBe(builder.resource([["service.name", "a\udbff"]]));
  });
});
