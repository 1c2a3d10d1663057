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
  /** As a person set it, 1 the most urgent; null while nobody did. */
  priority: Priority | null;
  priority_reason: string;
  waiting_for: string;
  confirmed: ConfirmedCause | null;
  confirmed_by: string | null;
  confirmed_at: number | null;
  merged_into: number | null;
}

export type Priority = 1 | 2 | 3 | 4;

/** What an incident turned out to be, as a person said. */
export interface ConfirmedCause {
  componentId: number | null;
  line: [string, string] | null;
  name: string;
  remark: string;
}

const INCIDENT = `SELECT i.id, i.subject, i.title, i.severity, i.worst, i.opened_at, i.resolved_at, i.suspect_alarm_id, i.suspect_reasons, i.causes, i.taken_by, i.taken_at,
  i.priority, i.priority_reason, i.waiting_for, i.confirmed, i.confirmed_by, i.confirmed_at, i.merged_into,
  (SELECT json_group_array(json_object('id', s.id, 'name', s.name) ORDER BY s.name) FROM incident_service o JOIN service s ON s.id = o.service_id WHERE o.incident_id = i.id) AS services
  FROM incident i`;

type Stored = Omit<IncidentRow, "service" | "services" | "causes" | "confirmed"> & {
  services: string;
  causes: string;
  confirmed: string | null;
};

/** What an incident affects, for titles: the service, or how many. */
export const affectedLabel = (services: readonly { name: string }[]): string | null =>
  services.length > 1 ? `${services.length} services` : (services[0]?.name ?? null);

function read(row: Stored): IncidentRow {
  const services = JSON.parse(row.services) as IncidentRow["services"];
  return {
    ...row,
    services,
    causes: JSON.parse(row.causes) as IncidentCause[],
    confirmed: row.confirmed === null ? null : (JSON.parse(row.confirmed) as ConfirmedCause),
    service: affectedLabel(services),
  };
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

/** Hands an incident to somebody, or gives it back to nobody. */
export function handIncident(db: Db, id: number, to: string | null, atMs: number): void {
  prepared(db, "UPDATE incident SET taken_by = ?, taken_at = ? WHERE id = ?").run(to, to === null ? null : atMs, id);
}

export function setPriority(db: Db, id: number, priority: Priority | null, reason: string): void {
  prepared(db, "UPDATE incident SET priority = ?, priority_reason = ? WHERE id = ?").run(priority, reason, id);
}

export function setWaiting(db: Db, id: number, waitingFor: string): void {
  prepared(db, "UPDATE incident SET waiting_for = ? WHERE id = ?").run(waitingFor, id);
}

export function confirmCause(db: Db, id: number, cause: ConfirmedCause, by: string, atMs: number): void {
  prepared(db, "UPDATE incident SET confirmed = ?, confirmed_by = ?, confirmed_at = ? WHERE id = ?").run(
    JSON.stringify(cause),
    by,
    atMs,
    id,
  );
}

/** Moves everything of one incident into another and leaves it resolved, with a mark of where it went. */
export function mergeIncident(db: Db, id: number, into: number, atMs: number): void {
  prepared(db, "UPDATE OR IGNORE incident_alarm SET incident_id = ? WHERE incident_id = ?").run(into, id);
  prepared(db, "DELETE FROM incident_alarm WHERE incident_id = ?").run(id);
  prepared(
    db,
    "INSERT OR IGNORE INTO incident_service (incident_id, service_id) SELECT ?, service_id FROM incident_service WHERE incident_id = ?",
  ).run(into, id);
  prepared(db, "UPDATE evidence SET incident_id = ? WHERE incident_id = ?").run(into, id);
  prepared(
    db,
    "UPDATE incident SET merged_into = ?, resolved_at = coalesce(resolved_at, ?), severity = 'cleared' WHERE id = ?",
  ).run(into, atMs, id);
  prepared(
    db,
    "UPDATE incident SET opened_at = min(opened_at, (SELECT opened_at FROM incident WHERE id = ?)) WHERE id = ?",
  ).run(id, into);
  // What people did with the one holds for the other, where nobody had done it there: who has it, how urgent it is, what
  // it waits for, what it was.
  prepared(
    db,
    `UPDATE incident SET taken_by = coalesce(incident.taken_by, m.taken_by),
       taken_at = iif(incident.taken_by IS NULL, m.taken_at, incident.taken_at),
       priority = coalesce(incident.priority, m.priority),
       priority_reason = iif(incident.priority IS NULL, m.priority_reason, incident.priority_reason),
       waiting_for = coalesce(nullif(incident.waiting_for, ''), m.waiting_for),
       confirmed = coalesce(incident.confirmed, m.confirmed),
       confirmed_by = iif(incident.confirmed IS NULL, m.confirmed_by, incident.confirmed_by),
       confirmed_at = iif(incident.confirmed IS NULL, m.confirmed_at, incident.confirmed_at)
     FROM (SELECT * FROM incident WHERE id = ?) m WHERE incident.id = ?`,
  ).run(id, into);
}

/** Takes alarms out of an incident and puts them into another. */
export function moveAlarms(db: Db, from: number, to: number, alarmIds: readonly number[], why: string): void {
  prepared(
    db,
    `UPDATE incident_alarm SET incident_id = ?, why = ?
     WHERE incident_id = ? AND alarm_id IN (SELECT value FROM json_each(?))`,
  ).run(to, why, from, JSON.stringify(alarmIds));
}

/** Keeps that two subjects do not belong together, for ever. */
export function tellApart(db: Db, one: string, other: string, by: string, atMs: number): void {
  if (one === other) return;
  const [a, b] = one < other ? [one, other] : [other, one];
  prepared(db, "INSERT OR REPLACE INTO told_apart (a, b, by_whom, at) VALUES (?, ?, ?, ?)").run(a, b, by, atMs);
}

/** That people put things together again: whatever told them apart is forgotten. */
export function tellTogether(db: Db, ones: readonly string[], others: readonly string[]): void {
  prepared(
    db,
    `DELETE FROM told_apart WHERE (a IN (SELECT value FROM json_each(:ones)) AND b IN (SELECT value FROM json_each(:others)))
       OR (a IN (SELECT value FROM json_each(:others)) AND b IN (SELECT value FROM json_each(:ones)))`,
  ).run({ ones: JSON.stringify(ones), others: JSON.stringify(others) });
}

/** Subjects that people told apart from one. */
export function apartFrom(db: Db, subject: string): Set<string> {
  return new Set(
    prepared<{ other: string }>(
      db,
      "SELECT CASE a WHEN :subject THEN b ELSE a END AS other FROM told_apart WHERE a = :subject OR b = :subject",
    )
      .all({ subject })
      .map((row) => row.other),
  );
}

/** Incidents whose cause a person confirmed, newest first. */
export function confirmedIncidents(db: Db, beforeMs: number, limit = 500): IncidentRow[] {
  return prepared<Stored>(
    db,
    `${INCIDENT} WHERE i.confirmed IS NOT NULL AND i.opened_at < ? ORDER BY i.opened_at DESC LIMIT ?`,
  )
    .all(beforeMs, limit)
    .map(read);
}

export function incidentById(db: Db, id: number): IncidentRow | undefined {
  const row = prepared<Stored>(db, `${INCIDENT} WHERE i.id = ?`).get(id);
  return row && read(row);
}

/** Open incidents and those resolved after an instant: what a new alarm may join. */
export function recentIncidents(db: Db, resolvedAfterMs: number): IncidentRow[] {
  return prepared<Stored>(
    db,
    `${INCIDENT} WHERE i.merged_into IS NULL AND (i.resolved_at IS NULL OR i.resolved_at >= ?)`,
  )
    .all(resolvedAfterMs)
    .map(read);
}

/** Incidents open at an instant. */
export function incidentsAt(db: Db, atMs: number): IncidentRow[] {
  return prepared<Stored>(
    db,
    `${INCIDENT} WHERE i.merged_into IS NULL AND i.opened_at <= ? AND (i.resolved_at IS NULL OR i.resolved_at > ?) ORDER BY i.opened_at DESC`,
  )
    .all(atMs, atMs)
    .map(read);
}

/** Incidents that were open at any time in a span, newest first. */
export function incidentsIn(db: Db, fromMs: number, toMs: number, limit = 500): IncidentRow[] {
  return prepared<Stored>(
    db,
    `${INCIDENT} WHERE i.merged_into IS NULL AND i.opened_at <= ? AND (i.resolved_at IS NULL OR i.resolved_at >= ?) ORDER BY i.opened_at DESC LIMIT ?`,
  )
    .all(toMs, fromMs, limit)
    .map(read);
}

/** When incidents hurt which services, of those that were open at any time in a span; without an end where one is open yet. */
export const troubleOfServices = (
  db: Db,
  fromMs: number,
  toMs: number,
): { serviceId: number; openedMs: number; endedMs: number | null }[] =>
  prepared<{ serviceId: number; openedMs: number; endedMs: number | null }>(
    db,
    `SELECT s.service_id AS serviceId, i.opened_at AS openedMs, i.resolved_at AS endedMs
     FROM incident i JOIN incident_service s ON s.incident_id = i.id
     WHERE i.merged_into IS NULL AND i.opened_at <= ? AND (i.resolved_at IS NULL OR i.resolved_at >= ?)
     ORDER BY i.opened_at`,
  ).all(toMs, fromMs);

export function incidentsOfAlarm(db: Db, alarmId: number): number[] {
  return prepared<{ incident_id: number }>(db, "SELECT incident_id FROM incident_alarm WHERE alarm_id = ?")
    .all(alarmId)
    .map((row) => row.incident_id);
}

/** The open incident that has an alarm on one of these components, the oldest of several; what chores said does not count. */
export const openIncidentOn = (db: Db, componentIds: Iterable<number>): number | undefined =>
  prepared<{ id: number }>(
    db,
    `SELECT i.id FROM incident i JOIN incident_alarm j ON j.incident_id = i.id JOIN alarm a ON a.id = j.alarm_id
     WHERE i.resolved_at IS NULL AND i.merged_into IS NULL AND a.component_id IN (SELECT value FROM json_each(?))
       AND a.metric <> 'chore.done' ORDER BY i.id LIMIT 1`,
  ).get(JSON.stringify([...componentIds]))?.id;

/** Components of which an alarm of an open incident stands: none that planned work keeps quiet, and none that only warns. */
export const componentsInTrouble = (db: Db): number[] =>
  prepared<{ id: number }>(
    db,
    `SELECT DISTINCT a.component_id AS id FROM incident i JOIN incident_alarm ia ON ia.incident_id = i.id
       JOIN alarm a ON a.id = ia.alarm_id
     WHERE i.resolved_at IS NULL AND a.cleared_at IS NULL AND a.quiet IS NULL AND a.component_id IS NOT NULL
       AND a.severity IN ('minor', 'major', 'critical')`,
  )
    .all()
    .map(({ id }) => id);

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

/** Sites of the alarms of some incidents. */
export function sitesOfIncidents(db: Db, ids: readonly number[]): Map<number, string[]> {
  const rows = prepared<{ id: number; site: string }>(
    db,
    `SELECT DISTINCT j.incident_id AS id, c.site FROM incident_alarm j JOIN alarm a ON a.id = j.alarm_id
     JOIN component c ON c.id = a.component_id WHERE c.site <> '' AND j.incident_id IN (SELECT value FROM json_each(?))`,
  ).all(JSON.stringify(ids));
  const sites = new Map<number, string[]>();
  for (const { id, site } of rows) sites.set(id, [...(sites.get(id) ?? []), site]);
  return sites;
}
