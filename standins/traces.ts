import type { HostModel } from "./model";
import { scatter, seedOf } from "./rhythm";
import { countIn, type Sender } from "./log-lines";

/** Share of requests whose spans are sent, as a sampler at the head of a trace would choose. */
const SAMPLED = 0.12;
const MOST_DEPTH = 4;

export interface StandinSpan {
  sender: Sender;
  traceId: string;
  spanId: string;
  parentId: string;
  name: string;
  /** 2 server, 3 client. */
  kind: 2 | 3;
  startMs: number;
  endMs: number;
  failed: boolean;
  attributes: Record<string, string | number>;
  message: string;
}

type Request = Sender["output"]["requests"][number];

const hex = (seed: number, part: number) =>
  Math.floor(scatter(seed, part) * 0xffffffff)
    .toString(16)
    .padStart(8, "0");

/** Makes the traces of the requests that come in from outside: each call on the way is a span of its own. */
export class Traces {
  private readonly byProcess = new Map<HostModel["processes"][number], Sender>();
  private readonly entries: Sender[];

  constructor(senders: readonly Sender[]) {
    for (const sender of senders) if (sender.process) this.byProcess.set(sender.process, sender);
    const called = new Set(
      senders.flatMap((sender) =>
        sender.process && sender.output.requests.length
          ? sender.host.calls(sender.process).map((link) => link.toProcess)
          : [],
      ),
    );
    this.entries = senders.filter(
      (sender) => sender.process && sender.output.requests.length > 0 && !called.has(sender.process),
    );
  }

  /** Spans of the requests that began after `fromMs` and up to `toMs`. */
  between(fromMs: number, toMs: number): StandinSpan[] {
    const spans: StandinSpan[] = [];
    for (const sender of this.entries) {
      const { host, process, output } = sender;
      if (!process || !host.isRunning(process, toMs)) continue;
      const level = 0.05 + 0.95 * host.level(toMs);
      output.requests.forEach((request, which) => {
        const seed = seedOf(`trace ${which}`, process.seed);
        const count = countIn(
          seed,
          Math.floor(toMs / 1000),
          request.perHour * SAMPLED * level * ((toMs - fromMs) / 60_000),
        );
        for (let index = 0; index < count; index++) {
          const own = seedOf(`${toMs}.${index}`, seed);
          // It is told of once it is over, so it began a little earlier.
          const startMs = fromMs + scatter(own, 1) * (toMs - fromMs) - 2000;
          this.serve(
            sender,
            request,
            `${hex(own, 2)}${hex(own, 3)}${hex(own, 4)}${hex(own, 5)}`,
            "",
            startMs,
            own,
            0,
            spans,
          );
        }
      });
    }
    return spans;
  }

  /** One request answered, with everything called for it; whether it failed and when it was over. */
  private serve(
    sender: Sender,
    request: Request,
    traceId: string,
    parentId: string,
    startMs: number,
    seed: number,
    depth: number,
    into: StandinSpan[],
  ): { endMs: number; failed: boolean } {
    const { host, process } = sender as Sender & { process: NonNullable<Sender["process"]> };
    const strain = 1 + 7 * host.suffers(startMs);
    let chance = -6;
    for (let roll = 10; roll < 22; roll++) chance += scatter(seed, roll);
    const ownMs = request.milliseconds * 0.45 * strain * Math.exp(0.6 * chance);
    const spanId = `${hex(seed, 30)}${hex(seed, 31)}`;
    const span: StandinSpan = {
      sender,
      traceId,
      spanId,
      parentId,
      name: `${request.method} ${request.route}`,
      kind: 2,
      startMs,
      endMs: startMs,
      failed: scatter(seed, 32) * 100 < request.failPercent * strain ** 2,
      attributes: {
        "http.request.method": request.method,
        "http.route": request.route,
        "http.response.status_code": 200,
      },
      message: "",
    };
    into.push(span);
    if (span.failed) span.message = strain > 2 ? "no memory to go on" : "unexpected answer of a peer";
    let at = startMs + ownMs * 0.4;
    if (depth < MOST_DEPTH) {
      const peers = new Map<string, ReturnType<HostModel["calls"]>[number][]>();
      for (const link of host.calls(process))
        peers.set(link.toProcess.spec.name, [...(peers.get(link.toProcess.spec.name) ?? []), link]);
      for (const [name, links] of peers) {
        const own = seedOf(`${name}${depth}`, seed);
        // One peer of each sort is called, now this one, now that one, and not on every request.
        if (scatter(own, 1) > 0.75) continue;
        const link = links[Math.floor(scatter(own, 5) * links.length)] as (typeof links)[number];
        const ended = this.call(sender, link.to, link.toProcess, traceId, spanId, at, own, depth, into);
        at = ended.endMs + ownMs * 0.1;
        if (ended.failed && scatter(own, 2) < 0.8) {
          span.failed = true;
          span.message = `${name} did not answer as it should`;
          break;
        }
      }
    }
    span.endMs = at + ownMs * 0.4;
    if (span.failed) span.attributes["http.response.status_code"] = 500;
    return { endMs: span.endMs, failed: span.failed };
  }

  private call(
    caller: Sender,
    host: HostModel,
    process: HostModel["processes"][number],
    traceId: string,
    parentId: string,
    startMs: number,
    seed: number,
    depth: number,
    into: StandinSpan[],
  ): { endMs: number; failed: boolean } {
    const spanId = `${hex(seed, 40)}${hex(seed, 41)}`;
    const callee = this.byProcess.get(process);
    const request = callee?.output.requests[Math.floor(scatter(seed, 42) * (callee.output.requests.length || 1))];
    const span: StandinSpan = {
      sender: caller,
      traceId,
      spanId,
      parentId,
      name: request ? `${request.method} ${request.route}` : `ask ${process.spec.name}`,
      kind: 3,
      startMs,
      endMs: startMs,
      failed: false,
      attributes: { "server.address": host.address, "peer.service": process.spec.name },
      message: "",
    };
    into.push(span);
    if (!host.isRunning(process, startMs)) {
      span.endMs = startMs + 1500;
      span.failed = true;
      span.message = `no connection to ${host.address}`;
    } else if (callee && request) {
      const ended = this.serve(
        callee,
        request,
        traceId,
        spanId,
        startMs + 0.6,
        seedOf("served", seed),
        depth + 1,
        into,
      );
      span.endMs = ended.endMs + 0.6;
      span.failed = ended.failed;
    } else span.endMs = startMs + 1 + 9 * scatter(seed, 43) ** 2 * (1 + 7 * host.suffers(startMs));
    return { endMs: span.endMs, failed: span.failed };
  }
}

/** What a process writes into its log when a request fails, with the trace it belongs to. */
export function failureLines(
  spans: readonly StandinSpan[],
): { sender: Sender; atMs: number; severity: number; text: string; traceId: string; spanId: string }[] {
  return spans
    .filter((span) => span.failed && span.kind === 2)
    .map((span) => ({
      sender: span.sender,
      atMs: Math.round(span.endMs),
      severity: 17,
      text: `${span.name} failed: ${span.message}`,
      traceId: span.traceId,
      spanId: span.spanId,
    }));
}
