import type { Severity } from "#core/alarms/severity";
import { ALARM_COLUMNS, ALARM_JOINS, type AlarmRow } from "./alarms";
import { prepared, type Db } from "./database";

/** What is taken for a cause of an incident: a component, a service, or the line between two sites. */
export interface IncidentCause {
  componentId: number | null;
  serviceId: number | null;
  line: [string, string] | null;
  name: string;
  probability: number;
  /** One of those that explain the incident best together; the others could stand in the place of one. */
  isRoot: boolean;
  /** Alarms that it explains, and those that no root does. */
  explains: number[];
  unexplained: number[];
  reasons: string[];
}

export interface IncidentRow {
  id: number;
  subject: string;
  /** The service it affects, or how many; null when none. */
  service: string | null;
  services: { id: number; name: string }[];
  title: string;
  severity: Severity;
  worst: Severity;
  opened_at: number;
  resolved_at: number | null;
  suspect_alarm_id: number | null;
  suspect_reasons: string;
  causes: IncidentCause[];
  taken_by: string | null;
  taken_at: number | null;
}

const INCIDENT = `SELECT i.id, i.subject, i.title, i.severity, i.worst, i.opened_at, i.resolved_at, i.suspect_alarm_id, i.suspect_reasons, i.causes, i.taken_by, i.taken_at,
  (SELECT json_group_array(json_object('id', s.id, 'name', s.name) ORDER BY s.name) FROM incident_service o JOIN service s ON s.id = o.service_id WHERE o.incident_id = i.id) AS services
  FROM incident i`;

type Stored = Omit<IncidentRow, "service" | "services" | "causes"> & { services: string; causes: string };

/** What an incident affects, for titles: the service, or how many. */
export const affectedLabel = (services: readonly { name: string }[]): string | null =>
  services.length > 1 ? `${services.length} services` : (services[0]?.name ?? null);

function read(row: Stored): IncidentRow {
  const services = JSON.parse(row.services) as IncidentRow["services"];
  return { ...row, services, causes: JSON.parse(row.causes) as IncidentCause[], service: affectedLabel(services) };
}

export function openIncident(
  db: Db,
  incident: { subject: string; title: string; severity: Severity },
  atMs: number,
): number {
  return Number(
    prepared(db, "INSERT INTO incident (subject, title, severity, worst, opened_at) VALUES (?, ?, ?, ?, ?)").run(
      incident.subject,
      incident.title,
      incident.severity,
      incident.severity,
      atMs,
    ).lastInsertRowid,
  );
}

/** Notes further services as affected by an incident. */
export function affectServices(db: Db, incidentId: number, serviceIds: readonly number[]): void {
  for (const id of serviceIds)
    prepared(db, "INSERT OR IGNORE INTO incident_service (incident_id, service_id) VALUES (?, ?)").run(incidentId, id);
}

export function joinIncident(db: Db, incidentId: number, alarmId: number, why: string, atMs: number): boolean {
  return (
    prepared(
      db,
      "INSERT OR IGNORE INTO incident_alarm (incident_id, alarm_id, joined_at, why) VALUES (?, ?, ?, ?)",
    ).run(incidentId, alarmId, atMs, why).changes > 0
  );
}

export interface IncidentState {
  title: string;
  severity: Severity;
  worst: Severity;
  suspectAlarmId: number | null;
  suspectReasons: string[];
  causes: IncidentCause[];
}

export function updateIncident(db: Db, id: number, state: IncidentState): void {
  prepared(
    db,
    "UPDATE incident SET title = ?, severity = ?, worst = ?, suspect_alarm_id = ?, suspect_reasons = ?, causes = ? WHERE id = ?",
  ).run(
    state.title,
    state.severity,
    state.worst,
    state.suspectAlarmId,
    JSON.stringify(state.suspectReasons),
    JSON.stringify(state.causes),
    id,
  );
}

export function resolveIncident(db: Db, id: number, atMs: number): void {
  prepared(db, "UPDATE incident SET resolved_at = ?, severity = 'cleared' WHERE id = ?").run(atMs, id);
}

export function reopenIncident(db: Db, id: number): void {
  prepared(db, "UPDATE incident SET resolved_at = NULL WHERE id = ?").run(id);
}

export function takeIncident(db: Db, id: number, by: string, atMs: number): void {
  prepared(db, "UPDATE incident SET taken_by = ?, taken_at = ? WHERE id = ?").run(by, atMs, id);
}

export function incidentById(db: Db, id: number): IncidentRow | undefined {
  const row = prepared<Stored>(db, `${INCIDENT} WHERE i.id = ?`).get(id);
  return row && read(row);
}

/** Open incidents and those resolved after an instant: what a new alarm may join. */
export function recentIncidents(db: Db, resolvedAfterMs: number): IncidentRow[] {
  return prepared<Stored>(db, `${INCIDENT} WHERE i.resolved_at IS NULL OR i.resolved_at >= ?`)
    .all(resolvedAfterMs)
    .map(read);
}

/** Incidents open at an instant. */
export function incidentsAt(db: Db, atMs: number): IncidentRow[] {
  return prepared<Stored>(
    db,
    `${INCIDENT} WHERE i.opened_at <= ? AND (i.resolved_at IS NULL OR i.resolved_at > ?) ORDER BY i.opened_at DESC`,
  )
    .all(atMs, atMs)
    .map(read);
}

/** Incidents that were open at any time in a span, newest first. */
export function incidentsIn(db: Db, fromMs: number, toMs: number, limit = 500): IncidentRow[] {
  return prepared<Stored>(
    db,
    `${INCIDENT} WHERE i.opened_at <= ? AND (i.resolved_at IS NULL OR i.resolved_at >= ?) ORDER BY i.opened_at DESC LIMIT ?`,
  )
    .all(toMs, fromMs, limit)
    .map(read);
}

export function incidentsOfAlarm(db: Db, alarmId: number): number[] {
  return prepared<{ incident_id: number }>(db, "SELECT incident_id FROM incident_alarm WHERE alarm_id = ?")
    .all(alarmId)
    .map((row) => row.incident_id);
}

export function alarmsOfIncident(db: Db, incidentId: number): (AlarmRow & { why: string; joined_at: number })[] {
  return prepared<AlarmRow & { why: string; joined_at: number }>(
    db,
    `SELECT ${ALARM_COLUMNS}, j.why, j.joined_at FROM incident_alarm j JOIN alarm a ON a.id = j.alarm_id ${ALARM_JOINS}
     WHERE j.incident_id = ? ORDER BY a.raised_at, a.id`,
  ).all(incidentId);
}

/** How many alarms of each incident there are, and how many of them stand. */
export function alarmCounts(db: Db, incidentIds: readonly number[]): Map<number, { all: number; standing: number }> {
  const rows = prepared<{ id: number; total: number; standing: number }>(
    db,
    `SELECT j.incident_id AS id, count(*) AS total, count(*) FILTER (WHERE a.cleared_at IS NULL) AS standing
     FROM incident_alarm j JOIN alarm a ON a.id = j.alarm_id WHERE j.incident_id IN (SELECT value FROM json_each(?)) GROUP BY 1`,
  ).all(JSON.stringify(incidentIds));
  return new Map(rows.map((row) => [row.id, { all: row.total, standing: row.standing }]));
}

export interface IncidentEventRow {
  at: number;
  kind: string;
  text: string;
  by_whom: string;
}

export function noteIncident(db: Db, incidentId: number, kind: string, text: string, by: string, atMs: number): void {
  prepared(db, "INSERT INTO incident_event (incident_id, at, kind, text, by_whom) VALUES (?, ?, ?, ?, ?)").run(
    incidentId,
    atMs,
    kind,
    text,
    by,
  );
}

export function incidentEvents(db: Db, incidentId: number): IncidentEventRow[] {
  return prepared<IncidentEventRow>(
    db,
    "SELECT at, kind, text, by_whom FROM incident_event WHERE incident_id = ? ORDER BY at, rowid",
  ).all(incidentId);
}
