import { worstSeverity, type Severity } from "#core/alarms/severity";
import { placeAlarm, rankSuspects, SPELL_MS } from "#core/correlation/incidents";
import { reliedOn } from "#core/topology/graph";
import type { Db } from "../store/database";
import { currentRelations } from "../store/estate";
import {
  alarmsOfIncident,
  incidentById,
  incidentsOfAlarm,
  joinIncident,
  noteIncident,
  openIncident,
  recentIncidents,
  reopenIncident,
  resolveIncident,
  updateIncident,
} from "../store/incidents";
import type { AlarmEvent } from "./judge";

export interface IncidentEvent {
  what: "opened" | "reopened" | "changed" | "resolved";
  incidentId: number;
}

/** Names of what can be affected. */
export interface Affected {
  servicesOf: (componentId: number) => readonly { id: number; name: string }[];
  componentName: (componentId: number) => string;
}

const SYSTEM = "Holotaxis";

/** Gathers alarms into incidents: one for each affected service and spell of time. Call inside a transaction. */
export function correlate(db: Db, events: readonly AlarmEvent[], affected: Affected): IncidentEvent[] {
  const result: IncidentEvent[] = [];
  const touched = new Set<number>();
  for (const event of events) {
    if (event.what === "cleared" || event.what === "better") {
      for (const id of incidentsOfAlarm(db, event.alarmId)) {
        noteIncident(db, id, event.what === "cleared" ? "cleared" : "eased", `${affected.componentName(event.componentId)}: ${event.text}`, SYSTEM, event.atMs);
        touched.add(id);
      }
      continue;
    }
    const services = affected.servicesOf(event.componentId);
    const subjects = services.length
      ? services.map((service) => ({ subject: `service:${service.id}`, label: service.name, serviceId: service.id as number | null }))
      : [{ subject: `component:${event.componentId}`, label: affected.componentName(event.componentId), serviceId: null }];
    const recent = recentIncidents(db, event.atMs - SPELL_MS).map((row) => ({ id: row.id, subject: row.subject, resolvedMs: row.resolved_at }));
    for (const decision of placeAlarm({ atMs: event.atMs, severity: event.severity }, subjects, recent)) {
      const subject = subjects.find((one) => one.subject === decision.subject);
      if (decision.action === "leave" || !subject) continue;
      let id = decision.incidentId;
      if (decision.action === "open" || id === undefined) {
        id = openIncident(db, { subject: decision.subject, serviceId: subject.serviceId, title: subject.label, severity: event.severity }, event.atMs);
        noteIncident(db, id, "opened", `Opened: ${decision.why}`, SYSTEM, event.atMs);
        result.push({ what: "opened", incidentId: id });
      } else if (decision.action === "reopen") {
        reopenIncident(db, id);
        noteIncident(db, id, "reopened", `Opened again: ${decision.why}`, SYSTEM, event.atMs);
        result.push({ what: "reopened", incidentId: id });
      }
      joinIncident(db, id, event.alarmId, decision.why, event.atMs);
      noteIncident(db, id, event.what, `${affected.componentName(event.componentId)}: ${event.text}`, SYSTEM, event.atMs);
      touched.add(id);
    }
  }
  for (const id of touched) {
    const atMs = events.at(-1)?.atMs ?? 0;
    result.push(refresh(db, id, affected, atMs));
  }
  return result;
}

/** Works severity, suspected cause and title of an incident out anew, and resolves it when nothing in it is wrong any more. */
function refresh(db: Db, id: number, affected: Affected, atMs: number): IncidentEvent {
  const incident = incidentById(db, id);
  const alarms = alarmsOfIncident(db, id);
  const active = alarms.filter((alarm) => alarm.cleared_at === null);
  if (!incident) return { what: "changed", incidentId: id };
  const judged = active.length ? active : alarms;
  const relations = judged.length < 2 ? [] : currentRelations(db).map((row) => ({ type: row.type, from: row.from_id, to: row.to_id }));
  const alarmed = new Set(judged.map((alarm) => alarm.component_id));
  const reach = new Map([...alarmed].map((component) => [component, reliedOn(component, relations)]));
  const suspects = rankSuspects(
    judged.map((alarm) => ({
      alarmId: alarm.id,
      componentId: alarm.component_id,
      componentName: alarm.component,
      severity: alarm.severity === "cleared" ? alarm.worst : alarm.severity,
      raisedMs: alarm.raised_at,
      text: alarm.text,
      dependants: [...alarmed].filter((other) => other !== alarm.component_id && reach.get(other)?.has(alarm.component_id)).length,
    })),
  );
  const first = suspects[0];
  const suspect = alarms.find((alarm) => alarm.id === first?.alarmId);
  const severity: Severity = worstSeverity(active.map((alarm) => alarm.severity));
  const worst = worstSeverity([incident.worst, severity, ...alarms.map((alarm) => alarm.worst)]);
  const subject = incident.service ?? affected.componentName(Number(incident.subject.split(":")[1]));
  updateIncident(db, id, {
    title: suspect ? `${subject}: ${shortProblem(suspect.alarm_type, suspect.qualifier)} on ${suspect.component}` : subject,
    severity,
    worst,
    suspectAlarmId: first?.alarmId ?? null,
    suspectReasons: first?.reasons ?? [],
  });
  if (active.length === 0 && incident.resolved_at === null) {
    resolveIncident(db, id, atMs);
    noteIncident(db, id, "resolved", "Resolved: every alarm in it has cleared", SYSTEM, atMs);
    return { what: "resolved", incidentId: id };
  }
  return { what: "changed", incidentId: id };
}

const PROBLEMS: Readonly<Record<string, string>> = {
  "memory.used.high": "memory runs out",
  "cpu.used.high": "processor is saturated",
  "disk.used.high": "disk fills",
  "reachable.low": "no answer",
};

function shortProblem(type: string, qualifier: string): string {
  const problem = PROBLEMS[type] ?? type.replaceAll(".", " ");
  return qualifier ? `${problem} (${qualifier})` : problem;
}
