import { kindMatches } from "#core/catalogue/kinds";
import type { LogDetector } from "#core/detection/detector";
import type { LogSettings } from "#core/detection/logs";
import { detectorOf } from "#core/detection/registry";
import { HALF_HOUR_MS, HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { activeAlarms, listRules, type RuleRow } from "../store/alarms";
import type { Db } from "../store/database";
import { endFinding, keepFinding } from "../store/findings";
import { countBySender, newestOfPattern, usualBySender, type CountedLogs } from "../store/log-counts";
import { logsSince } from "../store/log-novelty";
import type { AlarmBook, AlarmEvent, AlarmKind } from "./alarm-book";

/** Logs are counted so often, and what is usual is learned anew so often, clock time. */
const EVERY_MS = 30_000;
const ANEW_MS = HOUR_MS;

interface Judge {
  rule: RuleRow;
  detector: LogDetector;
  settings: LogSettings;
  what: CountedLogs;
  states: Map<number, unknown>;
  usual: Map<number, { mean: number; variance: number }>;
  learnedAtMs: number;
}

/** What the judge asks of those who know the estate. */
export interface LogContext {
  kindOf(componentId: number): string | undefined;
  isWatched(componentId: number): boolean;
  serviceUid(serviceId: number): string | undefined;
  /** Services that a component belongs to. */
  servicesOf(componentId: number): readonly { id: number }[];
  componentOf(resourceId: number): number | null;
}

/** A record that is longer is told by its pattern. */
const LONGEST = 300;

/** Judges what is said in the logs: of each component that a rule is about. */
export class LogJudge {
  private judges: Judge[] = [];
  private judgedAtMs = Number.NEGATIVE_INFINITY;

  constructor(
    private readonly db: Db,
    private readonly book: AlarmBook,
    private readonly context: LogContext,
  ) {
    this.loadRules();
  }

  loadRules(): void {
    const standing = activeAlarms(this.db);
    this.judges = listRules(this.db).flatMap((rule): Judge[] => {
      const detector = detectorOf(rule.type);
      if (detector?.what !== "logs") return [];
      const settings = rule.settings as LogSettings;
      const states = new Map<number, unknown>();
      for (const alarm of standing)
        if (alarm.rule_id === rule.id && alarm.component_id !== null)
          states.set(alarm.component_id, detector.fresh(alarm.severity));
      const what = {
        words: settings.words,
        leastSeverity: Number(settings.level),
        onlyNew: settings.condition === "new",
      };
      return [{ rule, detector, settings, what, states, usual: new Map(), learnedAtMs: Number.NEGATIVE_INFINITY }];
    });
  }

  /** Judges the last minutes, twice a minute; call inside a transaction. */
  evaluate(atMs: number): AlarmEvent[] {
    if (this.judges.length === 0 || (atMs - this.judgedAtMs < EVERY_MS && atMs >= this.judgedAtMs)) return [];
    this.judgedAtMs = atMs;
    const since = logsSince(this.db);
    return since === undefined ? [] : this.judges.flatMap((judge) => this.judge(judge, since, atMs));
  }

  private judge(judge: Judge, sinceMs: number, atMs: number): AlarmEvent[] {
    const { rule, detector, settings, what, states } = judge;
    const events: AlarmEvent[] = [];
    if (!rule.enabled) {
      for (const id of states.keys()) events.push(...this.leave(judge, id, "The rule was switched off", atMs));
      states.clear();
      return events;
    }
    // What is said in the first hours is all new.
    if (what.onlyNew && atMs - sinceMs < HOUR_MS) return [];
    if (settings.condition !== "atLeast" && settings.condition !== "new" && atMs - judge.learnedAtMs >= ANEW_MS) {
      judge.usual = this.byComponent(usualBySender(this.db, what, atMs, sinceMs), (a, b) => ({
        mean: a.mean + b.mean,
        variance: a.variance + b.variance,
      }));
      judge.learnedAtMs = atMs;
    }
    const fromMs = atMs - settings.minutes * MINUTE_MS;
    const counts = this.byComponent(countBySender(this.db, what, fromMs, atMs), (a, b) => ({
      count: a.count + b.count,
      ...(a.count >= b.count ? { example: a.example, sender: a.sender } : { example: b.example, sender: b.sender }),
    }));
    const part = (settings.minutes * MINUTE_MS) / HALF_HOUR_MS;
    for (const id of new Set([...counts.keys(), ...judge.usual.keys(), ...states.keys()])) {
      if (!this.isInScope(rule, id)) continue;
      const { count, example, sender } = counts.get(id) ?? { count: 0, example: "" };
      const known = judge.usual.get(id);
      const usual = known && { mean: known.mean * part, variance: Math.max(known.mean, known.variance) * part };
      const state = states.get(id) ?? detector.fresh();
      states.set(id, state);
      const judged = detector.evaluate(settings, state, { atMs, count, usual, example }, { instance: "", unit: "1" });
      const verdict = judged && { ...judged, text: this.inFull(judged.text, example, sender, fromMs) };
      if (verdict?.severity === "cleared") events.push(...this.leave(judge, id, verdict.text, atMs));
      else if (verdict && settings.as === "finding") keepFinding(this.db, { ...kindOf(judge, id), ...verdict }, atMs);
      else if (verdict) {
        const event = this.book.take(kindOf(judge, id), verdict, atMs);
        if (event) events.push(event);
      }
    }
    return events;
  }

  private leave(judge: Judge, id: number, text: string, atMs: number): AlarmEvent[] {
    const kind = kindOf(judge, id);
    if (judge.settings.as === "finding") {
      endFinding(this.db, kind, atMs);
      return [];
    }
    const event = this.book.clear(kind, text, atMs);
    return event ? [event] : [];
  }

  /** What was said in the words of a record, in place of its pattern: addresses in it tell who is meant. */
  private inFull(text: string, pattern: string, sender: number | undefined, fromMs: number): string {
    if (sender === undefined || !pattern.includes("<*>") || !text.includes(pattern)) return text;
    const said = newestOfPattern(this.db, sender, pattern, fromMs);
    return said === undefined ? text : text.replace(pattern, () => (said.length > LONGEST ? pattern : said));
  }

  private byComponent<T>(bySender: ReadonlyMap<number, T>, add: (a: T, b: T) => T): Map<number, T> {
    const result = new Map<number, T>();
    for (const [resourceId, value] of bySender) {
      const id = this.context.componentOf(resourceId);
      if (id === null) continue;
      const known = result.get(id);
      result.set(id, known === undefined ? value : add(known, value));
    }
    return result;
  }

  private isInScope({ scope }: RuleRow, id: number): boolean {
    if (!this.context.isWatched(id)) return false;
    const kind = this.context.kindOf(id);
    if (scope.subject === "component") return kind !== undefined && kindMatches(scope.kind, kind);
    const services = this.context.servicesOf(id);
    return scope.service === "*"
      ? services.length > 0
      : services.some((one) => this.context.serviceUid(one.id) === scope.service);
  }
}

/** The rule tells its alarms from those of others: two searches of one component are two things. */
const kindOf = ({ rule, detector, settings }: Judge, id: number): AlarmKind => ({
  subject: { type: "component", id },
  ruleId: rule.id,
  seriesId: null,
  detector: detector.type,
  metric: detector.reads(settings).metric,
  direction: detector.direction(settings),
  qualifier: settings.words || `rule ${rule.id}`,
});
