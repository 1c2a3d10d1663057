import { rhythmOf } from "#core/detection/silence";
import { DAY_MS, HOUR_MS, MINUTE_MS } from "#core/time/windows";
import type { LiveSeries, SampleWriter } from "../ingest/sample-writer";
import type { Db } from "../store/database";
import { isUnreachable, type AlarmBook, type AlarmEvent } from "./alarm-book";
import { SlowJudge, type Asked, type SlowContext, type SlowRule } from "./slow-judge";

const EVERY_MS = 30_000;
/** It was away where nobody asked it for so long, clock time. */
const GAP_MS = 5 * MINUTE_MS;
/** A rhythm is learned anew so often, and from so much of the past; what is seldom, from more. */
const ANEW_MS = HOUR_MS;
const PAST_MS = 6 * HOUR_MS;
const LONG_PAST_MS = 14 * DAY_MS;
const ENOUGH = 20;
/** Of one look so much of the machine's time goes into learning. */
const BUDGET_MS = 20;
/** So many series are read from the store in one tick. */
const MET_AT_ONCE = 300;
/** Before so much came, nothing is known to be missing. */
const MET_MS = 15 * MINUTE_MS;

export interface SilenceContext extends SlowContext {
  /** The host that a component is on; itself for a host. */
  hostOf(componentId: number): number;
}

/** Judges that nothing comes any more of what came by a rhythm. */
export class SilenceJudge extends SlowJudge<"arrivals"> {
  private readonly rhythms = new Map<number, { rhythmMs: number | undefined; learnedMs: number }>();
  private learnUntilMs = 0;
  private hasMet = false;
  /** Since when it has listened without a gap: while Holotaxis was away, or held up, much may have come that nobody heard. */
  private sinceMs = Number.NEGATIVE_INFINITY;
  private listenedMs = Number.NEGATIVE_INFINITY;

  constructor(
    db: Db,
    book: AlarmBook,
    private readonly sampleWriter: Pick<SampleWriter, "all" | "isMet" | "last" | "recall">,
    private readonly known: SilenceContext,
  ) {
    super(db, book, known, "arrivals", EVERY_MS);
    this.loadRules();
  }

  /** After a start, what came last is read from the store bit by bit; until all is known nothing is judged. */
  override evaluate(atMs: number): AlarmEvent[] {
    if (atMs - this.listenedMs > GAP_MS || atMs < this.listenedMs) this.sinceMs = atMs;
    this.listenedMs = atMs;
    return this.rules.length === 0 || this.meet() ? super.evaluate(atMs) : [];
  }

  private meet(): boolean {
    if (this.hasMet) return true;
    const metrics = this.rules.map(({ rule, detector }) => detector.reads(rule.settings).metric);
    let left = MET_AT_ONCE;
    for (const series of this.sampleWriter.all()) {
      if (this.sampleWriter.isMet(series) || !metrics.some((metric) => isAbout(metric, series))) continue;
      if (left-- === 0) return false;
      this.sampleWriter.last(series);
    }
    return (this.hasMet = true);
  }

  protected override begin(): void {
    this.learnUntilMs = performance.now() + BUDGET_MS;
  }

  /** What any series of a component stands for has a name of its own. */
  protected override metricOf(metric: string): string {
    return metric === "*" ? "signals" : metric;
  }

  protected *asked(own: SlowRule<"arrivals">, atMs: number): Iterable<Asked<"arrivals">> {
    const { metric } = own.detector.reads(own.rule.settings);
    const dark = new Set(this.book.unreachable().flatMap((id) => this.known.servicesOf(id).map((one) => one.id)));
    for (const { series, lastMs } of this.latest(own, metric, atMs).values()) {
      const rhythmMs = this.rhythmOf(series, lastMs, atMs);
      // A host that does not answer is told of already; so is what may have sent the figures of a service.
      if (series.componentId !== null && isUnreachable(this.book, this.known.hostOf(series.componentId))) continue;
      if (series.serviceId !== null && dark.has(series.serviceId)) continue;
      yield {
        subject:
          series.serviceId === null
            ? { type: "component", id: series.componentId as number }
            : { type: "service", id: series.serviceId },
        seriesId: metric === "*" ? null : series.id,
        qualifier: metric === "*" ? "" : series.instance,
        instance: metric === "*" ? "" : series.instance,
        unit: series.unit,
        input: { atMs, lastMs, rhythmMs, sinceMs: this.sinceMs },
      };
    }
  }

  /** What came last of each thing that a rule is about. */
  private latest(
    { rule }: SlowRule<"arrivals">,
    metric: string,
    atMs: number,
  ): Map<string, { series: LiveSeries; lastMs: number }> {
    const found = new Map<string, { series: LiveSeries; lastMs: number }>();
    for (const series of this.sampleWriter.all()) {
      const { componentId, serviceId } = series;
      if (!isAbout(metric, series)) continue;
      if (
        serviceId === null
          ? componentId === null || rule.scope.subject !== "component"
          : !this.coversService(rule, serviceId)
      )
        continue;
      if (componentId !== null && !this.covers(rule, componentId)) continue;
      const owner = serviceId === null ? `c${componentId}` : `s${serviceId}`;
      const key = metric === "*" && serviceId === null ? owner : `${owner} ${series.metric} ${series.instance}`;
      const { atMs: lastMs } = this.sampleWriter.last(series);
      if (!Number.isFinite(lastMs) || lastMs > atMs) continue;
      if (lastMs > (found.get(key)?.lastMs ?? Number.NEGATIVE_INFINITY)) found.set(key, { series, lastMs });
    }
    return found;
  }

  private rhythmOf(series: LiveSeries, lastMs: number, atMs: number): number | undefined {
    const known = this.rhythms.get(series.id);
    if (known && atMs - known.learnedMs < ANEW_MS && atMs >= known.learnedMs) return known.rhythmMs;
    if (performance.now() >= this.learnUntilMs) return known?.rhythmMs;
    let { times } = this.sampleWriter.recall(series.id, lastMs - PAST_MS, lastMs);
    if (times.length < ENOUGH) ({ times } = this.sampleWriter.recall(series.id, lastMs - LONG_PAST_MS, lastMs));
    const isNew = times.length === 0 || lastMs - (times[0] as number) < MET_MS;
    const rhythmMs = isNew ? undefined : rhythmOf(times);
    this.rhythms.set(series.id, { rhythmMs, learnedMs: atMs });
    return rhythmMs;
  }
}

/** Whether a rule about a metric, or about anything that is sent, is about a series. */
const isAbout = (metric: string, { metric: own, resourceId, serviceId }: LiveSeries): boolean =>
  metric === "*" ? resourceId !== null || serviceId !== null : own === metric;
