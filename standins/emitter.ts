import { createSocket, type Socket } from "node:dgram";
import { gzipSync } from "node:zlib";
import { metricsRequest } from "../agent/otlp";
import { groupBy } from "#core/units/group";
import { measuredOf, type Measured } from "./seen/agents";
import type { Estate, ToldChange } from "./seen/estate";
import {
  attributesOf,
  isHeard,
  isInstrumented,
  linesBetween,
  sendersOf,
  type LogLine,
  type Sender,
} from "./seen/lines";
import { poolGauges, queueGauges } from "./seen/own-figures";
import { addAnswered, BOUNDS, drawAnswers, emptyAnswered, measuredAs, totalsOf } from "./seen/requests";
import { failureLines, Traces, type StandinSpan } from "./seen/traces";
import type { Operation } from "./world/layout";

const EVERY_MS = 5_000;
const MOST_UNDER_WAY = 50_000;
/** Machine time between two looks at the clock, which may run at sixty times the speed. */
const LOOK_MS = 300;
/** Clock time between two looks at the requests answered, as metrics are exported. */
const METRICS_EVERY_MS = 15_000;
const SYSLOG_SEVERITY: Readonly<Record<number, number>> = { 5: 7, 9: 6, 10: 5, 13: 4, 17: 3, 18: 2 };
/** Facility local7, which network devices use as a rule. */
const FACILITY = 23;
const MONTHS = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"];

/** A point of a duration histogram, with the metric it belongs to. */
interface DurationPoint {
  metric: string;
  point: unknown;
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
  /** Spans of requests that have not ended. */
  private underWay: StandinSpan[] = [];
  private traced: StandinSpan[] = [];
  /** Totals of every operation at the last look. */
  private readonly totals = new Map<Operation, { answered: number; failed: number }>();

  constructor(
    private readonly estate: Estate,
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
    this.traces = new Traces(estate.world, this.senders);
    this.measured = measuredOf(estate);
  }

  start(): void {
    if ((!this.to.otlp && !this.to.syslogPort) || (this.senders.length === 0 && this.measured.length === 0)) return;
    this.saidTo = this.measuredTo = this.now();
    this.lookAtTotals(this.saidTo);
    this.timer = setInterval(() => void this.emit(), LOOK_MS);
  }

  private async emit(): Promise<void> {
    const now = this.now();
    // The clock was turned back or forth: what lies between is told by the feed.
    if (Math.abs(now - this.saidTo) > 3_600_000) {
      this.saidTo = this.measuredTo = now;
      this.lookAtTotals(now);
    }
    if (this.busy || now - this.saidTo < EVERY_MS) return;
    this.busy = true;
    const from = this.saidTo;
    this.saidTo = now;
    const changes = this.estate.changesBetween(from, now);
    const inLogs = changes.flatMap((change) => settingLine(this.senders, change) ?? []);
    for (const change of changes) if (!inLogs.some((one) => one.id === change.id)) await this.tellChange(change);
    // What has not ended yet is told of when it has.
    this.underWay.push(...this.traces.between(from, now));
    const spans = this.underWay.filter((span) => span.endMs <= now);
    this.underWay = this.underWay.filter((span) => span.endMs > now).slice(-MOST_UNDER_WAY);
    const failures = failureLines(spans);
    const resourceLogs: unknown[] = [];
    for (const sender of this.senders) {
      const lines: (LogLine & { traceId?: string; spanId?: string })[] = [
        ...linesBetween(this.estate.scenario, sender, from, now),
        ...failures.filter((line) => line.sender === sender),
        ...inLogs.filter((line) => line.sender === sender),
      ];
      if (!lines.length) continue;
      if (!sender.station) {
        for (const line of lines) this.sendSyslog(sender, line.atMs, line.severity, line.text);
        continue;
      }
      resourceLogs.push({
        resource: resourceOf(sender, now),
        scopeLogs: [
          {
            scope: { name: sender.station.spec.name },
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
    this.traced.push(...spans.filter((span) => span.kind !== 3));
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

  private lookAtTotals(atMs: number): void {
    this.estate.world.advance(atMs);
    for (const operation of this.estate.world.layout.operations)
      this.totals.set(operation, totalsOf(this.estate.world, operation, atMs));
  }

  /** What an instrumented process measures of itself: its requests by route and status, its pools, its queues. */
  private measure(sender: Sender, fromMs: number, toMs: number): unknown[] {
    const { station } = sender;
    const { world } = this.estate;
    if (!station || !isHeard(sender)) return [];
    const instrumented = isInstrumented(station);
    const durations = instrumented
      ? station.operations.flatMap((operation) => this.requestPoints(sender, operation, fromMs, toMs))
      : [];
    // A broker tells of its queues whether or not it is instrumented otherwise.
    const gauges = [...(instrumented ? poolGauges(world, station) : []), ...queueGauges(world, station)].map(
      ({ name, unit, points }) => ({
        name,
        unit,
        gauge: {
          dataPoints: points.map(({ key, of, value }) => ({
            attributes: [text(key, of)],
            timeUnixNano: nano(toMs),
            asDouble: Math.round(value * 100) / 100,
          })),
        },
      }),
    );
    const metrics = [
      ...[...groupBy(durations, (one) => one.metric)].map(([name, own]) => ({
        name,
        unit: "s",
        histogram: { aggregationTemporality: 1, dataPoints: own.map((one) => one.point) },
      })),
      ...gauges,
    ];
    if (!metrics.length) return [];
    world.advance(toMs);
    return [{ resource: resourceOf(sender, toMs), scopeMetrics: [{ scope: { name: station.spec.name }, metrics }] }];
  }

  private requestPoints(sender: Sender, operation: Operation, fromMs: number, toMs: number): DurationPoint[] {
    const { world } = this.estate;
    const as = measuredAs(operation);
    const now = totalsOf(world, operation, toMs);
    const before = this.totals.get(operation) ?? now;
    this.totals.set(operation, now);
    if (!as) return [];
    const traced = this.traced.filter((span) => span.sender === sender && span.operation === operation);
    // Those whose spans were sent are among those that ended; only the others are drawn.
    const failed = traced.filter((span) => span.failed).length;
    const drawnFrom = { answered: before.answered + traced.length - failed, failed: before.failed + failed };
    const ended = drawAnswers(world, operation, drawnFrom, now, toMs);
    for (const span of traced) {
      let one = ended.find((each) => each.failed === span.failed);
      if (!one) ended.push((one = emptyAnswered(span.failed)));
      addAnswered(one, (span.endMs - span.startMs) / 1000);
    }
    const points = ended.map((one) => ({
      attributes: Object.entries(as.attributes(one.failed)).map(([key, value]) => attribute(key, value)),
      startTimeUnixNano: nano(fromMs),
      timeUnixNano: nano(toMs),
      count: String(one.count),
      sum: one.sum,
      min: one.min,
      max: one.max,
      bucketCounts: one.counts.map(String),
      explicitBounds: BOUNDS,
      exemplars: traced
        .filter((span) => span.failed === one.failed)
        .map((span) => ({
          timeUnixNano: fineNano(span.endMs),
          asDouble: (span.endMs - span.startMs) / 1000,
          traceId: span.traceId,
          spanId: span.spanId,
        })),
    }));
    return points.map((point) => ({ metric: as.metric, point }));
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
          scope: { name: sender.station?.spec.name ?? "" },
          spans: spans.map((span) => ({
            traceId: span.traceId,
            spanId: span.spanId,
            ...(span.parentId ? { parentSpanId: span.parentId } : {}),
            name: span.name,
            kind: span.kind,
            startTimeUnixNano: fineNano(span.startMs),
            endTimeUnixNano: fineNano(span.endMs),
            attributes: Object.entries(span.attributes).map(([key, value]) => attribute(key, value)),
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

  /** A release, a setting or planned work, as whoever does it tells of it (CloudEvents 1.0). */
  private async tellChange({ id, atMs, change }: ToldChange): Promise<void> {
    const { what, host, process, version, text: summary, by, ticket, setting } = change;
    await this.post(
      "/events",
      {
        specversion: "1.0",
        id,
        source: "/standins/changes",
        type: `${this.estate.scenario.organisation.domain.split(".").reverse().join(".")}.${what}`,
        time: new Date(atMs).toISOString(),
        data: { summary, host, service: process, version, who: by, ticket, setting },
      },
      this.to.token,
      "application/cloudevents+json",
    );
  }

  private async post(
    path: string,
    body: unknown,
    token = this.to.token,
    contentType = "application/json",
  ): Promise<void> {
    if (!this.to.otlp) return;
    try {
      await fetch(this.to.otlp + path, {
        method: "POST",
        headers: {
          "content-type": contentType,
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
const attribute = (key: string, value: string | number) =>
  typeof value === "number" ? { key, value: { intValue: String(value) } } : text(key, value);
const resourceOf = (sender: Sender, atMs: number) => ({
  attributes: Object.entries(attributesOf(sender, atMs)).map(([key, value]) => text(key, value)),
});

/** A setting that somebody changed stands in the log of the program whose it is; undefined where that has none. */
function settingLine(
  senders: readonly Sender[],
  { id, atMs, change }: ToldChange,
): (LogLine & { id: string; sender: Sender }) | undefined {
  const value = /set to (.+)$/.exec(change.text)?.[1];
  const sender = senders.find(
    ({ host, station, output }) =>
      host.name === change.host && station?.spec.name === change.process && output.lines.length > 0,
  );
  if (!change.setting || value === undefined || !sender || !isHeard(sender)) return undefined;
  const text = `setting ${change.setting} changed to ${value} by ${change.by}`;
  return { id, sender, atMs, severity: 10, text };
}
