import { severityRank, type Severity } from "#core/alarms/severity";
import { kindMatches } from "#core/catalogue/kinds";
import type { AnyDetector, Verdict } from "#core/detection/detector";
import { detectorOf } from "#core/detection/registry";
import type { Samples } from "#core/telemetry/chunk";
import type { FreshSample, LiveSeries } from "../ingest/sample-writer";
import {
  activeAlarms,
  alarmTypeOf,
  changeAlarm,
  listRules,
  raiseAlarm,
  subjectKey,
  type RuleRow,
  type Subject,
} from "../store/alarms";
import type { Db } from "../store/database";

/** What happened to an alarm in a tick. */
export interface AlarmEvent {
  what: "raised" | "worse" | "better" | "cleared";
  alarmId: number;
  subject: Subject;
  metric: string;
  severity: Severity;
  text: string;
  atMs: number;
}

/** A rule with its detector, ready to judge. */
interface Judge {
  rule: RuleRow;
  detector: AnyDetector;
  metric: string;
  direction: "above" | "below";
}

interface Watch extends Judge {
  subject: Subject;
  state: unknown;
}

interface ActiveAlarm {
  id: number;
  severity: Severity;
  worst: Severity;
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
  private readonly active = new Map<string, ActiveAlarm>();

  constructor(
    private readonly db: Db,
    private readonly context: EvaluatorContext,
  ) {
    this.reload();
  }

  /** Metrics that rules are about. */
  get metrics(): ReadonlySet<string> {
    return new Set(this.judges.map((one) => one.metric));
  }

  /** Takes everything from the store anew, after a tick that could not be written. */
  reload(): void {
    this.active.clear();
    for (const { id, severity, worst, subject_type, subject_id, alarm_type, qualifier } of activeAlarms(this.db))
      this.active.set(keyOf({ type: subject_type, id: subject_id }, alarm_type, qualifier), { id, severity, worst });
    this.loadRules();
  }

  /** Takes changed rules up; what the samples say is judged anew from the last ones kept. */
  loadRules(): void {
    this.judges = listRules(this.db).flatMap((rule): Judge[] => {
      const detector = detectorOf(rule.type);
      const reads = detector?.reads(rule.settings);
      if (!detector || reads?.what !== "series") return [];
      return [{ rule, detector, metric: reads.metric, direction: detector.direction(rule.settings) }];
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
    const { detector, rule } = judge;
    const alarm = this.active.get(keyOf(subject, alarmTypeOf(judge.metric, judge.direction), series.instance));
    const state = detector.fresh(alarm?.severity);
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
        if (!watch.rule.enabled) {
          events.push(...this.clear(watch, series.instance, "The rule was switched off", atMs));
          continue;
        }
        const verdict = watch.detector.evaluate(watch.rule.settings, watch.state, { atMs, value }, series);
        if (!verdict) continue;
        if (verdict.severity === "cleared") events.push(...this.clear(watch, series.instance, verdict.text, atMs));
        else events.push(this.raiseOrChange(watch, series, verdict, atMs));
      }
    return events;
  }

  private raiseOrChange(watch: Watch, series: LiveSeries, verdict: Verdict, atMs: number): AlarmEvent {
    const { subject, metric, direction } = watch;
    const { severity, text } = verdict;
    const key = keyOf(subject, alarmTypeOf(metric, direction), series.instance);
    const known = this.active.get(key);
    const event = { subject, metric, severity, text, atMs };
    if (!known) {
      const id = raiseAlarm(
        this.db,
        {
          subject,
          ruleId: watch.rule.id,
          seriesId: series.id,
          detector: watch.detector.type,
          metric,
          direction,
          qualifier: series.instance,
          ...verdict,
        },
        atMs,
      );
      this.active.set(key, { id, severity, worst: severity });
      return { what: "raised", alarmId: id, ...event };
    }
    const worse = severityRank(severity) > severityRank(known.severity);
    known.severity = severity;
    if (severityRank(severity) > severityRank(known.worst)) known.worst = severity;
    changeAlarm(this.db, known.id, severity, known.worst, text, atMs);
    return { what: worse ? "worse" : "better", alarmId: known.id, ...event };
  }

  private clear({ subject, metric, direction }: Watch, qualifier: string, text: string, atMs: number): AlarmEvent[] {
    return this.clearKey(keyOf(subject, alarmTypeOf(metric, direction), qualifier), subject, metric, text, atMs);
  }

  private clearKey(key: string, subject: Subject, metric: string, text: string, atMs: number): AlarmEvent[] {
    const known = this.active.get(key);
    if (!known) return [];
    this.active.delete(key);
    changeAlarm(this.db, known.id, "cleared", known.worst, text, atMs);
    return [{ what: "cleared", alarmId: known.id, subject, metric, severity: "cleared", text, atMs }];
  }

  /** Clears every alarm of a component that left the estate. */
  clearComponent(componentId: number, text: string, atMs: number): AlarmEvent[] {
    const subject: Subject = { type: "component", id: componentId };
    const own = `${subjectKey(subject)}|`;
    return [...this.active.keys()]
      .filter((key) => key.startsWith(own))
      .flatMap((key) => this.clearKey(key, subject, "", text, atMs));
  }
}

function subjectOf(series: LiveSeries): Subject | undefined {
  if (series.componentId !== null) return { type: "component", id: series.componentId };
  return series.serviceId === null ? undefined : { type: "service", id: series.serviceId };
}

const keyOf = (subject: Subject, type: string, qualifier: string) => `${subjectKey(subject)}|${type}|${qualifier}`;
