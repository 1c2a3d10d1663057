import type { ObjectiveDetector, Verdict } from "#core/detection/detector";
import { detectorOf } from "#core/detection/registry";
import { burnRate, BURN_WINDOWS, sureBurnRate } from "#core/stats/objective";
import { activeAlarms, listRules, type RuleRow } from "../store/alarms";
import type { Db } from "../store/database";
import { objectiveReader } from "../store/objective-calls";
import { listServices } from "../store/services";
import type { AlarmBook, AlarmEvent } from "./alarm-book";

/** Burn rates change slowly: they are looked at so often, clock time. */
const EVERY_MS = 60_000;

const OVER = { severity: "cleared", score: 0, text: "The service has no objective any more" } as const;

interface Judge {
  rule: RuleRow;
  detector: ObjectiveDetector;
  states: Map<number, unknown>;
}

export interface ObjectiveContext {
  entries(): ReadonlyMap<number, ReadonlySet<number>>;
  takes(serviceId: number, componentId: number, operation: string): boolean;
}

/** Judges how fast services use up the budgets of their objectives. */
export class ObjectiveJudge {
  private judges: Judge[] = [];
  private judgedAtMs = Number.NEGATIVE_INFINITY;

  constructor(
    private readonly db: Db,
    private readonly book: AlarmBook,
    private readonly context: ObjectiveContext,
  ) {
    this.loadRules();
  }

  loadRules(): void {
    const standing = activeAlarms(this.db);
    this.judges = listRules(this.db).flatMap((rule): Judge[] => {
      const detector = detectorOf(rule.type);
      if (detector?.what !== "objectives") return [];
      const states = new Map<number, unknown>();
      for (const alarm of standing)
        if (alarm.rule_id === rule.id) states.set(alarm.subject_id, detector.fresh(alarm.severity));
      return [{ rule, detector, states }];
    });
  }

  /** Judges every service that has an objective, once a minute; call inside a transaction. */
  evaluate(atMs: number): AlarmEvent[] {
    if (this.judges.length === 0 || (atMs - this.judgedAtMs < EVERY_MS && atMs >= this.judgedAtMs)) return [];
    this.judgedAtMs = atMs;
    return listServices(this.db).flatMap((service) => {
      const { id, uid, details } = service;
      // What promises nothing any more burns nothing.
      if (details.objectivePercent === undefined)
        return this.judges.flatMap((judge) =>
          judge.states.delete(id) ? this.take(judge, id, { ...OVER, onsetMs: atMs }, atMs) : [],
        );
      const judges = this.judges.filter(
        ({ rule: { scope } }) => scope.subject === "service" && (scope.service === "*" || scope.service === uid),
      );
      if (judges.length === 0) return [];
      const target = details.objectivePercent / 100;
      const entered = {
        components: this.context.entries().get(id) ?? [],
        takes: (component: number, operation: string) => this.context.takes(id, component, operation),
      };
      const kept = objectiveReader(this.db, service, entered, atMs);
      const windows = BURN_WINDOWS.map((one) => ({
        ...one,
        long: sureBurnRate(kept(atMs - one.longMs, atMs), target),
        short: burnRate(kept(atMs - one.shortMs, atMs), target),
      }));
      return judges.flatMap((judge) => this.judge(judge, id, windows, atMs));
    });
  }

  private judge(
    { rule, detector, states }: Judge,
    id: number,
    windows: Parameters<ObjectiveDetector["evaluate"]>[2]["windows"],
    atMs: number,
  ): AlarmEvent[] {
    const state = states.get(id) ?? detector.fresh();
    states.set(id, state);
    const verdict = rule.enabled
      ? detector.evaluate(rule.settings, state, { atMs, windows }, { instance: "", unit: "" })
      : { severity: "cleared" as const, score: 0, onsetMs: atMs, text: "The rule was switched off" };
    return verdict ? this.take({ rule, detector, states }, id, verdict, atMs) : [];
  }

  private take({ rule, detector }: Judge, id: number, verdict: Verdict, atMs: number): AlarmEvent[] {
    const { metric } = detector.reads(rule.settings);
    const event = this.book.take(
      {
        subject: { type: "service", id },
        ruleId: rule.id,
        seriesId: null,
        detector: detector.type,
        metric,
        direction: "above",
        qualifier: "",
      },
      verdict,
      atMs,
    );
    return event ? [event] : [];
  }
}
