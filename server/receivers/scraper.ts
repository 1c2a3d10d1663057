import { readOpenMetrics, ucumOf, type OpenFamily, type OpenMetric } from "#core/telemetry/openmetrics";
import { Limiter } from "../outside/limit";
import { fetchText } from "../outside/fetch-text";
import { Rejected } from "./rejected";
import type { Access } from "../vault/kinds";
import type { IngestChannel } from "./channel";
import type { Attribute, Exemplar, Metric } from "./otlp-types";

const MOST_BYTES = 4 * 1024 * 1024;
const TIMEOUT_MS = 5000;
const AT_ONCE = 8;

export interface Target {
  id: number;
  url: string;
  everySeconds: number;
  access?: Pick<Access, "kind" | "fields"> | undefined;
  authority?: string;
  /** Why it must not be read. */
  problem?: string;
}

export interface TargetState {
  id: number;
  atMs: number;
  samples: number;
  /** A sentence when the last look failed. */
  problem: string | null;
}

/** Reads pages of OpenMetrics text on their intervals; their samples go the way of all signals. */
export class Scraper {
  private targets: (Target & { nextMs: number })[] = [];
  private timer: ReturnType<typeof setInterval> | undefined;
  readonly states = new Map<number, TargetState>();
  /** Targets that are being read now; one that hangs holds up nobody else. */
  private readonly busy = new Set<number>();
  private readonly lanes = new Limiter(AT_ONCE);

  constructor(
    private readonly channel: IngestChannel,
    private readonly now: () => number,
  ) {}

  follow(targets: readonly Target[]): void {
    const before = new Map(this.targets.map((one) => [one.id, one.nextMs]));
    this.targets = targets.map((one) => ({ ...one, nextMs: before.get(one.id) ?? 0 }));
    for (const id of this.states.keys()) if (!targets.some((one) => one.id === id)) this.states.delete(id);
    this.timer ??= setInterval(() => this.due(), 500);
  }

  private due(): void {
    if (!this.channel.free) return;
    const now = this.now();
    for (const one of this.targets) {
      if (one.nextMs > now || this.busy.has(one.id)) continue;
      one.nextMs = now + one.everySeconds * 1000;
      this.busy.add(one.id);
      void this.lanes.through(() => this.look(one)).finally(() => this.busy.delete(one.id));
    }
  }

  private async look(target: Target): Promise<void> {
    const atMs = Math.floor(this.now() / 1000) * 1000;
    try {
      if (target.problem !== undefined) throw new Error(target.problem);
      const page = await fetchPage(target);
      const read = readOpenMetrics(page);
      if (!read.ok) throw new Error(read.problem);
      const rejected = new Rejected();
      const metrics = read.families.flatMap((family) => metricsOf(family, atMs));
      const { hostname, port } = new URL(target.url);
      const resource: Attribute[] = [
        ["source.address", hostname],
        ["server.port", port || "80"],
        ["scraped from", target.url],
      ];
      this.channel.builder.client = undefined;
      this.channel.builder.metrics([{ resource, items: metrics }], {}, rejected);
      const { problem } = await this.channel.deliver();
      if (problem) throw new Error(problem);
      const samples = read.families.reduce((sum, family) => sum + family.samples.length, 0);
      this.states.set(target.id, { id: target.id, atMs, samples, problem: rejected.count ? rejected.text : null });
    } catch (error) {
      const reason = error instanceof Error ? error.message : String(error);
      this.states.set(target.id, { id: target.id, atMs, samples: 0, problem: reason });
    }
  }

  close(): void {
    clearInterval(this.timer);
  }
}

async function fetchPage({ url, access, authority }: Target): Promise<string> {
  const { status, text } = await fetchText(
    url,
    { timeoutMs: TIMEOUT_MS, mostBytes: MOST_BYTES },
    {
      access,
      authority,
      headers: { accept: "application/openmetrics-text; version=1.0.0, text/plain; version=0.0.4; q=0.8, */*; q=0.1" },
    },
  );
  if (status < 200 || status > 299) throw new Error(`It answered ${status}.`);
  return text;
}

/** A family in the form of other signals: counters and histograms cumulative, everything else as it is. */
export function metricsOf(family: OpenFamily, nowMs: number): Metric[] {
  const { name, type } = family;
  const unit = ucumOf(family.unit);
  const context: FamilyContext = { timeOf: (sample) => sample.atMs ?? nowMs, startOf: startsOf(family) };
  const samples = family.samples.filter((sample) => !sample.name.endsWith("_created"));
  if (type === "info" || type === "stateset") return [];
  if (type === "counter") return [{ name, unit, data: plainOf(samples, true, context) }];
  if (type === "summary") return [{ name, unit, data: summaryOf(samples, context) }];
  if (type === "histogram") {
    const counted = ["_bucket", "_count", "_sum"].flatMap((ending) =>
      samples.filter((sample) => sample.name === name + ending),
    );
    return [{ name, unit, data: histogramOf(counted, context) }];
  }
  return [{ name, unit, data: plainOf(family.samples, false, context) }];
}

type Labels = OpenMetric["labels"] | Attribute[];
interface FamilyContext {
  timeOf: (sample: OpenMetric) => number;
  startOf: (labels: Labels) => number;
}

/** When counting began, by what `_created` says of the same labels; 0 where it says nothing. */
function startsOf({ name, samples }: OpenFamily): (labels: Labels) => number {
  const created = new Map(
    samples
      .filter((sample) => sample.name === `${name}_created`)
      .map((sample) => [JSON.stringify(sample.labels), sample.value * 1000]),
  );
  return (labels) => created.get(JSON.stringify(labels)) ?? 0;
}

function plainOf(
  samples: readonly OpenMetric[],
  monotonic: boolean,
  { timeOf, startOf }: FamilyContext,
): Metric["data"] {
  const points = samples.map((sample) => ({
    attributes: sample.labels as Attribute[],
    startMs: monotonic ? startOf(sample.labels) : 0,
    atMs: timeOf(sample),
    value: sample.value,
    ...exemplarsOf([sample], timeOf(sample)),
  }));
  return monotonic ? { kind: "sum", temporality: 2, monotonic: true, points } : { kind: "gauge", points };
}

const labelOf = ({ labels }: OpenMetric, wanted: string) => labels.find(([name]) => name === wanted)?.[1];
const valueOf = (samples: readonly OpenMetric[], ending: string) =>
  samples.find((one) => one.name.endsWith(ending))?.value;

function summaryOf(samples: readonly OpenMetric[], { timeOf, startOf }: FamilyContext): Metric["data"] {
  const points = groups(samples, "quantile").map(({ labels, samples }) => ({
    attributes: labels,
    startMs: startOf(labels),
    atMs: timeOf(samples[0] as OpenMetric),
    count: valueOf(samples, "_count") ?? 0,
    sum: valueOf(samples, "_sum") ?? 0,
    quantiles: samples.flatMap((one) => {
      const quantile = labelOf(one, "quantile");
      return quantile === undefined ? [] : [{ quantile: Number(quantile), value: one.value }];
    }),
  }));
  return { kind: "summary", points };
}

function histogramOf(samples: readonly OpenMetric[], { timeOf, startOf }: FamilyContext): Metric["data"] {
  const points = groups(samples, "le").map(({ labels, samples }) => {
    const atMs = timeOf(samples[0] as OpenMetric);
    const buckets = samples
      .filter((one) => one.name.endsWith("_bucket"))
      .map((one) => ({ bound: Number((labelOf(one, "le") ?? "").replace("+Inf", "Infinity")), count: one.value }))
      .sort((a, b) => a.bound - b.bound);
    return {
      attributes: labels,
      startMs: startOf(labels),
      atMs,
      ...exemplarsOf(samples, atMs),
      count: valueOf(samples, "_count") ?? buckets.at(-1)?.count ?? 0,
      sum: valueOf(samples, "_sum") ?? null,
      min: null,
      max: null,
      bounds: buckets.slice(0, -1).map((one) => one.bound),
      // Buckets of OpenMetrics count everything up to their bound.
      counts: buckets.map((one, index) => one.count - (buckets[index - 1]?.count ?? 0)),
    };
  });
  return { kind: "histogram", temporality: 2, points };
}

/** The exemplars of samples, by the labels that tracing libraries give them. */
function exemplarsOf(samples: readonly OpenMetric[], atMs: number): { exemplars?: Exemplar[] } {
  const exemplars = samples.flatMap(({ exemplar }) => {
    const label = (name: string) => exemplar?.labels.find(([key]) => key === name)?.[1].toLowerCase() ?? "";
    return exemplar && label("trace_id")
      ? [{ atMs: exemplar.atMs ?? atMs, value: exemplar.value, traceId: label("trace_id"), spanId: label("span_id") }]
      : [];
  });
  return exemplars.length ? { exemplars } : {};
}

/** Samples that differ in one label only, together. */
function groups(samples: readonly OpenMetric[], but: string): { labels: Attribute[]; samples: OpenMetric[] }[] {
  const byKey = new Map<string, { labels: Attribute[]; samples: OpenMetric[] }>();
  for (const sample of samples) {
    const labels = sample.labels.filter(([name]) => name !== but) as Attribute[];
    const key = JSON.stringify(labels);
    const known = byKey.get(key);
    if (known) known.samples.push(sample);
    else byKey.set(key, { labels, samples: [sample] });
  }
  return [...byKey.values()];
}
