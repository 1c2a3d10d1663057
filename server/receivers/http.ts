import { createServer, type IncomingMessage, type Server, type ServerResponse } from "node:http";
import { createServer as createTlsServer } from "node:https";
import { hostname } from "node:os";
import { readFileSync } from "node:fs";
import { join } from "node:path";
import { createGunzip, createInflate } from "node:zlib";
import { z } from "zod";
import { agentAsks, type AgentToDo } from "#core/estate/agent-actions";
import { agentReport } from "#core/estate/agent-report";
import { whyNotSent, type TokenScope } from "#core/people/tokens";
import { isReceiverName } from "../http/host-names";
import { Rejected } from "./rejected";
import { readCloudEvents } from "./cloudevents";
import type { Hold, IngestChannel } from "./channel";
import { partialSuccessToProtobuf, statusToProtobuf } from "./otlp-protobuf";
import { BadSignal } from "./otlp-types";
import { CODE, noToken, Refusal, starting, tooMuch } from "./refusal";
import { whyNotResource, type SenderTokens } from "./sender-tokens";
import { handOver, takeSignals, type OtlpSignal } from "./signals";

const MOST_PACKED = 16 * 1024 * 1024;
/** A request may unpack to at most this; a bomb ends here. */
const MOST_UNPACKED = 64 * 1024 * 1024;

/** What a request has to bring before it is read. */
interface Gate {
  tokens: SenderTokens;
  /** What anybody may fetch, by its path. */
  files: ReadonlyMap<string, string>;
  isNamed: (request: IncomingMessage) => boolean;
}

const agentFiles = (root: string): ReadonlyMap<string, string> =>
  new Map([
    ["/agent.sh", join(root, "agent", "install.sh")],
    ["/agent.js", join(root, "build", "run", "agent", "main.js")],
  ]);

/** What an agent says of the host it asks a token for. */
const enrolment = z.object({
  code: z.string().min(20).max(200),
  hostId: z.string().max(120).default(""),
  hostName: z.string().trim().min(1).max(253),
});
const MOST_ENROLMENT = 4_096;

const REJECTED: Readonly<Record<string, string>> = {
  "/v1/metrics": "rejectedDataPoints",
  "/v1/logs": "rejectedLogRecords",
  "/v1/traces": "rejectedSpans",
};

/**
 * Where OTLP 1.x over HTTP is received, in protobuf or JSON, at /v1/metrics, /v1/logs and /v1/traces, and CloudEvents
 * 1.0 at /events; agents are fetched at /agent.sh and /agent.js, enrol at /enrol and say at /inventory what runs on
 * their hosts.
 * @param tokens who may send what
 * @param publicNames names of this machine that are not its own host name
 * @param tls certificate and key, PEM; without them it is plain HTTP
 */
export function receiveOtlp(
  channel: IngestChannel,
  tokens: SenderTokens,
  publicNames: readonly string[] = [],
  tls?: { cert: string; key: string },
  root = process.cwd(),
): Server {
  const gate: Gate = {
    tokens,
    files: agentFiles(root),
    isNamed: ({ headers }) => isReceiverName(headers.host, hostname(), publicNames),
  };
  const take = (request: IncomingMessage, response: ServerResponse) => void answer(request, response, channel, gate);
  const server = tls ? createTlsServer(tls, take) : createServer(take);
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

async function answer(
  request: IncomingMessage,
  response: ServerResponse,
  channel: IngestChannel,
  { tokens, files, isNamed }: Gate,
): Promise<void> {
  channel.figures.requests++;
  const json =
    /^application\/(?:[\w.-]+\+)?json\b/.test(request.headers["content-type"] ?? "") || isJsonPath(pathOf(request));
  const send = (status: number, body: Uint8Array | string, headers: Record<string, string> = {}) => {
    response.writeHead(status, { "Content-Type": json ? "application/json" : "application/x-protobuf", ...headers });
    response.end(body);
  };
  try {
    if (isFromPage(request)) throw new Refusal(403, 7, "Signals are not taken from web pages.");
    if (!isNamed(request))
      throw new Refusal(421, 7, "This receiver is not called so. Send to its address, or name it with --public-name.");
    const file = files.get(pathOf(request));
    if (file !== undefined) return hand(request, response, file);
    if (pathOf(request) === "/enrol") return send(200, JSON.stringify(await enrol(request, channel)));
    const scope = tokens.scopeOf(request.headers.authorization, peerOf(request));
    if (scope === null) throw starting();
    if (scope === undefined) throw noToken();
    if (pathOf(request) === "/inventory") {
      await takeInventory(request, channel, scope);
      return send(204, "");
    }
    if (pathOf(request) === "/actions") return send(200, JSON.stringify(await takeActions(request, channel, scope)));
    const rejected = await take(request, json, channel, scope);
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
          ? new Refusal(400, CODE.invalid, error.message)
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

/** Hands out a file of the agent, which is no secret. */
function hand(request: IncomingMessage, response: ServerResponse, file: string): void {
  if (request.method !== "GET" && request.method !== "HEAD") throw new Refusal(405, 12, "Fetch this by GET.");
  let text: string;
  try {
    text = readFileSync(file, "utf8");
  } catch {
    throw new Refusal(404, 5, "The agent is not built on this server: npm run build.");
  }
  response.writeHead(200, { "Content-Type": "text/plain; charset=utf-8", "X-Content-Type-Options": "nosniff" });
  response.end(request.method === "HEAD" ? undefined : text);
}

/** An agent fetches a token of its own for its host. */
async function enrol(request: IncomingMessage, channel: IngestChannel): Promise<{ token: string }> {
  if (request.method !== "POST") throw new Refusal(405, 12, "Enrol by POST.");
  const hold = channel.enter(peerOf(request));
  if (!hold) throw tooMuch();
  try {
    const bytes = await read(request, hold, MOST_ENROLMENT);
    let given: unknown;
    try {
      given = JSON.parse(bytes.toString("utf8"));
    } catch {
      throw new BadSignal("Enrol with JSON: code, hostName and hostId.");
    }
    const asked = enrolment.safeParse(given);
    if (!asked.success) throw new BadSignal("Enrol with the code, the host's name and its id, each as text.");
    const outcome = await channel.enrol(asked.data, peerOf(request));
    if (outcome.token === undefined) throw new Refusal(403, 7, outcome.problem);
    return { token: outcome.token };
  } finally {
    hold.release();
  }
}

/** An agent asks for something to do: only for the host that its own token is bound to. */
async function takeActions(request: IncomingMessage, channel: IngestChannel, scope: TokenScope): Promise<AgentToDo> {
  if (request.method !== "POST") throw new Refusal(405, 12, "Ask by POST.");
  const hold = channel.enter(peerOf(request));
  if (!hold) throw tooMuch();
  try {
    let given: unknown;
    try {
      given = JSON.parse((await read(request, hold)).toString("utf8"));
    } catch (error) {
      if (error instanceof Refusal) throw error;
      throw new BadSignal("This is no JSON.");
    }
    const asks = agentAsks.safeParse(given);
    if (!asks.success) {
      const [issue] = asks.error.issues;
      throw new BadSignal(`${issue?.path.join(".") || "What is asked"}: ${issue?.message ?? "is not right"}`);
    }
    const { hostName, hostId } = asks.data;
    if (scope.kind !== "agent" || scope.hostName !== hostName || scope.hostId !== hostId)
      throw new Refusal(403, 7, "Actions are handed to the agent of a host by its own token only; enrol it.");
    return await channel.actions(asks.data).catch((error: unknown) => {
      throw new Refusal(503, CODE.unavailable, error instanceof Error ? error.message : String(error), 30);
    });
  } finally {
    hold.release();
  }
}

/** An agent says what runs on its host; it is answered when that is in the store. */
async function takeInventory(request: IncomingMessage, channel: IngestChannel, scope: TokenScope): Promise<void> {
  if (request.method !== "POST") throw new Refusal(405, 12, "Report by POST.");
  const peer = peerOf(request);
  const hold = channel.enter(peer);
  if (!hold) throw tooMuch();
  try {
    const bytes = await unpacked(await read(request, hold), request.headers["content-encoding"], hold);
    let given: unknown;
    try {
      given = JSON.parse(Buffer.from(bytes).toString("utf8"));
    } catch {
      throw new BadSignal("This is no JSON.");
    }
    const report = agentReport.safeParse(given);
    if (!report.success) {
      const [issue] = report.error.issues;
      throw new BadSignal(`${issue?.path.join(".") || "The report"}: ${issue?.message ?? "is not right"}`);
    }
    const { hostName, hostId } = report.data;
    const why = whyNotSent(scope, "metrics", { hostName, hostId, serviceName: "", isAgent: true });
    if (why !== undefined) throw new Refusal(403, 7, why);
    const problem = await channel.report(report.data, peer);
    if (problem !== undefined) throw new Refusal(503, CODE.unavailable, problem, 30);
  } finally {
    hold.release();
  }
}

const JSON_PATHS = new Set(["/events", "/enrol", "/inventory", "/actions"]);
const isJsonPath = (path: string) => JSON_PATHS.has(path);
const peerOf = (request: IncomingMessage) => request.socket.remoteAddress?.replace(/^::ffff:/, "") ?? "";
const pathOf = (request: IncomingMessage): string => (request.url ?? "").split("?")[0] as string;

const SIGNALS: Readonly<Record<string, OtlpSignal>> = {
  "/v1/metrics": "metrics",
  "/v1/logs": "logs",
  "/v1/traces": "traces",
};

async function take(
  request: IncomingMessage,
  json: boolean,
  channel: IngestChannel,
  scope: TokenScope,
): Promise<Rejected> {
  const path = pathOf(request);
  const isEvent = path === "/events";
  if (!isEvent && !(path in REJECTED))
    throw new Refusal(404, 5, "Signals are taken at /v1/metrics, /v1/logs and /v1/traces, events at /events.");
  if (request.method !== "POST") throw new Refusal(405, 12, "Send signals by POST.");
  if (!isEvent && !json && !/^application\/x-protobuf\b/.test(request.headers["content-type"] ?? ""))
    throw new Refusal(415, CODE.invalid, "Send application/x-protobuf or application/json.");
  const length = Number(request.headers["content-length"] ?? 0);
  if (length > MOST_PACKED)
    throw new Refusal(
      413,
      CODE.exhausted,
      `A request may have at most ${MOST_PACKED / 2 ** 20} MiB. Send smaller batches.`,
    );
  const peer = peerOf(request);
  const hold = channel.enter(peer);
  if (!hold) throw tooMuch();
  try {
    const bytes = await unpacked(await read(request, hold), request.headers["content-encoding"], hold);
    if (!isEvent) return await takeSignals(channel, { signal: SIGNALS[path] as OtlpSignal, bytes, json, peer, scope });
    const events = readCloudEvents(request.headers, bytes);
    for (const event of events) {
      const why = whyNotResource(scope, "events", [["service.name", event.source]]);
      if (why !== undefined) throw new Refusal(403, 7, why);
    }
    channel.builder.client = peer;
    channel.builder.events.push(...events);
    return await handOver(channel, new Rejected());
  } finally {
    hold.release();
  }
}

/** The bytes of a request, counted as they arrive: what its head says of them is not believed. */
function read(request: IncomingMessage, hold: Hold, most = MOST_PACKED): Promise<Buffer> {
  return new Promise((resolve, reject) => {
    const parts: Buffer[] = [];
    let size = 0;
    request.on("data", (part: Buffer) => {
      size += part.length;
      if (size > most) {
        request.pause();
        const bound = most === MOST_PACKED ? `${MOST_PACKED / 2 ** 20} MiB. Send smaller batches.` : `${most} bytes.`;
        reject(new Refusal(413, CODE.exhausted, `A request may have at most ${bound}`));
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
    return Promise.reject(new Refusal(415, CODE.invalid, "Only gzip and deflate can be unpacked."));
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
            CODE.exhausted,
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
