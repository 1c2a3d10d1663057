import { createSocket, type Socket } from "node:dgram";
import { gzipSync } from "node:zlib";
import { metricsRequest } from "../agent/otlp";
import { measuredOf, type Measured } from "./agents";
import type { EstateModel } from "./model";
import { scatter, seedOf } from "./rhythm";
import { failureLines, Traces, type StandinSpan } from "./traces";
import { attributesOf, countIn, linesBetween, sendersOf, type LogLine, type Sender } from "./log-lines";

const EVERY_MS = 5_000;
/** Clock time between two looks at the requests answered, as metrics are exported. */
const METRICS_EVERY_MS = 15_000;
/**
 * Upper bounds of the duration histogram, seconds (OpenTelemetry semantic conventions, http.server.request.duration).
 */
const BOUNDS = [0.005, 0.01, 0.025, 0.05, 0.075, 0.1, 0.25, 0.5, 0.75, 1, 2.5, 5, 7.5, 10];
const SYSLOG_SEVERITY: Readonly<Record<number, number>> = { 5: 7, 9: 6, 10: 5, 13: 4, 17: 3, 18: 2 };
/** Facility local7, which network devices use as a rule. */
const FACILITY = 23;
const MONTHS = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"];

/** Requests of one route that ended in one way. */
interface Answered {
  counts: number[];
  sum: number;
  min: number;
  max: number;
  count: number;
  /** Those of them whose spans were sent. */
  spans: StandinSpan[];
}

/**
 * Has the estate send what it says: processes logs and metrics by OTLP over HTTP, switches syslog from their own
 * addresses.
 */
export class Emitter {
  private timer: ReturnType<typeof setInterval> | undefined;
  private saidTo = 0;
  private measuredTo = 0;
  private readonly senders: Sender[];
  private readonly traces: Traces;
  private readonly measured: Measured[];
  private readonly sockets = new Map<string, Socket>();
  private busy = false;
  /** Requests answered since the last look at them whose spans were sent. */
  private traced: StandinSpan[] = [];

  constructor(
    private readonly estate: EstateModel,
    private readonly now: () => number,
    private readonly to: {
      otlp?: string;
      syslogPort?: number;
      /** What processes send with. */
      token?: string;
      /** What the agent of a host sends with; undefined while it has not enrolled. */
      agentToken?: (hostName: string) => Promise<string | undefined>;
    },
  ) {
    this.senders = sendersOf(estate);
    this.traces = new Traces(this.senders);
    this.measured = measuredOf(estate);
  }

  start(): void {
    if ((!this.to.otlp && !this.to.syslogPort) || (this.senders.length === 0 && this.measured.length === 0)) return;
    this.saidTo = this.measuredTo = this.now();
    this.timer = setInterval(() => void this.emit(), 1000);
  }

  private async emit(): Promise<void> {
    const now = this.now();
    // The clock was turned back or forth: what lies between is told by the feed.
    if (Math.abs(now - this.saidTo) > 3_600_000) this.saidTo = this.measuredTo = now;
    if (this.busy || now - this.saidTo < EVERY_MS) return;
    this.busy = true;
    const from = this.saidTo;
    this.saidTo = now;
    const spans = this.traces.between(from, now);
    const failures = failureLines(spans);
    const resourceLogs: unknown[] = [];
    for (const sender of this.senders) {
      const lines: (LogLine & { traceId?: string; spanId?: string })[] = [
        ...linesBetween(this.estate.scenario, sender, from, now),
        ...failures.filter((line) => line.sender === sender),
      ];
      if (!lines.length) continue;
      if (!sender.process) {
        for (const line of lines) this.sendSyslog(sender, line.atMs, line.severity, line.text);
        continue;
      }
      resourceLogs.push({
        resource: resourceOf(sender, now),
        scopeLogs: [
          {
            scope: { name: sender.process.spec.name },
            logRecords: lines.map((line) => ({
              timeUnixNano: nano(line.atMs),
              severityNumber: line.severity,
              body: { stringValue: line.text },
              ...(line.traceId ? { traceId: line.traceId, spanId: line.spanId } : {}),
            })),
          },
        ],
      });
    }
    if (resourceLogs.length) await this.post("/v1/logs", { resourceLogs });
    await this.sendSpans(spans, now);
    this.traced.push(...spans.filter((span) => span.kind === 2));
    if (now - this.measuredTo >= METRICS_EVERY_MS) {
      const since = this.measuredTo;
      this.measuredTo = now;
      const resourceMetrics = this.senders.flatMap((sender) => this.measure(sender, since, now));
      if (resourceMetrics.length) await this.post("/v1/metrics", { resourceMetrics });
      this.traced = [];
      await this.sendMeasured(now);
    }
    this.busy = false;
  }

  /** How many requests a process answered in a span, how long they took, as a delta histogram by route and status. */
  private measure(sender: Sender, fromMs: number, toMs: number): unknown[] {
    const { host, process, output } = sender;
    if (!process || !output.requests.length || !host.isRunning(process, toMs)) return [];
    const level = 0.05 + 0.95 * host.level(toMs);
    const strain = 1 + 7 * host.suffers(toMs);
    const share = (toMs - fromMs) / 60_000;
    const dataPoints = output.requests.flatMap((request, which) => {
      const seed = seedOf(`${which}${request.route}`, process.seed);
      const count = countIn(seed, Math.floor(toMs / 1000), request.perHour * level * share);
      const byStatus = new Map<number, Answered>();
      const answer = (seconds: number, failed: boolean, span?: StandinSpan) => {
        const status = failed ? 500 : request.method === "POST" ? 201 : 200;
        const one = byStatus.get(status) ?? {
          counts: BOUNDS.map(() => 0).concat(0),
          sum: 0,
          min: Number.POSITIVE_INFINITY,
          max: 0,
          count: 0,
          spans: [],
        };
        const bucket = BOUNDS.findIndex((bound) => seconds <= bound);
        const place = bucket < 0 ? BOUNDS.length : bucket;
        one.counts[place] = (one.counts[place] as number) + 1;
        one.sum += seconds;
        one.min = Math.min(one.min, seconds);
        one.max = Math.max(one.max, seconds);
        one.count++;
        if (span) one.spans.push(span);
        byStatus.set(status, one);
      };
      for (let index = 0; index < count; index++) {
        const own = seedOf(`${toMs}.${index}`, seed);
        const failed = scatter(own, 1) * 100 < request.failPercent * strain ** 2;
        // Log-normal, by the sum of twelve even chances: the slowest in a hundred take about five times the median.
        let chance = -6;
        for (let roll = 2; roll < 14; roll++) chance += scatter(own, roll);
        answer((request.milliseconds / 1000) * strain * Math.exp(0.68 * chance), failed);
      }
      for (const span of this.traced)
        if (span.sender === sender && span.name === `${request.method} ${request.route}`)
          answer((span.endMs - span.startMs) / 1000, span.failed, span);
      return [...byStatus].map(([status, one]) => ({
        attributes: [
          text("http.request.method", request.method),
          text("http.route", request.route),
          { key: "http.response.status_code", value: { intValue: String(status) } },
        ],
        startTimeUnixNano: nano(fromMs),
        timeUnixNano: nano(toMs),
        count: String(one.count),
        sum: one.sum,
        min: one.min,
        max: one.max,
        bucketCounts: one.counts.map(String),
        explicitBounds: BOUNDS,
        ...(one.spans.length
          ? {
              exemplars: one.spans.map((span) => ({
                timeUnixNano: fineNano(span.endMs),
                asDouble: (span.endMs - span.startMs) / 1000,
                traceId: span.traceId,
                spanId: span.spanId,
              })),
            }
          : {}),
      }));
    });
    if (!dataPoints.length) return [];
    return [
      {
        resource: resourceOf(sender, toMs),
        scopeMetrics: [
          {
            scope: { name: process.spec.name },
            metrics: [
              { name: "http.server.request.duration", unit: "s", histogram: { aggregationTemporality: 1, dataPoints } },
            ],
          },
        ],
      },
    ];
  }

  /** What the host agents of the estate report. */
  private async sendMeasured(atMs: number): Promise<void> {
    const byHost = new Map<string, Parameters<typeof metricsRequest>[0][number][]>();
    for (const { attributes, metrics, valuesAt } of this.measured) {
      const values = valuesAt(atMs);
      if (!values) continue;
      const name = attributes["host.name"] as string;
      const part = {
        resource: attributes,
        points: metrics.map((metric, index) => ({ ...metric, value: values[index] as number })),
      };
      const parts = byHost.get(name);
      if (parts) parts.push(part);
      else byHost.set(name, [part]);
    }
    for (const [name, parts] of byHost) {
      const token = await this.to.agentToken?.(name);
      await this.post("/v1/metrics", metricsRequest(parts, atMs), token);
    }
  }

  private async sendSpans(all: readonly StandinSpan[], toMs: number): Promise<void> {
    const bySender = new Map<Sender, StandinSpan[]>();
    for (const span of all) bySender.set(span.sender, [...(bySender.get(span.sender) ?? []), span]);
    const resourceSpans = [...bySender].map(([sender, spans]) => ({
      resource: resourceOf(sender, toMs),
      scopeSpans: [
        {
          scope: { name: sender.process?.spec.name ?? "" },
          spans: spans.map((span) => ({
            traceId: span.traceId,
            spanId: span.spanId,
            ...(span.parentId ? { parentSpanId: span.parentId } : {}),
            name: span.name,
            kind: span.kind,
            startTimeUnixNano: fineNano(span.startMs),
            endTimeUnixNano: fineNano(span.endMs),
            attributes: Object.entries(span.attributes).map(([key, value]) =>
              typeof value === "number" ? { key, value: { intValue: String(value) } } : text(key, value),
            ),
            ...(span.failed
              ? {
                  status: { code: 2, message: span.message },
                  events:
                    span.kind === 2
                      ? [
                          {
                            timeUnixNano: fineNano(span.endMs),
                            name: "exception",
                            attributes: [text("exception.message", span.message)],
                          },
                        ]
                      : [],
                }
              : {}),
          })),
        },
      ],
    }));
    if (resourceSpans.length) await this.post("/v1/traces", { resourceSpans });
  }

  private async post(path: string, body: unknown, token = this.to.token): Promise<void> {
    if (!this.to.otlp) return;
    try {
      await fetch(this.to.otlp + path, {
        method: "POST",
        headers: {
          "content-type": "application/json",
          "content-encoding": "gzip",
          ...(token ? { authorization: `Bearer ${token}` } : {}),
        },
        body: gzipSync(JSON.stringify(body)),
        signal: AbortSignal.timeout(10_000),
      });
    } catch {
      // Nobody listens: as with a real application, what it said is lost.
    }
  }

  private sendSyslog({ host }: Sender, atMs: number, severity: number, message: string): void {
    if (!this.to.syslogPort) return;
    const priority = `<${FACILITY * 8 + (SYSLOG_SEVERITY[severity] ?? 6)}>`;
    const date = new Date(atMs);
    // Two makes of switch, two forms of syslog: RFC 5424 and RFC 3164.
    const line = host.name.endsWith("1")
      ? `${priority}1 ${date.toISOString()} ${host.name} switchd - - - ${message}`
      : `${priority}${MONTHS[date.getUTCMonth()]} ${String(date.getUTCDate()).padStart(2, " ")} ${date.toISOString().slice(11, 19)} ${host.name} switchd: ${message}`;
    this.socketOf(host.address).send(line, this.to.syslogPort, "127.0.0.1");
  }

  private socketOf(address: string): Socket {
    let socket = this.sockets.get(address);
    if (!socket) {
      socket = createSocket("udp4");
      socket.on("error", () => undefined);
      socket.bind(0, address);
      socket.unref();
      this.sockets.set(address, socket);
    }
    return socket;
  }

  close(): void {
    clearInterval(this.timer);
    for (const socket of this.sockets.values()) socket.close();
  }
}

const fineNano = (ms: number) => String(BigInt(Math.round(ms * 1000)) * 1000n);
const nano = (ms: number) => `${Math.round(ms)}000000`;
const text = (key: string, value: string) => ({ key, value: { stringValue: value } });
const resourceOf = (sender: Sender, atMs: number) => ({
  attributes: Object.entries(attributesOf(sender, atMs)).map(([key, value]) => text(key, value)),
});
