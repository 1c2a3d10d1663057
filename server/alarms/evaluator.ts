import { kindMatches } from "#core/catalogue/kinds";
import type { SeriesDetector } from "#core/detection/detector";
import { detectorOf } from "#core/detection/registry";
import type { Samples } from "#core/telemetry/chunk";
import type { FreshSample, LiveSeries } from "../ingest/sample-writer";
import { listRules, type RuleRow, type Subject } from "../store/alarms";
import type { Db } from "../store/database";
import type { AlarmBook, AlarmEvent } from "./alarm-book";

/** A rule with its detector, ready to judge. */
interface Judge {
  rule: RuleRow;
  detector: SeriesDetector;
  metric: string;
  direction: "above" | "below";
}

interface Watch extends Judge {
  subject: Subject;
  state: unknown;
}

/** What the evaluator asks of those who know the estate and the samples. */
export interface EvaluatorContext {
  kindOf(componentId: number): string | undefined;
  /** False where a collection keeps it from being watched. */
  isWatched(componentId: number): boolean;
  /** Samples of a series in a window, those not committed yet among them. */
  recall(seriesId: number, fromMs: number, toMs: number): Samples;
  /** Whether a series was sent to us, and what it measures is polled too: judging both would make two of one alarm. */
  isTwin(series: LiveSeries): boolean;
  /** Short name of a service, as scopes have it. */
  serviceUid(serviceId: number): string | undefined;
}

/** Judges samples by the rules whose scope their series is in, and keeps the life of the alarms that follow. */
export class Evaluator {
  private judges: Judge[] = [];
  private watches = new Map<number, Watch[]>();

  constructor(
    private readonly db: Db,
    private readonly book: AlarmBook,
    private readonly context: EvaluatorContext,
  ) {
    this.loadRules();
  }

  /** Metrics that rules are about. */
  get metrics(): ReadonlySet<string> {
    return new Set(this.judges.map((one) => one.metric));
  }

  /** Takes changed rules up; what the samples say is judged anew from the last ones kept. */
  loadRules(): void {
    this.judges = listRules(this.db).flatMap((rule): Judge[] => {
      const detector = detectorOf(rule.type);
      if (detector?.what !== "series") return [];
      const { metric } = detector.reads(rule.settings);
      return [{ rule, detector, metric, direction: detector.direction(rule.settings) }];
    });
    this.watches.clear();
  }

  private watchesOf(series: LiveSeries, atMs: number): Watch[] {
    if (series.componentId !== null && !this.context.isWatched(series.componentId)) return [];
    const known = this.watches.get(series.id);
    if (known) return known;
    const subject = subjectOf(series);
    const kind = series.componentId === null ? undefined : this.context.kindOf(series.componentId);
    // A component that the engine has not taken up yet is looked at again with the next sample.
    if (!subject || (subject.type === "component" && kind === undefined)) return [];
    const watches = this.context.isTwin(series)
      ? []
      : this.judges
          .filter((one) => one.metric === series.metric && this.isInScope(one.rule, subject, kind))
          .map((one) => this.watch(one, subject, series, atMs));
    this.watches.set(series.id, watches);
    return watches;
  }

  private isInScope({ scope }: RuleRow, subject: Subject, kind: string | undefined): boolean {
    if (scope.subject !== subject.type) return false;
    if (scope.subject === "component") return kind !== undefined && kindMatches(scope.kind, kind);
    return scope.service === "*" || scope.service === this.context.serviceUid(subject.id);
  }

  /** A watch with the state it would have, had it judged the last samples. */
  private watch(judge: Judge, subject: Subject, series: LiveSeries, atMs: number): Watch {
    const { detector, rule, metric, direction } = judge;
    const state = detector.fresh(this.book.severityOf({ subject, metric, direction, qualifier: series.instance }));
    const memory = detector.memory(rule.settings);
    const before = this.context.recall(series.id, atMs - memory.ms, atMs - 1);
    const from = Math.max(0, before.times.length - memory.inputs + 1);
    for (let index = from; index < before.times.length; index++)
      detector.evaluate(
        rule.settings,
        state,
        { atMs: before.times[index] as number, value: before.values[index] as number },
        series,
      );
    return { ...judge, subject, state };
  }

  /** Judges the samples of one tick; call inside a transaction. */
  evaluate(samples: readonly FreshSample[]): AlarmEvent[] {
    const events: AlarmEvent[] = [];
    for (const { series, atMs, value } of samples)
      for (const watch of this.watchesOf(series, atMs)) {
        const { rule, detector, state } = watch;
        const kind = kindOf(watch, series);
        if (!rule.enabled) {
          events.push(...one(this.book.clear(kind, "The rule was switched off", atMs)));
          continue;
        }
        const verdict = detector.evaluate(rule.settings, state, { atMs, value }, series);
        if (verdict) events.push(...one(this.book.take(kind, verdict, atMs)));
      }
    return events;
  }
}

const one = <T>(value: T | undefined): T[] => (value === undefined ? [] : [value]);

const kindOf = ({ subject, rule, detector, metric, direction }: Watch, series: LiveSeries) => ({
  subject,
  ruleId: rule.id,
  seriesId: series.id,
  detector: detector.type,
  metric,
  direction,
  qualifier: series.instance,
});

function subjectOf(series: LiveSeries): Subject | undefined {
  if (series.componentId !== null) return { type: "component", id: series.componentId };
  return series.serviceId === null ? undefined : { type: "service", id: series.serviceId };
}
