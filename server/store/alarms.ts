import type { Severity } from "#core/alarms/severity";
import type { Limit, ThresholdRule } from "#core/detection/threshold";
import { prepared, type Db } from "./database";

export interface RuleRow extends ThresholdRule {
  name: string;
  enabled: boolean;
}

interface RawRule {
  id: number;
  name: string;
  metric: string;
  kind: string;
  direction: "above" | "below";
  limits: string;
  samples: number;
  hysteresis: number;
  memory_ms: number;
  enabled: number;
}

const toRule = (row: RawRule): RuleRow => ({
  id: row.id,
  name: row.name,
  metric: row.metric,
  kind: row.kind,
  direction: row.direction,
  limits: JSON.parse(row.limits) as Limit[],
  samples: row.samples,
  hysteresis: row.hysteresis,
  memoryMs: row.memory_ms,
  enabled: row.enabled === 1,
});

export function listRules(db: Db): RuleRow[] {
  return prepared<RawRule>(db, "SELECT * FROM rule ORDER BY name").all().map(toRule);
}

/** Puts a kit's rule in if no rule of that name exists; a person's settings are never overwritten. */
export function offerRule(db: Db, rule: Omit<RuleRow, "id">): void {
  prepared(
    db,
    "INSERT OR IGNORE INTO rule (name, metric, kind, direction, limits, samples, hysteresis, memory_ms, enabled) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
  ).run(
    rule.name,
    rule.metric,
    rule.kind,
    rule.direction,
    JSON.stringify(rule.limits),
    rule.samples,
    rule.hysteresis,
    rule.memoryMs,
    rule.enabled ? 1 : 0,
  );
}

export function updateRule(
  db: Db,
  id: number,
  limits: Limit[],
  samples: number,
  hysteresis: number,
  enabled: boolean,
): void {
  prepared(db, "UPDATE rule SET limits = ?, samples = ?, hysteresis = ?, enabled = ? WHERE id = ?").run(
    JSON.stringify(limits),
    samples,
    hysteresis,
    enabled ? 1 : 0,
    id,
  );
}

export interface AlarmRow {
  id: number;
  component_id: number;
  component: string;
  kind: string;
  rule_id: number | null;
  series_id: number | null;
  alarm_type: string;
  qualifier: string;
  severity: Severity;
  worst: Severity;
  text: string;
  raised_at: number;
  changed_at: number;
  cleared_at: number | null;
  acknowledged_by: string | null;
  acknowledged_at: number | null;
}

const ALARM = `SELECT a.id, a.component_id, c.name AS component, c.kind, a.rule_id, a.series_id, a.alarm_type, a.qualifier, a.severity, a.worst, a.text,
  a.raised_at, a.changed_at, a.cleared_at, a.acknowledged_by, a.acknowledged_at FROM alarm a JOIN component c ON c.id = a.component_id`;

export interface NewAlarm {
  componentId: number;
  ruleId: number;
  seriesId: number;
  type: string;
  qualifier: string;
  severity: Severity;
  text: string;
}

export function raiseAlarm(db: Db, alarm: NewAlarm, atMs: number): number {
  const { lastInsertRowid } = prepared(
    db,
    "INSERT INTO alarm (component_id, rule_id, series_id, alarm_type, qualifier, severity, worst, text, raised_at, changed_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
  ).run(
    alarm.componentId,
    alarm.ruleId,
    alarm.seriesId,
    alarm.type,
    alarm.qualifier,
    alarm.severity,
    alarm.severity,
    alarm.text,
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

export function alarmById(db: Db, id: number): AlarmRow | undefined {
  return prepared<AlarmRow>(db, `${ALARM} WHERE a.id = ?`).get(id);
}

export function alarmsOfComponent(db: Db, componentId: number, fromMs: number, toMs: number): AlarmRow[] {
  return prepared<AlarmRow>(
    db,
    `${ALARM} WHERE a.component_id = ? AND a.raised_at <= ? AND (a.cleared_at IS NULL OR a.cleared_at >= ?) ORDER BY a.raised_at DESC LIMIT 200`,
  ).all(componentId, toMs, fromMs);
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
    "SELECT alarm_id, at, severity, text FROM alarm_change WHERE alarm_id IN (SELECT value FROM json_each(?)) ORDER BY at",
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
    "SELECT CAST((raised_at - ?) / ? AS INTEGER) AS step, worst, count(*) AS count FROM alarm WHERE raised_at >= ? AND raised_at <= ? GROUP BY 1, 2",
  ).all(fromMs, stepMs, fromMs, toMs);
}

export interface StoredProcess {
  pid: number;
  name: string;
  memoryBytes: number;
  cpuHundredths: number;
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
