import { mkdtempSync, rmSync } from "node:fs";
import { connect } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { MessageChannel } from "node:worker_threads";
import grpc from "@grpc/grpc-js";
import { SpanKind } from "@opentelemetry/api";
import { SeverityNumber } from "@opentelemetry/api-logs";
import { OTLPLogExporter } from "@opentelemetry/exporter-logs-otlp-grpc";
import { OTLPMetricExporter } from "@opentelemetry/exporter-metrics-otlp-grpc";
import { OTLPTraceExporter } from "@opentelemetry/exporter-trace-otlp-grpc";
import { resourceFromAttributes } from "@opentelemetry/resources";
import { BatchLogRecordProcessor, LoggerProvider } from "@opentelemetry/sdk-logs";
import { MeterProvider, PeriodicExportingMetricReader } from "@opentelemetry/sdk-metrics";
import { BasicTracerProvider, BatchSpanProcessor } from "@opentelemetry/sdk-trace-base";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { Engine } from "#server/engine/engine";
import { tracesPage } from "#server/pages/traces";
import { IngestChannel } from "#server/receivers/channel";
import { GrpcReceiver } from "#server/receivers/grpc";
import { SenderTokens } from "#server/receivers/sender-tokens";
import { storeFile } from "#server/settings";
import { openStore, type Db } from "#server/store/database";
import { readSearch, searchLogs } from "#server/store/logs";
import { selectSeries } from "#server/store/query";
import { settingsAt } from "../settings";

let folder: string;
let engine: Engine;
let receiver: GrpcReceiver;
let reader: Db;
let port: number;
const faults: unknown[] = [];

async function start(tokens = new SenderTokens(true, Date.now)): Promise<void> {
  folder = mkdtempSync(join(tmpdir(), "holotaxis-"));
  const settings = settingsAt(folder);
  engine = new Engine(settings, () => undefined);
  const { port1, port2 } = new MessageChannel();
  engine.attach(port1);
  receiver = new GrpcReceiver(new IngestChannel(port2, Date.now, (error) => faults.push(error)), tokens);
  port = await receiver.listen("127.0.0.1", 0);
  reader = openStore(storeFile(settings), "reader");
}
beforeEach(() => start());
afterEach(async () => {
  reader.close();
  receiver.close();
  await engine.close();
  rmSync(folder, { recursive: true, force: true });
  expect(faults.splice(0)).toEqual([]);
});

const resource = resourceFromAttributes({ "service.name": "shopfront", "host.name": "t-web-01" });
const url = () => `http://127.0.0.1:${port}`;

/** One call by hand, with whatever octets. */
function exportRaw(bytes: Uint8Array, headers: Record<string, string> = {}): Promise<grpc.ServiceError | null> {
  const client = new grpc.Client(`127.0.0.1:${port}`, grpc.credentials.createInsecure());
  const metadata = new grpc.Metadata();
  for (const [name, value] of Object.entries(headers)) metadata.set(name, value);
  return new Promise((resolve) => {
    client.makeUnaryRequest(
      "/opentelemetry.proto.collector.logs.v1.LogsService/Export",
      (given: Uint8Array) => Buffer.from(given),
      (given: Buffer) => given,
      bytes,
      metadata,
      (error) => {
        client.close();
        resolve(error);
      },
    );
  });
}

describe("OTLP by gRPC", () => {
  it("is taken from the published client libraries: metrics, logs and traces", async () => {
    const meters = new MeterProvider({
      resource,
      readers: [
        new PeriodicExportingMetricReader({
          exporter: new OTLPMetricExporter({ url: url() }),
          exportIntervalMillis: 3_600_000,
        }),
      ],
    });
    meters.getMeter("test").createCounter("orders", { unit: "{order}" }).add(7);
    await meters.forceFlush();
    await meters.shutdown();
    const logs = new LoggerProvider({
      resource,
      processors: [new BatchLogRecordProcessor({ exporter: new OTLPLogExporter({ url: url() }) })],
    });
    logs.getLogger("test").emit({ severityNumber: SeverityNumber.WARN, body: "basket is late" });
    await logs.forceFlush();
    await logs.shutdown();
    const traces = new BasicTracerProvider({
      resource,
      spanProcessors: [new BatchSpanProcessor(new OTLPTraceExporter({ url: url() }))],
    });
    traces.getTracer("test").startSpan("nightly run", { kind: SpanKind.INTERNAL }).end();
    await traces.forceFlush();
    await traces.shutdown();
    expect(selectSeries(reader, { metric: "orders" })).toHaveLength(1);
    const found = searchLogs(reader, { fromMs: 0, toMs: 1e15, ...readSearch("basket"), leastSeverity: 0 }, null, 10);
    expect(found.rows.map((row) => row.body)).toEqual(["basket is late"]);
    const page = tracesPage(reader, {
      fromMs: 0,
      toMs: Date.now() + 60_000,
      text: "",
      answered: true,
      operation: null,
      least: null,
      most: null,
      failedOnly: false,
    });
    // Nobody asked for it, so it begins its trace: it is listed with what was answered.
    expect(page.operations.map((one) => one.name)).toEqual(["nightly run"]);
  });

  it("refuses what is no OTLP with a sentence, and goes on", async () => {
    const error = await exportRaw(Uint8Array.from([0xff, 0xff, 0xff]));
    expect(error?.code).toBe(grpc.status.INVALID_ARGUMENT);
    expect(error?.details).not.toBe("");
    expect(await exportRaw(new Uint8Array(0))).toBeNull();
  });

  it("refuses more than 4 MiB before it is whole", async () => {
    const error = await exportRaw(new Uint8Array(5 * 1024 * 1024));
    expect(error?.code).toBe(grpc.status.RESOURCE_EXHAUSTED);
  });

  it("lives through a peer that speaks something else", async () => {
    const socket = connect(port, "127.0.0.1");
    socket.write("GET / HTTP/1.1\r\n\r\n");
    await new Promise((done) => socket.on("close", done).on("error", done).resume());
    expect(await exportRaw(new Uint8Array(0))).toBeNull();
  });
});

describe("OTLP by gRPC with tokens", () => {
  it("takes nothing without one", async () => {
    receiver.close();
    await engine.close();
    reader.close();
    rmSync(folder, { recursive: true, force: true });
    const tokens = new SenderTokens(false, Date.now);
    tokens.take([]);
    await start(tokens);
    const error = await exportRaw(new Uint8Array(0), { authorization: "Bearer nonsense" });
    expect(error?.code).toBe(grpc.status.UNAUTHENTICATED);
    expect(error?.details).toContain("Setup › Tokens");
  });
});
