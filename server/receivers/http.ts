import { timingSafeEqual } from "node:crypto";
import { createServer, type IncomingMessage, type Server, type ServerResponse } from "node:http";
import { promisify } from "node:util";
import { gunzip, inflate } from "node:zlib";
import { Rejected } from "./batch-builder";
import { readCloudEvents } from "./cloudevents";
import type { IngestChannel } from "./channel";
import { logsFromJson, metricsFromJson, spansFromJson } from "./otlp-json";
import {
  logsFromProtobuf,
  metricsFromProtobuf,
  partialSuccessToProtobuf,
  spansFromProtobuf,
  statusToProtobuf,
} from "./otlp-protobuf";
import { BadSignal, type Attribute, type OfResource } from "./otlp-types";

const MOST_PACKED = 16 * 1024 * 1024;
/** A request may unpack to at most this; a bomb ends here. */
const MOST_UNPACKED = 64 * 1024 * 1024;

const unpack = { gzip: promisify(gunzip), deflate: promisify(inflate) } as const;

/** An answer other than success: its HTTP status, its code after google.rpc.Code, a sentence. */
class Refusal extends Error {
  constructor(
    readonly status: number,
    readonly code: number,
    message: string,
    readonly retryAfterSeconds?: number,
  ) {
    super(message);
  }
}

const INVALID = 3;
const EXHAUSTED = 8;
const UNAVAILABLE = 14;

const REJECTED: Readonly<Record<string, string>> = {
  "/v1/metrics": "rejectedDataPoints",
  "/v1/logs": "rejectedLogRecords",
  "/v1/traces": "rejectedSpans",
};

/**
 * Where OTLP 1.x over HTTP is received, in protobuf or JSON, at /v1/metrics, /v1/logs and /v1/traces, and CloudEvents
 * 1.0 at /events.
 * @param token the word that senders must bring as a bearer token (RFC 6750); without one everybody may send
 */
export function receiveOtlp(channel: IngestChannel, token?: string): Server {
  const isWelcome = token === undefined ? () => true : tokenCheck(token);
  const server = createServer((request, response) => {
    void answer(request, response, channel, isWelcome);
  });
  server.requestTimeout = 30_000;
  server.headersTimeout = 10_000;
  server.maxConnections = 500;
  return server;
}

/** Compares in a time that does not tell how much was right. */
function tokenCheck(token: string): (request: IncomingMessage) => boolean {
  const wanted = Buffer.from(`Bearer ${token}`);
  return ({ headers }) => {
    const brought = Buffer.from(headers.authorization ?? "");
    return brought.length === wanted.length && timingSafeEqual(brought, wanted);
  };
}

async function answer(
  request: IncomingMessage,
  response: ServerResponse,
  channel: IngestChannel,
  isWelcome: (request: IncomingMessage) => boolean,
): Promise<void> {
  channel.figures.requests++;
  const json =
    /^application\/(?:[\w.-]+\+)?json\b/.test(request.headers["content-type"] ?? "") || pathOf(request) === "/events";
  const send = (status: number, body: Uint8Array | string, headers: Record<string, string> = {}) => {
    response.writeHead(status, { "Content-Type": json ? "application/json" : "application/x-protobuf", ...headers });
    response.end(body);
  };
  try {
    if (!isWelcome(request))
      throw new Refusal(
        401,
        16,
        "Bring the word this receiver asks for: Authorization: Bearer, a space, and the word.",
      );
    const rejected = await take(request, json, channel);
    channel.figures.refused += rejected.count;
    if (pathOf(request) === "/events") return send(204, "");
    if (!json) return send(200, partialSuccessToProtobuf(rejected.count, rejected.text));
    const name = REJECTED[pathOf(request)] as string;
    send(
      200,
      JSON.stringify(
        rejected.count ? { partialSuccess: { [name]: String(rejected.count), errorMessage: rejected.text } } : {},
      ),
    );
  } catch (error) {
    const refusal =
      error instanceof Refusal
        ? error
        : error instanceof BadSignal
          ? new Refusal(400, INVALID, error.message)
          : new Refusal(500, 13, "Something went wrong on this side.");
    if (refusal.status === 400) channel.figures.unreadable++;
    if (refusal.status === 500) channel.onFault(error);
    // What was not read of the request is not worth waiting for.
    request.resume();
    send(
      refusal.status,
      json
        ? JSON.stringify({ code: refusal.code, message: refusal.message })
        : statusToProtobuf(refusal.code, refusal.message),
      {
        ...(refusal.retryAfterSeconds ? { "Retry-After": String(refusal.retryAfterSeconds) } : {}),
        ...(refusal.status === 413 || refusal.status === 401 ? { Connection: "close" } : {}),
        ...(refusal.status === 401 ? { "WWW-Authenticate": "Bearer" } : {}),
      },
    );
  }
}

const pathOf = (request: IncomingMessage): string => (request.url ?? "").split("?")[0] as string;

async function take(request: IncomingMessage, json: boolean, channel: IngestChannel): Promise<Rejected> {
  const path = pathOf(request);
  const isEvent = path === "/events";
  if (!isEvent && !(path in REJECTED))
    throw new Refusal(404, 5, "Signals are taken at /v1/metrics, /v1/logs and /v1/traces, events at /events.");
  if (request.method !== "POST") throw new Refusal(405, 12, "Send signals by POST.");
  if (!isEvent && !json && !/^application\/x-protobuf\b/.test(request.headers["content-type"] ?? ""))
    throw new Refusal(415, INVALID, "Send application/x-protobuf or application/json.");
  // A page of another site must not be able to send signals; browsers say where a request comes from.
  const site = request.headers["sec-fetch-site"];
  if (site !== undefined && site !== "same-origin" && site !== "none")
    throw new Refusal(403, 7, "Signals are not taken from web pages.");
  const length = Number(request.headers["content-length"] ?? 0);
  if (length > MOST_PACKED)
    throw new Refusal(413, EXHAUSTED, `A request may have at most ${MOST_PACKED / 2 ** 20} MiB. Send smaller batches.`);
  const held = channel.enter(Math.max(length, 65_536));
  if (!held) {
    channel.figures.throttled++;
    throw new Refusal(429, EXHAUSTED, "Too much is under way. Send it again a little later.", 1);
  }
  try {
    const bytes = await unpacked(await read(request), request.headers["content-encoding"]);
    const rejected = new Rejected();
    const peer = request.socket.remoteAddress?.replace(/^::ffff:/, "") ?? "";
    /** Who says neither host nor service is told apart by the address it sends from. */
    const named = <Item>(list: OfResource<Item>[]): OfResource<Item>[] =>
      list.map((one) =>
        one.resource.some(([key]) => key === "host.name" || key === "service.name" || key === "service.instance.id")
          ? one
          : { ...one, resource: [...one.resource, ["source.address", peer] as Attribute] },
      );
    if (isEvent) channel.builder.events.push(...readCloudEvents(request.headers, bytes));
    else if (path === "/v1/metrics")
      channel.builder.metrics(named(json ? metricsFromJson(bytes) : metricsFromProtobuf(bytes)), {}, rejected);
    else if (path === "/v1/traces")
      channel.builder.spanRecords(named(json ? spansFromJson(bytes) : spansFromProtobuf(bytes)), rejected);
    else channel.builder.logRecords(named(json ? logsFromJson(bytes) : logsFromProtobuf(bytes)), {}, rejected);
    const { problem, refused } = await channel.deliver();
    if (problem) throw new Refusal(503, UNAVAILABLE, problem, 5);
    for (const { why } of refused) rejected.add(why);
    return rejected;
  } finally {
    held();
  }
}

function read(request: IncomingMessage): Promise<Buffer> {
  return new Promise((resolve, reject) => {
    const parts: Buffer[] = [];
    let size = 0;
    request.on("data", (part: Buffer) => {
      size += part.length;
      if (size > MOST_PACKED) {
        request.pause();
        reject(
          new Refusal(413, EXHAUSTED, `A request may have at most ${MOST_PACKED / 2 ** 20} MiB. Send smaller batches.`),
        );
      } else parts.push(part);
    });
    request.on("end", () => resolve(Buffer.concat(parts)));
    request.on("error", reject);
    request.on("aborted", () => reject(new BadSignal("The sender broke off.")));
  });
}

async function unpacked(bytes: Buffer, encoding: string | undefined): Promise<Uint8Array> {
  if (encoding === undefined || encoding === "identity") return bytes;
  if (encoding !== "gzip" && encoding !== "deflate")
    throw new Refusal(415, INVALID, "Only gzip and deflate can be unpacked.");
  try {
    return await unpack[encoding](bytes, { maxOutputLength: MOST_UNPACKED });
  } catch (error) {
    if ((error as { code?: string }).code === "ERR_BUFFER_TOO_LARGE")
      throw new Refusal(
        413,
        EXHAUSTED,
        `A request may unpack to at most ${MOST_UNPACKED / 2 ** 20} MiB. Send smaller batches.`,
      );
    throw new BadSignal("The gzip cannot be unpacked: it is broken or cut short.");
  }
}
