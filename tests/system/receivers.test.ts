import { createSocket } from "node:dgram";
import { mkdtempSync, rmSync } from "node:fs";
import { createServer } from "node:http";
import type { AddressInfo } from "node:net";
import { connect } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { MessageChannel } from "node:worker_threads";
import { gzipSync } from "node:zlib";
import { ROOT_CONTEXT, SpanKind, SpanStatusCode, trace } from "@opentelemetry/api";
import { SeverityNumber } from "@opentelemetry/api-logs";
import { OTLPLogExporter } from "@opentelemetry/exporter-logs-otlp-proto";
import { OTLPMetricExporter as JsonMetricExporter } from "@opentelemetry/exporter-metrics-otlp-http";
import { OTLPMetricExporter } from "@opentelemetry/exporter-metrics-otlp-proto";
import { OTLPTraceExporter } from "@opentelemetry/exporter-trace-otlp-proto";
import { resourceFromAttributes } from "@opentelemetry/resources";
import { BatchLogRecordProcessor, LoggerProvider } from "@opentelemetry/sdk-logs";
import {
  AggregationTemporality,
  AggregationType,
  MeterProvider,
  PeriodicExportingMetricReader,
  type PushMetricExporter,
} from "@opentelemetry/sdk-metrics";
import { BasicTracerProvider, BatchSpanProcessor } from "@opentelemetry/sdk-trace-base";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { Engine } from "#server/engine/engine";
import { tracePage, tracesPage } from "#server/pages/traces";
import { IngestChannel } from "#server/receivers/channel";
import { receiveOtlp } from "#server/receivers/http";
import { SenderTokens } from "#server/receivers/sender-tokens";
import { Scraper } from "#server/receivers/scraper";
import { SyslogReceiver } from "#server/receivers/syslog";
import { storeFile } from "#server/settings";
import { openStore, type Db } from "#server/store/database";
import { insertComponent } from "#server/store/estate";
import { readSearch, searchLogs } from "#server/store/logs";
import { callFigures } from "#server/store/call-figures";
import { allResources } from "#server/store/resources";
import { selectSeries } from "#server/store/query";
import { readSamples } from "#server/store/signals";
import { insertSource } from "#server/store/sources";
import { act, until } from "./world";
import { settingsAt } from "../settings";

let folder: string;
let engine: Engine;
let channel: IngestChannel;
let server: ReturnType<typeof receiveOtlp>;
let reader: Db;
let base: string;
const faults: unknown[] = [];

beforeEach(async () => {
  folder = mkdtempSync(join(tmpdir(), "holotaxis-"));
  const settings = settingsAt(folder);
  engine = new Engine(settings, () => undefined);
  const source = insertSource(
    engine.db,
    {
      kind: "range",
      name: "s",
      site: "Room",
      settings: { ranges: "127.0.0.1", ports: "", snmpPort: 161 },
      pollSeconds: 60,
    },
    "x",
    0,
  );
  const host = insertComponent(
    engine.db,
    {
      kind: "host.linux",
      name: "t-web-01",
      site: "Room",
      sourceId: source,
      hostId: null,
      address: "127.0.0.1",
      reason: "",
      keys: ["name:t-web-01"],
      facts: {},
    },
    0,
  );
  insertComponent(
    engine.db,
    {
      kind: "app.web",
      name: "shopfront @ t-web-01",
      site: "Room",
      sourceId: source,
      hostId: host,
      address: null,
      reason: "",
      keys: ["p:shopfront"],
      facts: {},
    },
    0,
  );
  const { port1, port2 } = new MessageChannel();
  engine.attach(port1);
  channel = new IngestChannel(port2, Date.now, (error) => faults.push(error));
  server = receiveOtlp(channel, new SenderTokens(true, Date.now));
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
  base = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  reader = openStore(storeFile(settings), "reader");
  // The estate was written behind the engine's back.
  await act(engine, "matching-rule.remove", { id: 0 });
});
afterEach(async () => {
  reader.close();
  server.closeAllConnections();
  await new Promise<void>((resolve) => server.close(() => resolve()));
  await engine.close();
  rmSync(folder, { recursive: true, force: true });
  expect(faults.splice(0)).toEqual([]);
});

const resource = resourceFromAttributes({ "service.name": "shopfront", "host.name": "t-web-01.test.example" });
const valuesOf = (metric: string) =>
  selectSeries(reader, { metric }).flatMap((series) => [...readSamples(reader, series.id, 0, 1e15).values]);
const post = (path: string, body: BodyInit, headers: Record<string, string> = { "content-type": "application/json" }) =>
  fetch(base + path, { method: "POST", body, headers });
const gauge = (values: object[], name = "m", unit = "1") =>
  JSON.stringify({
    resourceMetrics: [
      {
        resource: {
          attributes: [
            { key: "service.name", value: { stringValue: "shopfront" } },
            { key: "host.name", value: { stringValue: "t-web-01" } },
          ],
        },
        scopeMetrics: [{ metrics: [{ name, unit, gauge: { dataPoints: values } }] }],
      },
    ],
  });
const nano = (ms: number) => `${Math.round(ms)}000000`;

describe("the published client libraries", () => {
  const send = async (exporter: PushMetricExporter) => {
    const provider = new MeterProvider({
      resource,
      readers: [new PeriodicExportingMetricReader({ exporter, exportIntervalMillis: 3_600_000 })],
      views: [{ instrumentName: "wide", aggregation: { type: AggregationType.EXPONENTIAL_HISTOGRAM } }],
    });
    const meter = provider.getMeter("test");
    meter.createCounter("orders", { unit: "{order}" }).add(7, { channel: "web" });
    meter.createUpDownCounter("open").add(-3);
    const duration = meter.createHistogram("duration", { unit: "ms" });
    const wide = meter.createHistogram("wide", { unit: "ms" });
    for (let value = 1; value <= 100; value++) {
      duration.record(value);
      wide.record(value);
    }
    const observed = meter.createObservableGauge("temperature", { unit: "Cel" });
    observed.addCallback((result) => result.observe(21.5));
    await provider.forceFlush();
    await provider.shutdown();
  };

  it.each([
    ["protobuf, cumulative", () => new OTLPMetricExporter({ url: `${base}/v1/metrics` })],
    [
      "protobuf, delta, gzip",
      () =>
        new OTLPMetricExporter({
          url: `${base}/v1/metrics`,
          temporalityPreference: AggregationTemporality.DELTA,
          compression: "gzip" as never,
        }),
    ],
    ["JSON", () => new JsonMetricExporter({ url: `${base}/v1/metrics` })],
  ])("deliver metrics by %s", async (what, make) => {
    await send(make());
    const [orders] = selectSeries(reader, { metric: "orders" });
    expect(orders).toMatchObject({
      component: "shopfront @ t-web-01",
      instance: "channel=web",
      unit: "{order}",
      instrument: what.includes("delta") ? "delta" : "total",
    });
    // A total that began just now is followed from zero.
    const counted = (metric: string) => valuesOf(metric).filter((value) => value !== 0)[0];
    expect(counted("orders")).toBe(7);
    expect(valuesOf("open")[0]).toBe(-3);
    expect(valuesOf("temperature")[0]).toBe(21.5);
    expect([counted("duration.count"), counted("duration.sum")]).toEqual([100, 5050]);
    if (!what.includes("delta")) return;
    // 100 values from 1 to 100: explicit buckets within their bounds, exponential ones within their stated error.
    expect(valuesOf("duration.p50")[0]).toBeGreaterThan(25);
    expect(valuesOf("duration.p50")[0]).toBeLessThanOrEqual(75);
    expect(Math.abs((valuesOf("wide.p95")[0] as number) - 95)).toBeLessThan(95 * 0.05);
  });

  it("deliver logs, which are found by a word and know their pattern", async () => {
    const provider = new LoggerProvider({
      resource,
      processors: [new BatchLogRecordProcessor({ exporter: new OTLPLogExporter({ url: `${base}/v1/logs` }) })],
    });
    const logger = provider.getLogger("test");
    for (let index = 0; index < 20; index++)
      logger.emit({
        severityNumber: index === 7 ? SeverityNumber.ERROR : SeverityNumber.INFO,
        body: `order ${index} of basket ${index * 31} paid`,
        attributes: { "basket.size": index },
      });
    await provider.forceFlush();
    await provider.shutdown();
    const find = (text: string, leastSeverity = 0) =>
      searchLogs(reader, { fromMs: 0, toMs: 1e15, ...readSearch(text), leastSeverity }, null, 100).rows;
    expect(find("basket pai")).toHaveLength(20);
    expect(find("basket", 17).map((row) => [row.body, row.attributes])).toEqual([
      ["order 7 of basket 217 paid", '{"basket.size":7}'],
    ]);
    expect(find("-paid")).toEqual([]);
    expect(new Set(find("basket").map((row) => row.pattern_id)).size).toBe(1);
  });
});

describe("spans from the published library", () => {
  it("become traces, operations with quantiles, and relations between senders", async () => {
    const exporter = () => new OTLPTraceExporter({ url: `${base}/v1/traces` });
    const shop = new BasicTracerProvider({ resource, spanProcessors: [new BatchSpanProcessor(exporter())] });
    const store = new BasicTracerProvider({
      resource: resourceFromAttributes({ "service.name": "orderstore" }),
      spanProcessors: [new BatchSpanProcessor(exporter())],
    });
    for (let index = 0; index < 10; index++) {
      const top = shop.getTracer("t").startSpan("POST /orders", { kind: SpanKind.SERVER, root: true });
      const below = store
        .getTracer("t")
        .startSpan(
          "insert order",
          { kind: SpanKind.SERVER, attributes: { "db.rows": index } },
          trace.setSpan(ROOT_CONTEXT, top),
        );
      if (index === 3) below.setStatus({ code: SpanStatusCode.ERROR, message: "no room" });
      below.end();
      top.end();
    }
    await shop.forceFlush();
    await store.forceFlush();
    await shop.shutdown();
    await store.shutdown();
    const window = { fromMs: Date.now() - 3_600_000, toMs: Date.now() + 60_000 };
    const page = tracesPage(reader, {
      ...window,
      text: "",
      answered: true,
      operation: null,
      least: null,
      most: null,
      failedOnly: false,
    });
    expect(page.operations.map((one) => [one.name, one.sender, one.calls, one.failed])).toEqual(
      expect.arrayContaining([
        ["POST /orders", "shopfront @ t-web-01", 10, 0],
        ["insert order", "orderstore", 10, 1],
      ]),
    );
    const everybody = allResources(reader).map(({ id }) => id);
    expect(callFigures(reader, everybody, everybody, window.fromMs, window.toMs)).toMatchObject({
      calls: 10,
      failed: 1,
    });
    const failed = tracesPage(reader, {
      ...window,
      text: "",
      answered: true,
      operation: page.operations.find((one) => one.name === "insert order")?.id ?? 0,
      least: null,
      most: null,
      failedOnly: true,
    }).traces;
    expect(failed).toHaveLength(1);
    const drawn = tracePage(reader, { traceId: failed[0]?.traceId ?? "", other: "" });
    expect(drawn?.spans.map((span) => [span.name, span.depth, span.failed, span.message])).toEqual([
      ["POST /orders", 0, false, ""],
      ["insert order", 1, true, "no room"],
    ]);
    expect(drawn?.spans[1]?.attributes).toEqual([{ name: "db.rows", value: "3" }]);
  });

  it("are refused one by one when their identifiers are wrong", async () => {
    const span = {
      traceId: "0".repeat(32),
      spanId: "1".repeat(16),
      name: "x",
      startTimeUnixNano: nano(Date.now()),
      endTimeUnixNano: nano(Date.now()),
    };
    const answer = (await (
      await post(
        "/v1/traces",
        JSON.stringify({ resourceSpans: [{ scopeSpans: [{ spans: [span, { ...span, traceId: "a".repeat(32) }] }] }] }),
      )
    ).json()) as { partialSuccess: { rejectedSpans: string; errorMessage: string } };
    expect(answer.partialSuccess).toMatchObject({
      rejectedSpans: "1",
      errorMessage: expect.stringMatching(/Trace Context/),
    });
  });
});

describe("what cannot be taken", () => {
  const now = () => nano(Date.now());
  it("is refused as a whole with a sentence", async () => {
    const cases: [string, Response, number, RegExp][] = [
      ["broken JSON", await post("/v1/metrics", "{"), 400, /JSON cannot be read/],
      ["a list where an object belongs", await post("/v1/metrics", "[]"), 400, /not an object/],
      [
        "cut protobuf",
        await post("/v1/metrics", new Uint8Array([10, 200, 1, 5]), { "content-type": "application/x-protobuf" }),
        400,
        /cut short|middle/,
      ],
      [
        "no protobuf at all",
        await post("/v1/logs", "hello, world", { "content-type": "application/x-protobuf" }),
        400,
        /protobuf cannot be read/,
      ],
      [
        "broken gzip",
        await post("/v1/metrics", "{}", { "content-type": "application/json", "content-encoding": "gzip" }),
        400,
        /gzip/,
      ],
      [
        "a bomb",
        await post("/v1/metrics", gzipSync(Buffer.alloc(80 * 1024 * 1024, 32)), {
          "content-type": "application/json",
          "content-encoding": "gzip",
        }),
        413,
        /unpack to at most/,
      ],
      [
        "another type",
        await post("/v1/metrics", "x", { "content-type": "text/plain" }),
        415,
        /application\/x-protobuf/,
      ],
      ["another path", await post("/v1/other", "{}"), 404, /\/v1\/metrics/],
      [
        "a web page's request",
        await post("/v1/metrics", "{}", { "content-type": "application/json", "sec-fetch-site": "cross-site" }),
        403,
        /web pages/,
      ],
    ];
    for (const [what, response, status, text] of cases) {
      expect(`${what} ${response.status}`).toBe(`${what} ${status}`);
      expect(await response.text()).toMatch(text);
    }
    expect((await fetch(`${base}/v1/metrics`)).status).toBe(405);
    // And it goes on.
    expect((await post("/v1/metrics", gauge([{ timeUnixNano: now(), asDouble: 1 }]))).status).toBe(200);
  });

  it("is refused point by point where only points are wrong, and the rest is kept", async () => {
    const many = Array.from({ length: 40 }, (_, index) => ({ key: `k${index}`, value: { intValue: index } }));
    const answer = (await (
      await post(
        "/v1/metrics",
        gauge([
          { timeUnixNano: now(), asDouble: 5 },
          { timeUnixNano: nano(0), asDouble: 1 },
          { timeUnixNano: nano(Date.parse("2100-01-01")), asDouble: 1 },
          { timeUnixNano: nano(Date.parse("1971-01-01")), asDouble: 1 },
          { timeUnixNano: now(), asDouble: 1, attributes: many },
        ]),
      )
    ).json()) as { partialSuccess: { rejectedDataPoints: string; errorMessage: string } };
    expect(answer.partialSuccess.rejectedDataPoints).toBe("4");
    expect(answer.partialSuccess.errorMessage).toMatch(/ahead of this clock|attributes|no time|days back/);
    expect(valuesOf("m")).toEqual([5]);
  });

  it("is a series that changes its unit, from the first such point on", async () => {
    await post("/v1/metrics", gauge([{ timeUnixNano: now(), asDouble: 5 }], "took", "ms"));
    for (let again = 0; again < 2; again++) {
      const answer = (await (
        await post("/v1/metrics", gauge([{ timeUnixNano: nano(Date.now() + again + 5), asDouble: 5 }], "took", "s"))
      ).json()) as { partialSuccess?: { errorMessage: string } };
      expect(answer.partialSuccess?.errorMessage).toMatch(/“ms” before and now comes in “s”/);
    }
    expect(valuesOf("took")).toHaveLength(1);
  });

  it("is a flood of series from one sender, beyond its limit", async () => {
    const points = (from: number) =>
      Array.from({ length: 5000 }, (_, index) => ({
        timeUnixNano: now(),
        asDouble: 1,
        attributes: [{ key: "id", value: { intValue: from + index } }],
      }));
    for (let from = 0; from < 20_000; from += 5000)
      expect(await (await post("/v1/metrics", gauge(points(from)))).json()).toEqual({});
    const answer = (await (await post("/v1/metrics", gauge(points(20_000)))).json()) as {
      partialSuccess: { rejectedDataPoints: string; errorMessage: string };
    };
    expect(answer.partialSuccess.rejectedDataPoints).toBe("5000");
    expect(answer.partialSuccess.errorMessage).toMatch(/20000 series already/);
  });
});

describe("CloudEvents", () => {
  const event = {
    specversion: "1.0",
    id: "7",
    source: "/pipelines/shop",
    type: "example.shop.deployment",
    time: new Date().toISOString(),
    data: { host: "t-web-01", service: "shopfront", version: "2.1", ticket: "CHG-17", who: "pipeline" },
  };
  const changes = () =>
    engine.db
      .prepare(
        `SELECT x.kind, x.summary, x.ticket, x.by_whom, c.name FROM change x LEFT
         JOIN component c ON c.id = x.component_id WHERE x.kind IN ('deployment', 'change') ORDER BY x.id`,
      )
      .all();
  it("become changes of the component they are about, once each, in all three forms", async () => {
    const structured = { "content-type": "application/cloudevents+json; charset=utf-8" };
    expect((await post("/events", JSON.stringify(event), structured)).status).toBe(204);
    expect((await post("/events", JSON.stringify(event), structured)).status).toBe(204);
    expect(
      (
        await post(
          "/events",
          JSON.stringify([
            {
              ...event,
              id: "8",
              type: "example.config",
              subject: "t-web-01",
              data: { summary: "The cache got larger" },
            },
          ]),
          { "content-type": "application/cloudevents-batch+json" },
        )
      ).status,
    ).toBe(204);
    expect(
      (
        await post("/events", JSON.stringify({ summary: "The certificate was renewed", host: "t-web-01" }), {
          "content-type": "application/json",
          "ce-specversion": "1.0",
          "ce-id": "9",
          "ce-source": "/certs",
          "ce-type": "example.certificate",
        })
      ).status,
    ).toBe(204);
    expect(changes()).toEqual([
      {
        kind: "deployment",
        summary: "shopfront 2.1 was deployed",
        ticket: "CHG-17",
        by_whom: "pipeline",
        name: "shopfront @ t-web-01",
      },
      { kind: "change", summary: "The cache got larger", ticket: null, by_whom: "/pipelines/shop", name: "t-web-01" },
      { kind: "change", summary: "The certificate was renewed", ticket: null, by_whom: "/certs", name: "t-web-01" },
    ]);
  });
  it.each([
    ["no id", { ...event, id: "" }, /id/],
    ["another version", { ...event, specversion: "0.3" }, /1\.0/],
    ["a time that is none", { ...event, time: "yesterday" }, /RFC 3339/],
    ["a list for data's summary", { ...event, data: { summary: [] } }, /summary/],
  ])("with %s are refused with what is wrong", async (_what, wrong, text) => {
    const response = await post("/events", JSON.stringify(wrong), { "content-type": "application/cloudevents+json" });
    expect(response.status).toBe(400);
    expect(await response.text()).toMatch(text);
    expect(changes()).toEqual([]);
  });
});

describe("OpenMetrics", () => {
  it("is read from a page on its interval, counters and histograms as they are meant", async () => {
    let round = 0;
    const page = createServer((_request, response) => {
      round++;
      response.end(
        `# TYPE jobs counter\njobs_total{queue="a"} ${round * 10}\njobs_created{queue="a"} 1\n# TYPE took histogram\n# UNIT took seconds\ntook_bucket{le="0.1"} ${round * 8}\ntook_bucket{le="1"} ${round * 10}\ntook_bucket{le="+Inf"} ${round * 10}\ntook_count ${round * 10}\ntook_sum ${round * 3}\n# TYPE depth gauge\ndepth 4.5\n# EOF\n`,
      );
    });
    await new Promise<void>((resolve) => page.listen(0, "127.0.0.1", resolve));
    let clock = Date.now();
    const scraper = new Scraper(channel, () => (clock += 10_000));
    const address = `http://127.0.0.1:${(page.address() as AddressInfo).port}/metrics`;
    try {
      scraper.follow([
        { id: 1, url: address, everySeconds: 5 },
        { id: 2, url: "http://127.0.0.1:9/", everySeconds: 5 },
      ]);
      await until("three rounds", () => valuesOf("jobs").length >= 3);
      expect(valuesOf("jobs").slice(0, 3)).toEqual([10, 20, 30]);
      expect(valuesOf("depth")[0]).toBe(4.5);
      // Ten came between two looks, eight of them within 0.1 s.
      expect(valuesOf("took.p50")[0]).toBeLessThanOrEqual(0.1);
      expect(selectSeries(reader, { metric: "took.p50" })[0]).toMatchObject({ unit: "s", component: "t-web-01" });
      expect(scraper.states.get(1)?.problem).toBeNull();
      expect(scraper.states.get(2)?.problem).toMatch(/Nothing answers/);
    } finally {
      scraper.close();
      page.closeAllConnections();
      page.close();
    }
  });
});

describe("syslog", () => {
  it("accounts for every message of a burst by UDP: kept, or counted as dropped by us or by the kernel", async () => {
    const syslog = new SyslogReceiver(channel, Date.now);
    const port = 20_000 + Math.floor(process.pid % 20_000);
    await syslog.listen("127.0.0.1", port);
    const udp = createSocket("udp4");
    try {
      const stamp = new Date().toISOString();
      for (let index = 0; index < 20_000; index++) {
        const line = Buffer.from(`<165>1 ${stamp} t-web-01.test.example linkd 7 - - port ${index} is up`);
        if (index % 200 === 199)
          await new Promise<void>((resolve) => udp.send(line, port, "127.0.0.1", () => resolve()));
        else udp.send(line, port, "127.0.0.1");
      }
      const { figures } = channel;
      await until("all are accounted for", () => figures.syslog + figures.dropped + figures.kernelDropped >= 20_000);
      expect(figures.syslog + figures.dropped + figures.kernelDropped).toBe(20_000);
      // Where the kernel gives as much room as is asked for, nearly nothing is lost; where it does not, that is seen.
      expect(figures.syslog).toBeGreaterThan(0);
    } finally {
      udp.close();
      await syslog.close();
    }
  });
  it("is kept by UDP and TCP, named by host or address, odd lines whole", async () => {
    const syslog = new SyslogReceiver(channel, Date.now);
    const port = 20_000 + Math.floor(process.pid % 20_000);
    await syslog.listen("127.0.0.1", port);
    try {
      const udp = createSocket("udp4");
      const stamp = new Date().toISOString();
      await new Promise<void>((resolve) =>
        udp.send(
          `<165>1 ${stamp} t-web-01.test.example linkd 7 - [port@32473 name="eth0"] link down on port 3`,
          port,
          "127.0.0.1",
          () => resolve(),
        ),
      );
      await new Promise<void>((resolve) => udp.send("no standard at all", port, "127.0.0.1", () => resolve()));
      udp.close();
      const tcp = connect(port, "127.0.0.1");
      const octets = "<34>1 - - - - - - octets";
      tcp.end(`<34>1 ${stamp} t-web-01 sshd - - - counted\n${octets.length} ${octets}\n`);
      const rows = await until("four records", () => {
        const found = searchLogs(
          reader,
          { fromMs: 0, toMs: 1e15, words: [], without: [], leastSeverity: 0 },
          null,
          10,
        ).rows;
        return found.length === 4 && found;
      });
      expect(rows.map((row) => row.body).sort()).toEqual([
        "counted",
        "link down on port 3",
        "no standard at all",
        "octets",
      ]);
      const named = reader
        .prepare(
          `SELECT l.body, c.name FROM log l JOIN resource o ON o.id = l.resource_id LEFT
           JOIN component c ON c.id = o.component_id ORDER BY l.body`,
        )
        .all();
      expect(named).toContainEqual({ body: "link down on port 3", name: "t-web-01" });
      expect(named).toContainEqual({ body: "no standard at all", name: "t-web-01" });
      expect(rows.find((row) => row.body === "no standard at all")?.attributes).toContain("obeys no standard");
      expect(rows.find((row) => row.body === "link down on port 3")).toMatchObject({
        severity: 10,
        attributes: expect.stringContaining('"port@32473.name":"eth0"'),
      });
    } finally {
      await syslog.close();
    }
  });
});
