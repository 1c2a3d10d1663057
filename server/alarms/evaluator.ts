import { alarmText, clearedText } from "#core/alarms/wording";
import { severityRank, type Severity } from "#core/alarms/severity";
import type { Samples } from "#core/telemetry/chunk";
import { freshThresholdState, judgeSample, type ThresholdState } from "#core/detection/threshold";
import { kindMatches } from "#core/catalogue/kinds";
import { activeAlarms, changeAlarm, listRules, raiseAlarm, type RuleRow } from "../store/alarms";
import type { Db } from "../store/database";
import type { FreshSample, LiveSeries } from "../ingest/sample-writer";

/** What happened to an alarm in a tick. */
export interface AlarmEvent {
  what: "raised" | "worse" | "better" | "cleared";
  alarmId: number;
  componentId: number;
  metric: string;
  severity: Severity;
  text: string;
  atMs: number;
}

interface Watch {
  rule: RuleRow;
  state: ThresholdState;
}

interface ActiveAlarm {
  id: number;
  worst: Severity;
}

/** Judges samples by the rules that fit their series and keeps the life of the alarms that follow. */
export class Evaluator {
  private rules: RuleRow[] = [];
  private watches = new Map<number, Watch[]>();
  private readonly active = new Map<string, ActiveAlarm>();

  constructor(
    private readonly db: Db,
    private readonly kindOf: (componentId: number) => string | undefined,
    private readonly samples: {
      /** Samples of a series in a window, those not committed yet among them. */
      recall: (seriesId: number, fromMs: number, toMs: number) => Samples;
      /** Whether a series was sent to us, and what it measures is polled too: judging both would make two of one alarm. */
      isTwin: (series: LiveSeries) => boolean;
    },
  ) {
    this.reload();
  }

  /** Takes everything from the store anew, after a tick that could not be written. */
  reload(): void {
    this.active.clear();
    for (const alarm of activeAlarms(this.db))
      this.active.set(keyOf(alarm.component_id, alarm.alarm_type, alarm.qualifier), {
        id: alarm.id,
        worst: alarm.worst,
      });
    this.loadRules();
  }

  /** Takes changed rules up; what the samples say is judged anew from the last ones kept. */
  loadRules(): void {
    this.rules = listRules(this.db);
    this.watches.clear();
  }

  private watchesOf(series: LiveSeries, atMs: number): Watch[] {
    let watches = this.watches.get(series.id);
    if (watches) return watches;
    watches = [];
    const kind = series.componentId === null ? undefined : this.kindOf(series.componentId);
    if (kind !== undefined && !this.samples.isTwin(series))
      for (const rule of this.rules) {
        if (rule.metric !== series.metric || !kindMatches(rule.kind, kind)) continue;
        const state = freshThresholdState();
        const alarm = this.active.get(keyOf(series.componentId as number, alarmType(rule), series.instance));
        if (alarm) state.severity = this.currentSeverity(alarm.id);
        const before = this.samples.recall(series.id, atMs - rule.memoryMs, atMs - 1);
        const from = Math.max(0, before.times.length - rule.samples + 1);
        for (let index = from; index < before.times.length; index++) {
          state.times.push(before.times[index] as number);
          state.values.push(before.values[index] as number);
        }
        watches.push({ rule, state });
      }
    // A component that the engine has not taken up yet is looked at again with the next sample.
    if (kind !== undefined || series.componentId === null) this.watches.set(series.id, watches);
    return watches;
  }

  private currentSeverity(alarmId: number): Severity {
    return activeAlarms(this.db).find((alarm) => alarm.id === alarmId)?.severity ?? "cleared";
  }

  /** Judges the samples of one tick; call inside a transaction. */
  evaluate(samples: readonly FreshSample[]): AlarmEvent[] {
    const events: AlarmEvent[] = [];
    for (const { series, atMs, value } of samples) {
      if (series.componentId === null) continue;
      for (const { rule, state } of this.watchesOf(series, atMs)) {
        if (!rule.enabled) {
          if (state.severity !== "cleared") events.push(...this.clear(series, rule, "The rule was switched off", atMs));
          state.severity = "cleared";
          continue;
        }
        const before = state.severity;
        const verdict = judgeSample(rule, state, atMs, value);
        if (!verdict) continue;
        if (verdict.severity === "cleared")
          events.push(...this.clear(series, rule, clearedText(rule, verdict, series.instance, series.unit), atMs));
        else
          events.push(
            this.raiseOrChange(
              series,
              rule,
              before,
              verdict.severity,
              alarmText(rule, verdict, series.instance, series.unit),
              atMs,
            ),
          );
      }
    }
    return events;
  }

  private raiseOrChange(
    series: LiveSeries,
    rule: RuleRow,
    before: Severity,
    severity: Severity,
    text: string,
    atMs: number,
  ): AlarmEvent {
    const componentId = series.componentId as number;
    const key = keyOf(componentId, alarmType(rule), series.instance);
    const known = this.active.get(key);
    const event = { componentId, metric: series.metric, severity, text, atMs };
    if (!known) {
      const id = raiseAlarm(
        this.db,
        {
          componentId,
          ruleId: rule.id,
          seriesId: series.id,
          type: alarmType(rule),
          qualifier: series.instance,
          severity,
          text,
        },
        atMs,
      );
      this.active.set(key, { id, worst: severity });
      return { what: "raised", alarmId: id, ...event };
    }
    if (severityRank(severity) > severityRank(known.worst)) known.worst = severity;
    changeAlarm(this.db, known.id, severity, known.worst, text, atMs);
    return { what: severityRank(severity) > severityRank(before) ? "worse" : "better", alarmId: known.id, ...event };
  }

  private clear(series: LiveSeries, rule: RuleRow, text: string, atMs: number): AlarmEvent[] {
    const componentId = series.componentId as number;
    const key = keyOf(componentId, alarmType(rule), series.instance);
    const known = this.active.get(key);
    if (!known) return [];
    this.active.delete(key);
    changeAlarm(this.db, known.id, "cleared", known.worst, text, atMs);
    return [
      { what: "cleared", alarmId: known.id, componentId, metric: series.metric, severity: "cleared", text, atMs },
    ];
  }

  /** Clears every alarm of a component that left the estate. */
  clearComponent(componentId: number, text: string, atMs: number): AlarmEvent[] {
    const events: AlarmEvent[] = [];
    for (const [key, known] of this.active) {
      if (!key.startsWith(`${componentId}|`)) continue;
      this.active.delete(key);
      changeAlarm(this.db, known.id, "cleared", known.worst, text, atMs);
      events.push({ what: "cleared", alarmId: known.id, componentId, metric: "", severity: "cleared", text, atMs });
    }
    return events;
  }
}

const alarmType = (rule: RuleRow) => `${rule.metric}.${rule.direction === "above" ? "high" : "low"}`;
const keyOf = (componentId: number, type: string, qualifier: string) => `${componentId}|${type}|${qualifier}`;
