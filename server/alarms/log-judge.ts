import type { LogSettings } from "#core/detection/logs";
import { HALF_HOUR_MS, HOUR_MS, MINUTE_MS } from "#core/time/windows";
import type { Verdict } from "#core/detection/detector";
import type { Db } from "../store/database";
import { countBySender, newestOfPattern, usualBySender, type CountedLogs } from "../store/log-counts";
import { logsSince } from "../store/log-novelty";
import type { AlarmBook } from "./alarm-book";
import { SlowJudge, type Asked, type SlowContext, type SlowRule } from "./slow-judge";

/** Logs are counted so often, and what is usual is learned anew so often, clock time. */
const EVERY_MS = 30_000;
const ANEW_MS = HOUR_MS;
/** A record that is longer is told by its pattern. */
const LONGEST = 300;

/** Records of a component in half an hour. */
interface Usual {
  mean: number;
  variance: number;
}

/** What the judge asks of those who know the estate. */
export interface LogContext extends SlowContext {
  componentOf(resourceId: number): number | null;
}

/** What is asked of a component, and where an example of it is found. */
interface AskedLogs extends Asked<"logs"> {
  sender: number | undefined;
  fromMs: number;
}

/** Judges what is said in the logs: of each component that a rule is about. */
export class LogJudge extends SlowJudge<"logs"> {
  /** By rule. */
  private readonly usual = new Map<number, { learnedAtMs: number; byComponent: Map<number, Usual> }>();
  private sinceMs: number | undefined;
  private atMs = 0;

  constructor(
    db: Db,
    book: AlarmBook,
    private readonly logs: LogContext,
  ) {
    super(db, book, logs, "logs", EVERY_MS);
    this.loadRules();
  }

  override loadRules(): void {
    this.usual.clear();
    super.loadRules();
  }

  protected override begin(atMs: number): void {
    this.sinceMs = logsSince(this.db);
    this.atMs = atMs;
  }

  /** What is said in the first hours is all new. */
  protected override isReady({ rule }: SlowRule<"logs">): boolean {
    return this.sinceMs !== undefined && !(countedBy(settingsOf(rule)).onlyNew && this.atMs - this.sinceMs < HOUR_MS);
  }

  protected override *asked({ rule, states }: SlowRule<"logs">, atMs: number): Iterable<AskedLogs> {
    const settings = settingsOf(rule);
    const fromMs = atMs - settings.minutes * MINUTE_MS;
    const counts = this.byComponent(countBySender(this.db, countedBy(settings), fromMs, atMs), (a, b) => ({
      count: a.count + b.count,
      ...(a.count >= b.count ? { example: a.example, sender: a.sender } : { example: b.example, sender: b.sender }),
    }));
    const allUsual = this.usualOf(rule.id, settings, atMs);
    const judged = [...states.values()].map(({ kind }) => kind.subject.id);
    const part = (settings.minutes * MINUTE_MS) / HALF_HOUR_MS;
    for (const id of new Set([...counts.keys(), ...allUsual.keys(), ...judged])) {
      if (!this.covers(rule, id)) continue;
      const { count, example, sender } = counts.get(id) ?? { count: 0, example: "" };
      const known = allUsual.get(id);
      const usual = known && { mean: known.mean * part, variance: Math.max(known.mean, known.variance) * part };
      yield {
        subject: { type: "component", id },
        seriesId: null,
        // The rule tells its alarms from those of others: two searches of one component are two things.
        qualifier: settings.words || `rule ${rule.id}`,
        instance: "",
        unit: "1",
        input: { atMs, count, usual, example },
        sender,
        fromMs,
      };
    }
  }

  /** What is usual of each component; of what is judged by a number, or by being new, nothing is asked. */
  private usualOf(ruleId: number, settings: LogSettings, atMs: number): ReadonlyMap<number, Usual> {
    const known = this.usual.get(ruleId);
    const { condition } = settings;
    if (condition === "atLeast" || condition === "new" || this.sinceMs === undefined) return new Map();
    if (known && atMs - known.learnedAtMs < ANEW_MS) return known.byComponent;
    const byComponent = this.byComponent(usualBySender(this.db, countedBy(settings), atMs, this.sinceMs), (a, b) => ({
      mean: a.mean + b.mean,
      variance: a.variance + b.variance,
    }));
    this.usual.set(ruleId, { learnedAtMs: atMs, byComponent });
    return byComponent;
  }

  /** What was said in the words of a record, in place of its pattern: addresses in it tell who is meant. */
  protected override worded(verdict: Verdict, { input, sender, fromMs }: AskedLogs): Verdict {
    const pattern = input.example;
    if (sender === undefined || !pattern.includes("<*>") || !verdict.text.includes(pattern)) return verdict;
    const said = newestOfPattern(this.db, sender, pattern, fromMs);
    if (said === undefined || said.length > LONGEST) return verdict;
    return { ...verdict, text: verdict.text.replace(pattern, () => said) };
  }

  private byComponent<T>(bySender: ReadonlyMap<number, T>, add: (a: T, b: T) => T): Map<number, T> {
    const result = new Map<number, T>();
    for (const [resourceId, value] of bySender) {
      const id = this.logs.componentOf(resourceId);
      if (id === null) continue;
      const known = result.get(id);
      result.set(id, known === undefined ? value : add(known, value));
    }
    return result;
  }
}

const settingsOf = ({ settings }: SlowRule<"logs">["rule"]) => settings as LogSettings;

const countedBy = ({ words, level, condition }: LogSettings): CountedLogs => ({
  words,
  leastSeverity: Number(level),
  onlyNew: condition === "new",
});
