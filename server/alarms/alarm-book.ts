import { severityRank, type Severity } from "#core/alarms/severity";
import type { Verdict } from "#core/detection/detector";
import {
  activeAlarms,
  alarmTypeOf,
  changeAlarm,
  raiseAlarm,
  subjectKey,
  type NewAlarm,
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

/** What an alarm is about, by which it is told from others (RFC 8632: resource, type and qualifier). */
export interface AlarmKind extends Pick<
  NewAlarm,
  "subject" | "ruleId" | "seriesId" | "detector" | "metric" | "direction" | "qualifier"
> {}

/** As much of it as tells alarms apart. */
export type AlarmName = Pick<AlarmKind, "subject" | "metric" | "direction" | "detector" | "qualifier">;

interface ActiveAlarm {
  id: number;
  severity: Severity;
  worst: Severity;
  kind: Pick<AlarmKind, "subject" | "metric" | "qualifier"> & { ruleId: number | null };
}

/** The alarms that stand, and their life in the store: raised, worse, better, cleared. Call inside a transaction. */
export class AlarmBook {
  private readonly active = new Map<string, ActiveAlarm>();

  constructor(private readonly db: Db) {
    this.reload();
  }

  /** Takes everything from the store anew, after a tick that could not be written. */
  reload(): void {
    this.active.clear();
    for (const row of activeAlarms(this.db)) {
      const { id, severity, worst, subject_type, subject_id, alarm_type, metric, qualifier, rule_id } = row;
      const subject: Subject = { type: subject_type, id: subject_id };
      const kind = { subject, metric, qualifier, ruleId: rule_id };
      this.active.set(keyOf(subject, alarm_type, qualifier), { id, severity, worst, kind });
    }
  }

  /** Components that do not respond. */
  unreachable(): number[] {
    return [...this.active.values()].flatMap(({ kind: { metric, subject } }) =>
      metric === "reachable" && subject.type === "component" ? [subject.id] : [],
    );
  }

  /** How an alarm stands; undefined where it does not. */
  severityOf(kind: AlarmName): Severity | undefined {
    return this.active.get(keyOfKind(kind))?.severity;
  }

  /** Every alarm that stands. */
  *standing(): Iterable<ActiveAlarm["kind"] & { id: number; severity: Severity }> {
    for (const { id, kind, severity } of this.active.values()) yield { ...kind, id, severity };
  }

  /** Takes a verdict down: the alarm is raised, changed or cleared; undefined where nothing changes by it. */
  take(kind: AlarmKind, verdict: Verdict, atMs: number): AlarmEvent | undefined {
    if (verdict.severity === "cleared") return this.clear(kind, verdict.text, atMs);
    const { severity, text } = verdict;
    const event = { subject: kind.subject, metric: kind.metric, severity, text, atMs };
    const key = keyOfKind(kind);
    const known = this.active.get(key);
    if (!known) {
      // Clocks of senders run ahead at times: nothing begins after it was told of.
      const onsetMs = Math.min(verdict.onsetMs, atMs);
      const id = raiseAlarm(this.db, { ...kind, ...verdict, onsetMs }, atMs);
      this.active.set(key, { id, severity, worst: severity, kind });
      return { what: "raised", alarmId: id, ...event };
    }
    const worse = severityRank(severity) > severityRank(known.severity);
    known.severity = severity;
    if (severityRank(severity) > severityRank(known.worst)) known.worst = severity;
    changeAlarm(this.db, known.id, severity, known.worst, text, atMs);
    return { what: worse ? "worse" : "better", alarmId: known.id, ...event };
  }

  clear(kind: AlarmName, text: string, atMs: number): AlarmEvent | undefined {
    return this.clearKey(keyOfKind(kind), text, atMs);
  }

  private clearKey(key: string, text: string, atMs: number): AlarmEvent | undefined {
    const known = this.active.get(key);
    if (!known) return undefined;
    this.active.delete(key);
    changeAlarm(this.db, known.id, "cleared", known.worst, text, atMs);
    const { subject, metric } = known.kind;
    return { what: "cleared", alarmId: known.id, subject, metric, severity: "cleared", text, atMs };
  }

  /** Clears what rules raised that are not there any more. */
  clearWithout(rules: ReadonlySet<number>, text: string, atMs: number): AlarmEvent[] {
    return [...this.active]
      .filter(([, { kind }]) => kind.ruleId === null || !rules.has(kind.ruleId))
      .flatMap(([key]) => this.clearKey(key, text, atMs) ?? []);
  }

  /** Clears alarms of a metric whose qualifier stands for nothing any more. */
  clearGone(metric: string, qualifiers: ReadonlySet<string>, text: string, atMs: number): AlarmEvent[] {
    return [...this.active]
      .filter(([, { kind }]) => kind.metric === metric && !qualifiers.has(kind.qualifier))
      .flatMap(([key]) => this.clearKey(key, text, atMs) ?? []);
  }

  /** Clears every alarm of a subject. */
  clearAll(subject: Subject, text: string, atMs: number): AlarmEvent[] {
    const own = `${subjectKey(subject)}|`;
    return [...this.active.keys()]
      .filter((key) => key.startsWith(own))
      .flatMap((key) => this.clearKey(key, text, atMs) ?? []);
  }
}

const keyOf = (subject: Subject, type: string, qualifier: string) => `${subjectKey(subject)}|${type}|${qualifier}`;
const keyOfKind = (kind: AlarmName) =>
  keyOf(kind.subject, alarmTypeOf(kind.metric, kind.direction, kind.detector), kind.qualifier);

/** Whether a host does not answer: what it does not tell then is told of already. */
export const isUnreachable = (book: AlarmBook, host: number): boolean =>
  book.severityOf({
    subject: { type: "component", id: host },
    metric: "reachable",
    direction: "below",
    detector: "threshold",
    qualifier: "",
  }) !== undefined;
