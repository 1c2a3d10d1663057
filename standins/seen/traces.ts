import { scatter, seedOf } from "../rhythm";
import type { Call, Operation, Queue, Station, Way } from "../world/layout";
import { attemptAt, REASON } from "../world/calls";
import type { World } from "../world/world";
import { countIn, isInstrumented, type Sender } from "./lines";

/** Share of requests whose spans are sent, as a sampler at the head of a trace would choose, and the most an hour. */
const SAMPLED = 0.12;
const MOST_PER_HOUR = 90;
const MOST_DEPTH = 8;
const MOST_CALLS = 6;

export interface StandinSpan {
  sender: Sender;
  traceId: string;
  spanId: string;
  parentId: string;
  name: string;
  /** 2 server, 3 client, 5 consumer of a message. */
  kind: 2 | 3 | 5;
  startMs: number;
  endMs: number;
  failed: boolean;
  attributes: Record<string, string | number>;
  message: string;
  /** What was done, for the sender's own measurements. */
  operation: Operation | undefined;
}

/** One trace while it is made. */
interface Walk {
  traceId: string;
  spans: StandinSpan[];
}

/** How one request or call ended. */
interface Ended {
  endMs: number;
  failed: boolean;
}

const hex = (seed: number, part: number) =>
  Math.floor(scatter(seed, part) * 0xffffffff)
    .toString(16)
    .padStart(8, "0");

/** Log-normal about a mean, by the sum of twelve even chances. */
export function spreadOf(seed: number, part: number, variation: number): number {
  let chance = -6;
  for (let roll = part; roll < part + 12; roll++) chance += scatter(seed, roll);
  const sigma = Math.sqrt(Math.log(1 + variation ** 2));
  return Math.exp(sigma * chance - sigma ** 2 / 2);
}

/** "GET /slots" is a request over HTTP; anything else is the name of what is asked. */
export function asHttp(name: string): { method: string; route: string } | undefined {
  const match = /^(GET|POST|PUT|DELETE|PATCH|HEAD) (\/\S*)$/.exec(name);
  return match ? { method: match[1] as string, route: match[2] as string } : undefined;
}

/** The queue from which what an operation does is taken; undefined where it is asked for. */
export const queueOf = (operation: Operation): Queue | undefined =>
  operation.station.takes.find((queue) => queue.consumers.includes(operation));

/**
 * Makes the traces of requests that come in from outside, and of messages that are taken from queues: each call on the way
 * is a span of its own.
 */
export class Traces {
  private readonly byStation = new Map<Station, Sender>();

  constructor(
    private readonly world: World,
    senders: readonly Sender[],
  ) {
    for (const sender of senders)
      if (sender.station && isInstrumented(sender.station)) this.byStation.set(sender.station, sender);
  }

  /** Spans of the requests that began after `fromMs` and up to `toMs`, as the world stands then. */
  between(fromMs: number, toMs: number): StandinSpan[] {
    const spans: StandinSpan[] = [];
    this.world.advance(toMs);
    for (const load of this.world.layout.loads)
      for (const operation of load.targets) {
        const perHour = ((this.world.state.load.perSecond[load.index] as number) * 3600) / load.targets.length;
        this.traceEach(operation, load.spec.name, perHour, fromMs, toMs, spans);
      }
    for (const queue of this.world.layout.queues)
      for (const operation of queue.consumers) {
        const perHour = (this.world.state.operation.finished[operation.index] as number) * 3600;
        this.traceEach(operation, queue.name, perHour, fromMs, toMs, spans);
      }
    return spans.filter((span) => this.world.isReached(span.sender.host.machine));
  }

  private traceEach(
    operation: Operation,
    about: string,
    perHour: number,
    fromMs: number,
    toMs: number,
    into: StandinSpan[],
  ): void {
    const { state } = this.world;
    if (!state.station.running[operation.station.index]) return;
    const seed = seedOf(`trace ${about}`, operation.station.seed);
    const count = countIn(
      seed,
      Math.floor(toMs / 1000),
      Math.min(MOST_PER_HOUR, perHour * SAMPLED) * ((toMs - fromMs) / 60_000),
    );
    for (let index = 0; index < count; index++) {
      const own = seedOf(`${toMs}.${index}`, seed);
      // It is told of once it is over, so it began a little earlier.
      const startMs = fromMs + scatter(own, 1) * (toMs - fromMs) - 2000;
      const traceId = `${hex(own, 2)}${hex(own, 3)}${hex(own, 4)}${hex(own, 5)}`;
      this.serve(operation, { traceId, spans: into }, "", startMs, own, 0);
    }
  }

  /** One request answered, with everything called for it. */
  private serve(
    operation: Operation,
    walk: Walk,
    parentId: string,
    startMs: number,
    seed: number,
    depth: number,
  ): Ended {
    const { state } = this.world;
    const { station, spec } = operation;
    const waitMs = (state.station.waitSeconds[station.index] as number) * 1000 * spreadOf(seed, 60, 0.5);
    const ownMs = (state.operation.ownSeconds[operation.index] as number) * 1000 * spreadOf(seed, 10, spec.variation);
    const http = asHttp(spec.name);
    const queue = queueOf(operation);
    const sender = this.byStation.get(station);
    const spanId = `${hex(seed, 30)}${hex(seed, 31)}`;
    const failsItself = scatter(seed, 32) < (state.operation.ownFailing[operation.index] as number);
    const span: StandinSpan | undefined = sender && {
      sender,
      traceId: walk.traceId,
      spanId,
      parentId,
      name: queue ? `process ${queue.name}` : spec.name,
      kind: queue ? 5 : 2,
      startMs,
      endMs: startMs,
      failed: failsItself,
      attributes: queue
        ? { "messaging.operation.name": "process", "messaging.destination.name": queue.name }
        : http
          ? { "http.request.method": http.method, "http.route": http.route, "http.response.status_code": 200 }
          : {},
      message: failsItself ? this.ownReason(operation) : "",
      operation,
    };
    if (span) walk.spans.push(span);
    let at = startMs + waitMs + ownMs * 0.5;
    let failed = failsItself;
    if (!failed && depth < MOST_DEPTH)
      for (const [which, call] of operation.calls.entries()) {
        const met = this.callAll(
          call,
          sender,
          walk,
          span ? spanId : parentId,
          at,
          seedOf(`call ${which}`, seed),
          depth,
        );
        at = met.endMs + ownMs * 0.05;
        if (!met.failed || call.pool.spec.onFail !== "fail") continue;
        failed = true;
        if (span) span.message = met.message;
        break;
      }
    const endMs = at + ownMs * (failsItself ? 0.1 : 0.4);
    if (span) {
      span.endMs = endMs;
      span.failed = failed;
      if (failed && http) span.attributes["http.response.status_code"] = 500;
    }
    return { endMs, failed };
  }

  /** What a process says of a failure of its own. */
  private ownReason(operation: Operation): string {
    const { state, mods } = this.world;
    const reason = state.operation.reason[operation.index] as number;
    if (reason === REASON.noRoom) return `no room left on ${operation.station.disk?.spec.mount ?? "/"}`;
    if ((state.machine.paging[operation.station.machine.index] as number) > 3) return "no memory to go on";
    return mods.says.get(operation.index) ?? "unexpected answer";
  }

  /** All calls of one sort that a request makes. */
  private callAll(
    call: Call,
    caller: Sender | undefined,
    walk: Walk,
    parentId: string,
    startMs: number,
    seed: number,
    depth: number,
  ): Ended & { message: string } {
    const times = Math.min(MOST_CALLS, Math.floor(call.times + scatter(seed, 50)));
    let at = startMs;
    for (let index = 0; index < times; index++) {
      const own = seedOf(`n${index}`, seed);
      const met = this.call(call, this.choose(call, own), caller, walk, parentId, at, own, depth);
      at = met.endMs;
      if (met.failed) return met;
    }
    return { endMs: at, failed: false, message: "" };
  }

  private choose(call: Call, seed: number): number {
    const { weight } = this.world.state.way;
    const { ways } = call.pool;
    let total = 0;
    for (const way of ways) total += weight[way.index] as number;
    let left = scatter(seed, 5) * total;
    for (let place = 0; place < ways.length; place++) {
      left -= weight[(ways[place] as Way).index] as number;
      if (left <= 0) return place;
    }
    return ways.length - 1;
  }

  private call(
    call: Call,
    place: number,
    caller: Sender | undefined,
    walk: Walk,
    parentId: string,
    startMs: number,
    seed: number,
    depth: number,
  ): Ended & { message: string } {
    const { state } = this.world;
    const way = call.pool.ways[place] as Way;
    // A call is on its way from when a connection is free.
    const pooledMs = (state.way.poolSeconds[way.index] as number) * 1000 * spreadOf(seed, 70, 0.5);
    const sentMs = startMs + pooledMs;
    const target = call.targets[place] as Operation;
    const { machine, spec } = way.target;
    const spanId = `${hex(seed, 40)}${hex(seed, 41)}`;
    const span: StandinSpan | undefined = caller && {
      sender: caller,
      traceId: walk.traceId,
      spanId,
      parentId,
      name: asHttp(target.spec.name) ? target.spec.name : `${target.spec.name} ${spec.name}`,
      kind: 3,
      startMs: sentMs,
      endMs: sentMs,
      failed: false,
      attributes: { "server.address": machine.address, "peer.service": spec.name },
      message: "",
      operation: undefined,
    };
    if (span) walk.spans.push(span);
    const attempt = attemptAt(way, target, state);
    // What most are lost by, on this way and for this operation.
    const isLate = attempt.late > attempt.lost / 2;
    const reason = isLate ? REASON.timedOut : (state.way.reason[way.index] as number);
    const tries = call.pool.spec.retries + 1;
    const lost = reason !== REASON.none && scatter(seed, 43) < attempt.lost ** tries;
    let ended: Ended;
    let message = "";
    if (lost) {
      const seconds = isLate ? call.pool.spec.timeoutMs / 1000 : attempt.seconds;
      const waitedMs = seconds * 1000 * tries + (tries - 1) * call.pool.spec.backoffMs;
      ended = { endMs: sentMs + Math.max(0.3, waitedMs - pooledMs), failed: true };
      message = sayOf(reason, way);
    } else {
      const netMs = 0.3 + (state.way.crossSeconds[way.index] as number) * 500;
      const served = this.serve(
        target,
        walk,
        span ? spanId : parentId,
        sentMs + netMs,
        seedOf("served", seed),
        depth + 1,
      );
      ended = { endMs: served.endMs + netMs, failed: served.failed };
      if (ended.failed) message = `${spec.name} did not answer as it should`;
    }
    if (span) {
      span.endMs = ended.endMs;
      span.failed = ended.failed;
      span.message = message;
    }
    return { ...ended, message };
  }
}

/** A failed call in the words of the caller. */
function sayOf(reason: number, way: Way): string {
  const { name } = way.target.spec;
  const { address } = way.target.machine;
  switch (reason) {
    case REASON.refused:
      return `connection to ${name} at ${address} refused`;
    case REASON.noAnswer:
      return `no connection to ${address}`;
    case REASON.lost:
      return `the answer of ${name} at ${address} was lost`;
    case REASON.timedOut:
      return `${name} at ${address} did not answer within ${way.pool.spec.timeoutMs} ms`;
    case REASON.tooMany:
      return `no free connection to ${name} at ${address}`;
    case REASON.certificate:
      return `certificate of ${name} at ${address} has expired`;
    case REASON.closed:
      return `no route to ${name} at ${address}`;
    case REASON.clock:
      return `${name} at ${address} refused the time of the request`;
    case REASON.busy:
      return `${name} at ${address} is too busy`;
    default:
      return `${name} at ${address} failed`;
  }
}

/** What a process writes into its log when a request fails, with the trace it belongs to. */
export function failureLines(
  spans: readonly StandinSpan[],
): { sender: Sender; atMs: number; severity: number; text: string; traceId: string; spanId: string }[] {
  return spans
    .filter((span) => span.failed && span.kind !== 3)
    .map((span) => ({
      sender: span.sender,
      atMs: Math.round(span.endMs),
      severity: 17,
      text: `${span.name} failed: ${span.message}`,
      traceId: span.traceId,
      spanId: span.spanId,
    }));
}
