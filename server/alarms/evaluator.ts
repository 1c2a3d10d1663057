import { percentOf } from "#core/catalogue/percent-of";
import { kindMatches } from "#core/catalogue/kinds";
import type { SeriesDetector, Verdict } from "#core/detection/detector";
import { detectorOf } from "#core/detection/registry";
import { rejected } from "#core/stats/tails";
import type { Samples } from "#core/telemetry/chunk";
import type { FreshSample, LiveSeries } from "../ingest/sample-writer";
import { listRules, type RuleRow, type Subject } from "../store/alarms";
import type { Db } from "../store/database";
import { expectedFrom, expectedKey } from "../store/expected";
import { endFinding, keepFinding } from "../store/findings";
import type { AlarmBook, AlarmEvent } from "./alarm-book";
import type { Ranges } from "./ranges";

/** A rule with its detector, ready to judge. */
interface Judge {
  rule: RuleRow;
  detector: SeriesDetector;
  /** `*` for any. */
  metric: string;
  direction: "above" | "below";
  /** A metric that the value is a share of, percent. */
  over: string | undefined;
}

interface Watch extends Judge {
  subject: Subject;
  state: unknown;
  /** Whether what it finds is evidence, and raises no alarm. */
  isFinding: boolean;
  /** What the samples before this watch was made say already, and nobody was told of yet. */
  untold: Verdict | undefined;
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
  /** Whether evidence is looked for: not in a past that is lived through in fast motion, but for its end. */
  looksForEvidence(atMs: number): boolean;
  /** The last value of another metric of the same instance; undefined where it is not measured. */
  beside(series: LiveSeries, metric: string): number | undefined;
  /** What others that ought to be alike measure just now. */
  others(series: LiveSeries, against: "siblings" | "instances", atMs: number): number[];
}

/** Judges samples by the rules whose scope their series is in, and keeps the life of the alarms that follow. */
export class Evaluator {
  private judges: Judge[] = [];
  private watches = new Map<number, Watch[]>();
  /** Until when an oddity is expected. */
  private expected = new Map<string, number>();

  constructor(
    private readonly db: Db,
    private readonly book: AlarmBook,
    private readonly ranges: Ranges,
    private readonly context: EvaluatorContext,
  ) {
    this.loadRules();
  }

  /** Metrics that rules are about; undefined where one is about any of components. */
  get metrics(): ReadonlySet<string> | undefined {
    const any = this.judges.some((one) => one.metric === "*" && one.rule.scope.subject === "component");
    return any ? undefined : new Set(this.judges.map((one) => one.metric));
  }

  /** Whether a rule is about any figure of services. */
  get judgesFigures(): boolean {
    return this.judges.some((one) => one.metric === "*");
  }

  /** Takes changed rules up; what the samples say is judged anew from the last ones kept. */
  loadRules(): void {
    this.judges = listRules(this.db).flatMap((rule): Judge[] => {
      const detector = detectorOf(rule.type);
      if (detector?.what !== "series") return [];
      const { metric, over } = detector.reads(rule.settings);
      return [{ rule, detector, metric, direction: detector.direction(rule.settings), over }];
    });
    this.watches.clear();
    this.expected = new Map(
      expectedFrom(this.db, 0).map((one) => [expectedKey(one.subject, one.metric, one.qualifier), one.untilMs]),
    );
  }

  /** Whether somebody expects what a rule that learns finds of a series. */
  private isExpected({ subject, detector }: Watch, series: LiveSeries, atMs: number): boolean {
    if (!detector.learns || this.expected.size === 0) return false;
    return (this.expected.get(expectedKey(subject, series.metric, series.instance)) ?? 0) > atMs;
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
          .filter(
            (one) => (one.metric === series.metric || one.metric === "*") && this.isInScope(one.rule, subject, kind),
          )
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
    const { detector, rule, direction } = judge;
    const metric = series.metric;
    const isFinding = detector.isFinding?.(rule.settings) ?? false;
    const told = isFinding
      ? undefined
      : this.book.severityOf({ subject, metric, direction, detector: detector.type, qualifier: series.instance });
    const watch: Watch = { ...judge, subject, state: detector.fresh(told), isFinding, untold: undefined };
    const memory = detector.memory(rule.settings);
    const before = this.context.recall(series.id, atMs - memory.ms, atMs - 1);
    const from = Math.max(0, before.times.length - memory.inputs + 1);
    for (let index = from; index < before.times.length; index++)
      watch.untold =
        this.judge(watch, series, before.times[index] as number, before.values[index] as number) ?? watch.untold;
    if (watch.untold?.severity === (told ?? "cleared")) watch.untold = undefined;
    return watch;
  }

  private judge(watch: Watch, series: LiveSeries, atMs: number, value: number): Verdict | undefined {
    const { rule, detector, state, over } = watch;
    let judged = value;
    if (over !== undefined) {
      const percent = percentOf(value, this.context.beside(series, over), over);
      if (percent === undefined) return undefined;
      judged = percent;
    }
    const range = detector.learns ? this.ranges.of(series, atMs) : undefined;
    const against = detector.others?.(rule.settings);
    const others = against && this.context.others(series, against, atMs);
    return detector.evaluate(
      rule.settings,
      state,
      { atMs, value: judged, range, others },
      over === undefined ? series : { instance: series.instance, metric: series.metric, unit: "%" },
    );
  }

  /** Judges the samples of one tick; call inside a transaction. */
  evaluate(samples: readonly FreshSample[]): AlarmEvent[] {
    this.ranges.begin();
    const events: AlarmEvent[] = [];
    const found: { watch: Watch; series: LiveSeries; verdict: Verdict; atMs: number }[] = [];
    let judged = 0;
    const looks = samples[0] !== undefined && this.context.looksForEvidence(samples[0].atMs);
    for (const { series, atMs, value } of samples)
      for (const watch of this.watchesOf(series, atMs)) {
        if (watch.isFinding && !looks) continue;
        if (!watch.rule.enabled) {
          const kind = kindOf(watch, series);
          if (watch.isFinding) endFinding(this.db, kind, atMs);
          else events.push(...one(this.book.clear(kind, "The rule was switched off", atMs)));
          continue;
        }
        judged++;
        // What was so before a rule was made or changed is told of with the first sample after.
        const verdict = this.judge(watch, series, atMs, value) ?? watch.untold;
        watch.untold = undefined;
        if (!verdict || (verdict.severity !== "cleared" && this.isExpected(watch, series, atMs))) continue;
        const kind = kindOf(watch, series);
        if (!watch.isFinding) events.push(...one(this.book.take(kind, verdict, atMs)));
        else if (verdict.severity === "cleared") endFinding(this.db, kind, atMs);
        else found.push({ watch, series, verdict, atMs });
      }
    this.keep(found, judged);
    return events;
  }

  /**
   * Keeps what was found odd, as far as chance does not explain it: among everything judged in a tick, at most a tenth
   * of what is kept may be false (Benjamini and Hochberg 1995).
   */
  private keep(
    found: readonly { watch: Watch; series: LiveSeries; verdict: Verdict; atMs: number }[],
    judged: number,
  ): void {
    if (found.length === 0) return;
    const sorted = [...found].sort((a, b) => b.verdict.score - a.verdict.score);
    const chances = sorted.map(({ verdict }) => 10 ** (-verdict.score / 12.5));
    for (const { watch, series, verdict, atMs } of sorted.slice(0, rejected(chances, FALSE_SHARE, judged)))
      keepFinding(this.db, { ...kindOf(watch, series), ...verdict }, atMs);
  }
}

/** Of what is kept as odd so much may be there by chance. */
const FALSE_SHARE = 0.1;

const one = <T>(value: T | undefined): T[] => (value === undefined ? [] : [value]);

const kindOf = ({ subject, rule, detector, direction }: Watch, series: LiveSeries) => ({
  subject,
  ruleId: rule.id,
  seriesId: series.id,
  detector: detector.type,
  metric: series.metric,
  direction,
  qualifier: series.instance,
});

function subjectOf(series: LiveSeries): Subject | undefined {
  if (series.componentId !== null) return { type: "component", id: series.componentId };
  return series.serviceId === null ? undefined : { type: "service", id: series.serviceId };
}
