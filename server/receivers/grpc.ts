import grpc from "@grpc/grpc-js";
import type { IngestChannel } from "./channel";
import { partialSuccessToProtobuf } from "./otlp-protobuf";
import { BadSignal } from "./otlp-types";
import { CODE, noToken, Refusal, starting, tooMuch } from "./refusal";
import type { SenderTokens } from "./sender-tokens";
import { takeSignals, type OtlpSignal } from "./signals";

/** The largest message that gRPC takes unless it is told otherwise; exporters keep to it. */
const MOST_BYTES = 4 * 1024 * 1024;
const MOST_CALLS_A_CONNECTION = 16;
/** Connections begin anew so often, so that one whose other end has gone does not stay for ever. */
const CONNECTION_MS = 15 * 60_000;
const IDLE_MS = 5 * 60_000;

const SERVICES: Readonly<Record<string, OtlpSignal>> = {
  "opentelemetry.proto.collector.metrics.v1.MetricsService": "metrics",
  "opentelemetry.proto.collector.logs.v1.LogsService": "logs",
  "opentelemetry.proto.collector.trace.v1.TraceService": "traces",
};

const asIs = (bytes: Buffer): Buffer => bytes;

/** "ipv4:192.0.2.1:50000", "[2001:db8::1]:50000": the address alone. */
const addressOf = (peer: string): string =>
  peer
    .replace(/^ipv[46]:/, "")
    .replace(/:\d+$/, "")
    .replaceAll(/[[\]]/g, "")
    .replace(/^::ffff:/, "");

/** Receives OTLP 1.x by gRPC, its three services with one call each (opentelemetry-proto, collector services). */
export class GrpcReceiver {
  private readonly server: grpc.Server;

  constructor(
    private readonly channel: IngestChannel,
    private readonly tokens: SenderTokens,
    private readonly tls?: { cert: string; key: string },
  ) {
    this.server = new grpc.Server({
      "grpc.max_receive_message_length": MOST_BYTES,
      "grpc.max_concurrent_streams": MOST_CALLS_A_CONNECTION,
      "grpc.max_connection_age_ms": CONNECTION_MS,
      "grpc.max_connection_idle_ms": IDLE_MS,
      "grpc.keepalive_time_ms": 60_000,
    });
    for (const [name, signal] of Object.entries(SERVICES))
      this.server.addService(
        {
          Export: {
            path: `/${name}/Export`,
            requestStream: false,
            responseStream: false,
            requestSerialize: asIs,
            requestDeserialize: asIs,
            responseSerialize: asIs,
            responseDeserialize: asIs,
          },
        },
        { Export: this.exportOf(signal) },
      );
  }

  private exportOf(signal: OtlpSignal): grpc.handleUnaryCall<Buffer, Buffer> {
    return (call, answer) => {
      const [authorization] = call.metadata.get("authorization");
      this.take(signal, call.request, String(authorization ?? ""), addressOf(call.getPeer())).then(
        (bytes) => answer(null, bytes),
        (error: unknown) => answer(this.failureOf(error)),
      );
    };
  }

  private async take(signal: OtlpSignal, bytes: Buffer, authorization: string, peer: string): Promise<Buffer> {
    const { channel, tokens } = this;
    channel.figures.requests++;
    const scope = tokens.scopeOf(authorization || undefined, peer);
    if (scope === null) throw starting();
    if (scope === undefined) throw noToken();
    const hold = channel.enter(peer);
    if (!hold) throw tooMuch();
    try {
      if (!hold.take(bytes.length)) throw tooMuch();
      const rejected = await takeSignals(channel, { signal, bytes, json: false, peer, scope });
      channel.figures.refused += rejected.count;
      return Buffer.from(partialSuccessToProtobuf(rejected.count, rejected.text));
    } finally {
      hold.release();
    }
  }

  private failureOf(error: unknown): Partial<grpc.StatusObject> {
    const { figures } = this.channel;
    if (error instanceof Refusal) {
      if (error.status === 429) figures.throttled++;
      return { code: error.code, details: error.message };
    }
    if (error instanceof BadSignal) {
      figures.unreadable++;
      return { code: CODE.invalid, details: error.message };
    }
    this.channel.onFault(error);
    return { code: CODE.internal, details: "Something went wrong on this side." };
  }

  /** @throws an error with code EADDRINUSE where the port is taken */
  listen(host: string, port: number): Promise<number> {
    const credentials = this.tls
      ? grpc.ServerCredentials.createSsl(null, [
          { cert_chain: Buffer.from(this.tls.cert), private_key: Buffer.from(this.tls.key) },
        ])
      : grpc.ServerCredentials.createInsecure();
    return new Promise((resolve, reject) => {
      const at = host.includes(":") ? `[${host}]:${port}` : `${host}:${port}`;
      this.server.bindAsync(at, credentials, (error, bound) => {
        if (error) reject(Object.assign(error, /EADDRINUSE/.test(error.message) ? { code: "EADDRINUSE" } : {}));
        else resolve(bound);
      });
    });
  }

  close(): void {
    this.server.forceShutdown();
  }
}
