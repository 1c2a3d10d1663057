import { mkdtempSync, rmSync } from "node:fs";
import { createServer } from "node:http";
import type { AddressInfo } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { MessageChannel } from "node:worker_threads";
import protobuf from "protobufjs/minimal.js";
import { Engine } from "#server/engine/engine";
import { IngestChannel } from "#server/receivers/channel";
import { receiveOtlp } from "#server/receivers/http";
import { SenderTokens } from "#server/receivers/sender-tokens";
import type { Measurement } from "./measurement";
import { settingsAt } from "../tests/settings";

const POINTS = 4000;
const REQUESTS = 60;

const attribute = (writer: protobuf.Writer, field: number, key: string, value: string) => {
  writer.uint32((field << 3) | 2).fork();
  writer.uint32(10).string(key).uint32(18).fork().uint32(10).string(value).ldelim();
  writer.ldelim();
};

/** One export of a gauge: 4,000 series with three attributes each, one point of each. */
function request(atMs: number): Uint8Array {
  const writer = protobuf.Writer.create();
  writer.uint32(10).fork();
  writer.uint32(10).fork();
  attribute(writer, 1, "service.name", "shopfront");
  attribute(writer, 1, "host.name", "t-web-01");
  writer.ldelim();
  writer.uint32(18).fork().uint32(18).fork();
  writer.uint32(10).string("request.queue").uint32(26).string("1").uint32(42).fork();
  const nano = BigInt(atMs) * 1_000_000n;
  for (let index = 0; index < POINTS; index++) {
    writer.uint32(10).fork();
    attribute(writer, 7, "http.route", `/orders/${index % 50}`);
    attribute(writer, 7, "http.request.method", index % 2 ? "GET" : "POST");
    attribute(writer, 7, "instance", String(index));
    writer
      .uint32(25)
      .fixed32(Number(nano & 0xffffffffn))
      .fixed32(Number(nano >> 32n));
    writer.uint32(33).double(Math.round((50 + (index % 40) + Math.sin(atMs / 1e5)) * 100) / 100);
    writer.ldelim();
  }
  writer.ldelim().ldelim().ldelim().ldelim();
  return writer.finish();
}

async function send(url: string, bodies: readonly Uint8Array[]): Promise<number> {
  let next = 0;
  const began = performance.now();
  await Promise.all(
    Array.from({ length: 4 }, async () => {
      while (next < bodies.length) {
        const body = bodies[next++] as Uint8Array;
        const response = await fetch(url, {
          method: "POST",
          headers: { "content-type": "application/x-protobuf" },
          body: body as BodyInit,
        });
        const answer = await response.arrayBuffer();
        if (!response.ok || answer.byteLength > 0)
          throw new Error(`The receiver answered ${response.status} with ${answer.byteLength} bytes.`);
      }
    }),
  );
  return (bodies.length * POINTS) / ((performance.now() - began) / 1000);
}

/** OTLP in protobuf from the request to what is safe in the store, receiver and engine on one thread. */
export async function benchOtlp(root: string): Promise<Measurement> {
  const folder = mkdtempSync(join(tmpdir(), "holotaxis-bench-"));
  const engine = new Engine(settingsAt(folder, { root }), () => undefined);
  const { port1, port2 } = new MessageChannel();
  engine.attach(port1);
  const server = receiveOtlp(
    new IngestChannel(port2, Date.now, (error) => process.stderr.write(`${String(error)}\n`)),
    new SenderTokens(true, Date.now),
  );
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
  const bare = createServer((incoming, response) => {
    incoming.resume();
    incoming.on("end", () => response.end());
  });
  await new Promise<void>((resolve) => bare.listen(0, "127.0.0.1", resolve));
  const start = Date.now() - 3_000_000;
  const bodies = Array.from({ length: REQUESTS }, (_, index) => request(start + index * 15_000));
  const own = await send(`http://127.0.0.1:${(server.address() as AddressInfo).port}/v1/metrics`, bodies);
  const plain = await send(`http://127.0.0.1:${(bare.address() as AddressInfo).port}/`, bodies);
  for (const one of [server, bare]) {
    one.closeAllConnections();
    one.close();
  }
  await engine.close();
  rmSync(folder, { recursive: true, force: true });
  return {
    name: "OTLP protobuf, request to durable, samples a second",
    value: own,
    unit: "1/s",
    better: "higher",
    target: 100_000,
    reference: { name: "the same requests to a server that drops them", value: plain },
  };
}
