import { timingSafeEqual } from "node:crypto";
import { createServer, type IncomingMessage, type Server, type ServerResponse } from "node:http";
import { hostname } from "node:os";
import { createGunzip, createInflate } from "node:zlib";
import { isReceiverName } from "../http/host-names";
import { Rejected } from "./batch-builder";
import { readCloudEvents } from "./cloudevents";
import type { Hold, IngestChannel } from "./channel";
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

/** What a request has to bring before it is read. */
interface Gate {
  isWelcome: (request: IncomingMessage) => boolean;
  isNamed: (request: IncomingMessage) => boolean;
}

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
 * @param token that senders must bring as a bearer token (RFC 6750); without one everybody may send
 * @param publicNames names of this machine that are not its own host name
 */
export function receiveOtlp(channel: IngestChannel, token?: string, publicNames: readonly string[] = []): Server {
  const gate: Gate = {
    isWelcome: token === undefined ? () => true : tokenCheck(token),
    isNamed: ({ headers }) => isReceiverName(headers.host, hostname(), publicNames),
  };
  const server = createServer((request, response) => {
    void answer(request, response, channel, gate);
  });
  server.requestTimeout = 30_000;
  server.headersTimeout = 10_000;
  server.maxConnections = 500;
  return server;
}

/** Browsers say where a request comes from; programs do not. */
const isFromPage = ({ headers }: IncomingMessage): boolean => {
  const site = headers["sec-fetch-site"];
  return headers.origin !== undefined || (site !== undefined && site !== "same-origin" && site !== "none");
};

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
  { isWelcome, isNamed }: Gate,
): Promise<void> {
  channel.figures.requests++;
  const json =
    /^application\/(?:[\w.-]+\+)?json\b/.test(request.headers["content-type"] ?? "") || pathOf(request) === "/events";
  const send = (status: number, body: Uint8Array | string, headers: Record<string, string> = {}) => {
    response.writeHead(status, { "Content-Type": json ? "application/json" : "application/x-protobuf", ...headers });
    response.end(body);
  };
  try {
    if (isFromPage(request)) throw new Refusal(403, 7, "Signals are not taken from web pages.");
    if (!isNamed(request))
      throw new Refusal(421, 7, "This receiver is not called so. Send to its address, or name it with --public-name.");
    if (!isWelcome(request))
      throw new Refusal(
        401,
        16,
        "Present the token this receiver asks for: Authorization: Bearer, a space, and the token.",
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
    if (refusal.status === 429) channel.figures.throttled++;
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
        ...(refusal.status === 413 || refusal.status === 401 || refusal.status === 429 ? { Connection: "close" } : {}),
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
  const length = Number(request.headers["content-length"] ?? 0);
  if (length > MOST_PACKED)
    throw new Refusal(413, EXHAUSTED, `A request may have at most ${MOST_PACKED / 2 ** 20} MiB. Send smaller batches.`);
  const peer = request.socket.remoteAddress?.replace(/^::ffff:/, "") ?? "";
  const hold = channel.enter(peer);
  if (!hold) throw tooMuch();
  try {
    const bytes = await unpacked(await read(request, hold), request.headers["content-encoding"], hold);
    const rejected = new Rejected();
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
    const outcome = await channel.deliver();
    if (outcome.problem) throw new Refusal(503, UNAVAILABLE, outcome.problem, 5);
    for (const { why } of outcome.refused) rejected.add(why);
    if (outcome.rejected) rejected.add("It cannot be kept as it is.", outcome.rejected);
    return rejected;
  } finally {
    hold.release();
  }
}

const tooMuch = () => new Refusal(429, EXHAUSTED, "Too much is under way. Send it again a little later.", 1);

/** The bytes of a request, counted as they arrive: what its head says of them is not believed. */
function read(request: IncomingMessage, hold: Hold): Promise<Buffer> {
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
      } else if (hold.take(part.length)) parts.push(part);
      else {
        request.pause();
        reject(tooMuch());
      }
    });
    request.on("end", () => resolve(Buffer.concat(parts)));
    request.on("error", reject);
    request.on("aborted", () => reject(new BadSignal("The sender broke off.")));
  });
}

/** Unpacks a request piece by piece, so that a bomb is known before it is whole. */
function unpacked(bytes: Buffer, encoding: string | undefined, hold: Hold): Promise<Uint8Array> {
  if (encoding === undefined || encoding === "identity") return Promise.resolve(bytes);
  if (encoding !== "gzip" && encoding !== "deflate")
    return Promise.reject(new Refusal(415, INVALID, "Only gzip and deflate can be unpacked."));
  return new Promise((resolve, reject) => {
    const parts: Buffer[] = [];
    let size = 0;
    const unpacking = encoding === "gzip" ? createGunzip() : createInflate();
    const end = (refusal: Error) => {
      unpacking.destroy();
      reject(refusal);
    };
    unpacking.on("data", (part: Buffer) => {
      size += part.length;
      if (size > MOST_UNPACKED)
        end(
          new Refusal(
            413,
            EXHAUSTED,
            `A request may unpack to at most ${MOST_UNPACKED / 2 ** 20} MiB. Send smaller batches.`,
          ),
        );
      else if (hold.take(part.length)) parts.push(part);
      else end(tooMuch());
    });
    unpacking.on("end", () => resolve(Buffer.concat(parts)));
    unpacking.on("error", () => reject(new BadSignal("The gzip cannot be unpacked: it is broken or cut short.")));
    unpacking.end(bytes);
  });
}
