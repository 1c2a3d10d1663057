import type { Severity } from "#core/alarms/severity";
import type { Scope } from "#core/detection/detector";
import { prepared, readMeta, writeMeta, type Db } from "./database";

/** A detector with its settings, and what it is about. */
export interface RuleRow {
  id: number;
  name: string;
  /** Type of the detector. */
  type: string;
  /** By the detector's schema. */
  settings: unknown;
  scope: Scope;
  enabled: boolean;
}

interface RawRule {
  id: number;
  name: string;
  type: string;
  settings: string;
  scope: string;
  enabled: number;
}

/** What a setting or a scope says, by how it is written down: rules are read with every page, and seldom change. */
const read = new Map<string, unknown>();
const MOST_READ = 5_000;

function readOnce(text: string): unknown {
  let value = read.get(text);
  if (value === undefined) {
    if (read.size >= MOST_READ) read.clear();
    value = frozen(JSON.parse(text));
    read.set(text, value);
  }
  return value;
}

/** What several get the same of is changed by none of them. */
function frozen(value: unknown): unknown {
  if (typeof value === "object" && value !== null) for (const one of Object.values(Object.freeze(value))) frozen(one);
  return value;
}

const toRule = (row: RawRule): RuleRow => ({
  id: row.id,
  name: row.name,
  type: row.type,
  settings: readOnce(row.settings),
  scope: readOnce(row.scope) as Scope,
  enabled: row.enabled === 1,
});

const RULE = "SELECT id, name, type, settings, scope, enabled FROM rule";

export function listRules(db: Db): RuleRow[] {
  return prepared<RawRule>(db, `${RULE} ORDER BY name`).all().map(toRule);
}

export function ruleById(db: Db, id: number): RuleRow | undefined {
  const row = prepared<RawRule>(db, `${RULE} WHERE id = ?`).get(id);
  return row && toRule(row);
}

export function ruleNamed(db: Db, name: string): RuleRow | undefined {
  const row = prepared<RawRule>(db, `${RULE} WHERE name = ?`).get(name);
  return row && toRule(row);
}

/** Names of rules of kits that somebody removed: they are not put in again. */
const REMOVED = "rules_removed";
const removedRules = (db: Db): string[] => JSON.parse(readMeta(db, REMOVED) ?? "[]") as string[];

/** Puts a kit's rule in if no rule of that name exists or was removed; a person's settings are never overwritten. */
export function offerRule(db: Db, rule: Omit<RuleRow, "id">): void {
  if (removedRules(db).includes(rule.name)) return;
  prepared(db, "INSERT OR IGNORE INTO rule (name, type, settings, scope, enabled) VALUES (?, ?, ?, ?, ?)").run(
    rule.name,
    rule.type,
    JSON.stringify(rule.settings),
    JSON.stringify(rule.scope),
    rule.enabled ? 1 : 0,
  );
}

/** Makes a rule, or changes the one with this id; returns its id. */
export function saveRule(db: Db, id: number | undefined, rule: Omit<RuleRow, "id">): number {
  const values = [
    rule.name,
    rule.type,
    JSON.stringify(rule.settings),
    JSON.stringify(rule.scope),
    rule.enabled ? 1 : 0,
  ];
  if (id === undefined)
    return Number(
      prepared(db, "INSERT INTO rule (name, type, settings, scope, enabled) VALUES (?, ?, ?, ?, ?)").run(...values)
        .lastInsertRowid,
    );
  prepared(db, "UPDATE rule SET name = ?, type = ?, settings = ?, scope = ?, enabled = ? WHERE id = ?").run(
    ...values,
    id,
  );
  return id;
}

/** What an alarm is on. */
export interface Subject {
  type: "component" | "relation" | "service" | "source" | "self";
  /** 0 for Holotaxis itself. */
  id: number;
}

/** A subject in one word, to tell subjects apart. */
export const subjectKey = ({ type, id }: Subject): string => `${type}:${id}`;

export interface AlarmRow {
  id: number;
  subject_type: Subject["type"];
  subject_id: number;
  /** Set where the subject is a component. */
  component_id: number | null;
  /** Name of the subject. */
  subject: string;
  /** Kind of the component; else the type of the subject. */
  kind: string;
  rule_id: number | null;
  series_id: number | null;
  detector: string;
  /** A metric, or the name of a condition. */
  metric: string;
  direction: "above" | "below";
  alarm_type: string;
  qualifier: string;
  severity: Severity;
  worst: Severity;
  text: string;
  score: number;
  /** When what is wrong began, by the samples. */
  onset_at: number;
  raised_at: number;
  changed_at: number;
  cleared_at: number | null;
  acknowledged_by: string | null;
  acknowledged_at: number | null;
  /** Why it is kept quiet, and until when; null where it is heard. */
  quiet: string | null;
  quiet_until: number | null;
}

/** Columns and joins that every question about alarms reads by. */
export const ALARM_COLUMNS = `a.id, a.subject_type, a.subject_id, a.component_id, coalesce(c.name, v.name, s.name, 'Holotaxis') AS subject, coalesce(c.kind, a.subject_type) AS kind,
  a.rule_id, a.series_id, a.detector, a.metric, a.direction, a.alarm_type, a.qualifier, a.severity, a.worst, a.text, a.score, a.onset_at,
  a.raised_at, a.changed_at, a.cleared_at, a.acknowledged_by, a.acknowledged_at, a.quiet, a.quiet_until`;
export const ALARM_JOINS = `LEFT JOIN component c ON c.id = a.component_id
  LEFT JOIN service v ON a.subject_type = 'service' AND v.id = a.subject_id LEFT JOIN source s ON a.subject_type = 'source' AND s.id = a.subject_id`;
const ALARM = `SELECT ${ALARM_COLUMNS} FROM alarm a ${ALARM_JOINS}`;

export interface NewAlarm {
  subject: Subject;
  ruleId: number;
  seriesId: number | null;
  detector: string;
  metric: string;
  direction: "above" | "below";
  qualifier: string;
  severity: Severity;
  text: string;
  score: number;
  onsetMs: number;
}

/** RFC 8632 alarm type: what is judged, and which way is wrong; past a limit and out of the usual are two types. */
export const alarmTypeOf = (metric: string, direction: "above" | "below", detector: string) =>
  `${metric}.${{ usual: "unusual-", trend: "soon-", move: "moving-", difference: "apart-", silence: "silent-" }[detector] ?? ""}${direction === "above" ? "high" : "low"}`;

export function raiseAlarm(db: Db, alarm: NewAlarm, atMs: number): number {
  const { lastInsertRowid } = prepared(
    db,
    `INSERT INTO alarm (subject_type, subject_id, rule_id, series_id, detector, metric, direction, alarm_type, qualifier, severity, worst, text, score, onset_at, raised_at, changed_at)
     VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
  ).run(
    alarm.subject.type,
    alarm.subject.id,
    alarm.ruleId,
    alarm.seriesId,
    alarm.detector,
    alarm.metric,
    alarm.direction,
    alarmTypeOf(alarm.metric, alarm.direction, alarm.detector),
    alarm.qualifier,
    alarm.severity,
    alarm.severity,
    alarm.text,
    alarm.score,
    alarm.onsetMs,
    atMs,
    atMs,
  );
  const id = Number(lastInsertRowid);
  noteAlarmChange(db, id, alarm.severity, alarm.text, atMs);
  return id;
}

/** A change of severity, clearing included (RFC 8632 §3.5.1: the list of status changes is the alarm's history). */
export function changeAlarm(db: Db, id: number, severity: Severity, worst: Severity, text: string, atMs: number): void {
  if (severity === "cleared")
    prepared(db, "UPDATE alarm SET severity = 'cleared', cleared_at = ?, changed_at = ? WHERE id = ?").run(
      atMs,
      atMs,
      id,
    );
  else
    prepared(db, "UPDATE alarm SET severity = ?, worst = ?, text = ?, changed_at = ? WHERE id = ?").run(
      severity,
      worst,
      text,
      atMs,
      id,
    );
  noteAlarmChange(db, id, severity, text, atMs);
}

function noteAlarmChange(db: Db, id: number, severity: Severity, text: string, atMs: number): void {
  prepared(db, "INSERT INTO alarm_change (alarm_id, at, severity, text) VALUES (?, ?, ?, ?)").run(
    id,
    atMs,
    severity,
    text,
  );
}

export function acknowledgeAlarm(db: Db, id: number, by: string, atMs: number): boolean {
  return (
    prepared(
      db,
      "UPDATE alarm SET acknowledged_by = ?, acknowledged_at = ? WHERE id = ? AND acknowledged_at IS NULL",
    ).run(by, atMs, id).changes > 0
  );
}

export function activeAlarms(db: Db): AlarmRow[] {
  return prepared<AlarmRow>(db, `${ALARM} WHERE a.cleared_at IS NULL ORDER BY a.raised_at`).all();
}

/** When alarms of a subject stood under a qualifier, of those that were raised since an instant. */
export function alarmsStood(
  db: Db,
  { type, id }: Subject,
  qualifier: string,
  sinceMs: number,
): { fromMs: number; toMs: number }[] {
  return prepared<{ fromMs: number; toMs: number }>(
    db,
    `SELECT onset_at AS fromMs, coalesce(cleared_at, 9e15) AS toMs FROM alarm
     WHERE subject_type = ? AND subject_id = ? AND raised_at >= ? AND qualifier = ?`,
  ).all(type, id, sinceMs, qualifier);
}

/** Alarms that stood at some time of a window, the latest first. */
export function alarmsIn(db: Db, fromMs: number, toMs: number, most: number): AlarmRow[] {
  return prepared<AlarmRow>(
    db,
    `${ALARM} WHERE a.raised_at <= ? AND (a.cleared_at IS NULL OR a.cleared_at >= ?) ORDER BY a.raised_at DESC LIMIT ?`,
  ).all(toMs, fromMs, most);
}

/** How many alarms each rule raised in a window. */
export function alarmsByRule(db: Db, fromMs: number, toMs: number): Map<number, number> {
  const rows = prepared<{ id: number; n: number }>(
    db,
    "SELECT rule_id AS id, count(*) AS n FROM alarm WHERE raised_at >= ? AND raised_at <= ? AND rule_id IS NOT NULL GROUP BY rule_id",
  ).all(fromMs, toMs);
  return new Map(rows.map((row) => [row.id, row.n]));
}

/** Takes a rule out for good: a kit does not put it in again. */
export function removeRule(db: Db, id: number): void {
  const name = ruleById(db, id)?.name;
  if (name !== undefined) writeMeta(db, REMOVED, JSON.stringify([...new Set([...removedRules(db), name])].slice(-500)));
  prepared(db, "DELETE FROM rule WHERE id = ?").run(id);
}

export function alarmById(db: Db, id: number): AlarmRow | undefined {
  return prepared<AlarmRow>(db, `${ALARM} WHERE a.id = ?`).get(id);
}

export function alarmsOfService(db: Db, serviceId: number, fromMs: number, toMs: number): AlarmRow[] {
  return prepared<AlarmRow>(
    db,
    `${ALARM} WHERE a.subject_type = 'service' AND a.subject_id = ? AND a.raised_at <= ? AND (a.cleared_at IS NULL OR a.cleared_at >= ?) ORDER BY a.raised_at DESC LIMIT 200`,
  ).all(serviceId, toMs, fromMs);
}

export function alarmsOfComponent(db: Db, componentId: number, fromMs: number, toMs: number): AlarmRow[] {
  return prepared<AlarmRow>(
    db,
    `${ALARM} WHERE a.component_id = ? AND a.raised_at <= ? AND (a.cleared_at IS NULL OR a.cleared_at >= ?) ORDER BY a.raised_at DESC LIMIT 200`,
  ).all(componentId, toMs, fromMs);
}

/** Alarms about a series that stood at an instant on some components, the first raised first. */
export function measuredAlarmsAt(
  db: Db,
  componentIds: readonly number[],
  atMs: number,
): { component_id: number; series_id: number; worst: Severity }[] {
  return prepared<{ component_id: number; series_id: number; worst: Severity }>(
    db,
    `SELECT component_id, series_id, worst FROM alarm
     WHERE component_id IN (SELECT value FROM json_each(?)) AND series_id IS NOT NULL AND quiet IS NULL
       AND raised_at <= ? AND (cleared_at IS NULL OR cleared_at > ?) ORDER BY raised_at`,
  ).all(JSON.stringify(componentIds), atMs, atMs);
}

export interface AlarmChangeRow {
  alarm_id: number;
  at: number;
  severity: Severity;
  text: string;
}

export function alarmChanges(db: Db, alarmIds: readonly number[]): AlarmChangeRow[] {
  return prepared<AlarmChangeRow>(
    db,
    `SELECT alarm_id, at, severity, text FROM alarm_change WHERE alarm_id IN (SELECT value FROM json_each(?))
     ORDER BY at`,
  ).all(JSON.stringify(alarmIds));
}

/** Alarms raised in a span, counted in equal steps by their worst severity. */
export function alarmDensity(
  db: Db,
  fromMs: number,
  toMs: number,
  stepMs: number,
): { step: number; worst: Severity; count: number }[] {
  return prepared<{ step: number; worst: Severity; count: number }>(
    db,
    `SELECT CAST((raised_at - ?) / ? AS INTEGER) AS step, worst, count(*) AS count FROM alarm WHERE raised_at >= ?
     AND raised_at <= ? GROUP BY 1, 2`,
  ).all(fromMs, stepMs, fromMs, toMs);
}

export interface StoredProcess {
  pid: number;
  name: string;
  memoryBytes: number;
  cpuHundredths: number;
  /** Of one processor, between two looks. */
  cpuPercent?: number;
  /** TCP connections that were open at the poll before. */
  connections?: number;
}

export function writeSnapshot(
  db: Db,
  alarmId: number,
  atMs: number,
  memoryBytes: number,
  processes: readonly StoredProcess[],
  failure: string | null,
): void {
  prepared(
    db,
    "INSERT OR REPLACE INTO process_snapshot (alarm_id, at, memory_bytes, processes, failure) VALUES (?, ?, ?, ?, ?)",
  ).run(alarmId, atMs, memoryBytes, JSON.stringify(processes), failure);
}

export function readSnapshot(
  db: Db,
  alarmId: number,
): { atMs: number; memoryBytes: number; processes: StoredProcess[]; failure: string | null } | undefined {
  const row = prepared<{ at: number; memory_bytes: number; processes: string; failure: string | null }>(
    db,
    "SELECT at, memory_bytes, processes, failure FROM process_snapshot WHERE alarm_id = ?",
  ).get(alarmId);
  return (
    row && {
      atMs: row.at,
      memoryBytes: row.memory_bytes,
      processes: JSON.parse(row.processes) as StoredProcess[],
      failure: row.failure,
    }
  );
}
