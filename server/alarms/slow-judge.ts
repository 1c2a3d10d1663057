import type { Detector, Inputs, Reads, Verdict } from "#core/detection/detector";
import { detectorOf } from "#core/detection/registry";
import { kindMatches } from "#core/catalogue/kinds";
import { activeAlarms, listRules, subjectKey, type RuleRow, type Subject } from "../store/alarms";
import type { Db } from "../store/database";
import { endFinding, keepFinding } from "../store/findings";
import type { AlarmBook, AlarmEvent, AlarmKind } from "./alarm-book";

/** What is judged by the clock, not as samples come. */
export type SlowReading = "logs" | "arrivals" | "states" | "changes" | "jobs";

/** One thing that a rule is about, with what is judged of it. */
export interface Asked<What extends SlowReading> {
  subject: Subject;
  seriesId: number | null;
  /** Tells several alarms of one subject apart. */
  qualifier: string;
  instance: string;
  unit: string;
  input: Inputs[What];
}

export interface SlowRule<What extends SlowReading> {
  rule: RuleRow;
  detector: Detector<unknown, unknown, What>;
  /** By subject and qualifier. */
  states: Map<string, { state: unknown; kind: AlarmKind; stands: boolean }>;
}

/** What such a judge asks of those who know the estate. */
export interface SlowContext {
  kindOf(componentId: number): string | undefined;
  isWatched(componentId: number): boolean;
  serviceUid(serviceId: number): string | undefined;
  /** Services that a component belongs to. */
  servicesOf(componentId: number): readonly { id: number }[];
}

/** A judge of what is looked at every so often: each has rules, and for each rule a state for each thing it is about. */
export abstract class SlowJudge<What extends SlowReading> {
  protected rules: SlowRule<What>[] = [];
  private judgedAtMs = Number.NEGATIVE_INFINITY;

  constructor(
    protected readonly db: Db,
    protected readonly book: AlarmBook,
    protected readonly context: SlowContext,
    private readonly what: What,
    private readonly everyMs: number,
  ) {}

  /** What a rule is about at an instant. */
  protected abstract asked(rule: SlowRule<What>, atMs: number): Iterable<Asked<What>>;

  /** Called once before the rules are asked. */
  protected begin(_atMs: number): void {}

  /** Whether enough is known to judge by a rule; what stands by it stays as it is until then. */
  protected isReady(_rule: SlowRule<What>): boolean {
    return true;
  }

  /** The words in which a verdict is told. */
  protected worded(verdict: Verdict, _asked: Asked<What>): Verdict {
    return verdict;
  }

  loadRules(): void {
    const standing = activeAlarms(this.db);
    this.rules = listRules(this.db).flatMap((rule): SlowRule<What>[] => {
      const detector = detectorOf(rule.type) as Detector<unknown, unknown, What> | undefined;
      if (detector?.what !== this.what) return [];
      const own: SlowRule<What> = { rule, detector, states: new Map() };
      for (const alarm of standing) {
        if (alarm.rule_id !== rule.id) continue;
        const subject = { type: alarm.subject_type, id: alarm.subject_id };
        own.states.set(keyOf(subject, alarm.qualifier), {
          state: detector.fresh(alarm.severity),
          kind: this.kindOf(own, { subject, seriesId: alarm.series_id, qualifier: alarm.qualifier }),
          stands: true,
        });
      }
      return [own];
    });
    this.judgedAtMs = Number.NEGATIVE_INFINITY;
  }

  /** Judges what is due; call inside a transaction. */
  evaluate(atMs: number): AlarmEvent[] {
    if (this.rules.length === 0 || (atMs - this.judgedAtMs < this.everyMs && atMs >= this.judgedAtMs)) return [];
    this.judgedAtMs = atMs;
    this.begin(atMs);
    return this.rules.flatMap((rule) =>
      rule.rule.enabled ? this.judge(rule, atMs) : this.leave(rule, new Set(), "The rule was switched off", atMs),
    );
  }

  private judge(own: SlowRule<What>, atMs: number): AlarmEvent[] {
    if (!this.isReady(own)) return [];
    const events: AlarmEvent[] = [];
    const seen = new Set<string>();
    for (const one of this.asked(own, atMs)) {
      const key = keyOf(one.subject, one.qualifier);
      seen.add(key);
      const known = own.states.get(key) ?? { state: own.detector.fresh(), kind: this.kindOf(own, one), stands: false };
      own.states.set(key, known);
      const verdict = own.detector.evaluate(own.rule.settings, known.state, one.input, one);
      if (verdict) events.push(...this.take(own, known, this.worded(verdict, one), atMs));
    }
    return [...events, ...this.leave(own, seen, "It is not judged any more", atMs)];
  }

  private take(
    { rule, detector }: SlowRule<What>,
    known: { kind: AlarmKind; stands: boolean },
    verdict: Verdict,
    atMs: number,
  ): AlarmEvent[] {
    known.stands = verdict.severity !== "cleared";
    if (detector.isFinding?.(rule.settings)) {
      if (known.stands) keepFinding(this.db, { ...known.kind, ...verdict }, atMs);
      else endFinding(this.db, known.kind, atMs);
      return [];
    }
    const event = this.book.take(known.kind, verdict, atMs);
    return event ? [event] : [];
  }

  /** Ends what stands of things that a rule is not about any more. */
  private leave(own: SlowRule<What>, kept: ReadonlySet<string>, text: string, atMs: number): AlarmEvent[] {
    const events: AlarmEvent[] = [];
    for (const [key, known] of own.states) {
      if (kept.has(key)) continue;
      own.states.delete(key);
      if (known.stands)
        events.push(...this.take(own, known, { severity: "cleared", score: 0, onsetMs: atMs, text }, atMs));
    }
    return events;
  }

  private kindOf(
    { rule, detector }: SlowRule<What>,
    { subject, seriesId, qualifier }: Pick<Asked<What>, "subject" | "seriesId" | "qualifier">,
  ): AlarmKind {
    return {
      subject,
      ruleId: rule.id,
      seriesId,
      detector: detector.type,
      metric: this.metricOf((detector.reads(rule.settings) as Reads).metric),
      direction: detector.direction(rule.settings),
      qualifier,
    };
  }

  /** The name under which an alarm stands. */
  protected metricOf(metric: string): string {
    return metric;
  }

  /** Whether a component is in the scope of a rule: by its kind, or by a service that it belongs to. */
  protected covers({ scope }: RuleRow, id: number): boolean {
    if (!this.context.isWatched(id)) return false;
    const kind = this.context.kindOf(id);
    if (scope.subject === "component") return kind !== undefined && kindMatches(scope.kind, kind);
    const services = this.context.servicesOf(id);
    return scope.service === "*"
      ? services.length > 0
      : services.some((one) => this.context.serviceUid(one.id) === scope.service);
  }

  protected coversService({ scope }: RuleRow, id: number): boolean {
    const uid = this.context.serviceUid(id);
    return uid !== undefined && scope.subject === "service" && (scope.service === "*" || scope.service === uid);
  }
}

const keyOf = (subject: Subject, qualifier: string) => `${subjectKey(subject)}|${qualifier}`;
