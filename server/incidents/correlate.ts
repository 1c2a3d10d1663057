import { worstSeverity, type Severity } from "#core/alarms/severity";
import { placeAlarm, rankSuspects, SPELL_MS } from "#core/correlation/incidents";
import { reliedOn, type Edge } from "#core/topology/graph";
import type { Db } from "../store/database";
import { componentById, currentRelations } from "../store/estate";
import {
  affectedLabel,
  affectServices,
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
import type { AlarmEvent } from "../alarms/evaluator";

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

/** What is alarmed in an incident, as far as finding the place of further alarms needs it. */
interface Alarmed {
  components: Map<number, string>;
  /** Metric and site of its first alarm. */
  metric: string;
  site: string;
}

/** The alarmed components of incidents, read once for all alarms of a tick and kept up as alarms join. */
function alarmedReader(db: Db): (incidentId: number) => Alarmed {
  const known = new Map<number, Alarmed>();
  return (incidentId) => {
    let one = known.get(incidentId);
    if (!one) {
      const alarms = alarmsOfIncident(db, incidentId);
      const first = alarms[0];
      one = {
        components: new Map(alarms.map((alarm) => [alarm.component_id, alarm.component])),
        metric: first?.alarm_type.replace(/\.(high|low)$/, "") ?? "",
        site: first ? (componentById(db, first.component_id)?.site ?? "") : "",
      };
      known.set(incidentId, one);
    }
    return one;
  };
}

/** Why an incident has to do with a component: it is among those alarmed, or one relies on the other. */
function kinship(
  { components }: Alarmed,
  componentId: number,
  reach: (id: number) => ReadonlySet<number>,
  { componentName }: Affected,
): string | undefined {
  if (components.has(componentId)) return `${componentName(componentId)} is in it already`;
  const relied = reach(componentId);
  for (const [other, name] of components) {
    if (relied.has(other)) return `${componentName(componentId)} relies on ${name}`;
    if (reach(other).has(componentId)) return `${name} relies on ${componentName(componentId)}`;
  }
  return undefined;
}

/** What each component relies on, worked out once for all alarms of a tick, and only when asked. */
function reacher(db: Db): (id: number) => ReadonlySet<number> {
  const known = new Map<number, ReadonlySet<number>>();
  let edges: Edge[] | undefined;
  return (id) => {
    edges ??= currentRelations(db).map((row) => ({ type: row.type, from: row.from_id, to: row.to_id }));
    const reached = known.get(id) ?? reliedOn(id, edges);
    known.set(id, reached);
    return reached;
  };
}

/** Gathers alarms into incidents, each alarm into one: see `placeAlarm`. Call inside a transaction. */
export function correlate(db: Db, events: readonly AlarmEvent[], affected: Affected): IncidentEvent[] {
  const result: IncidentEvent[] = [];
  const touched = new Set<number>();
  const reach = reacher(db);
  const alarmedIn = alarmedReader(db);
  for (const event of events) {
    if (event.what === "cleared" || event.what === "better") {
      for (const id of incidentsOfAlarm(db, event.alarmId)) {
        noteIncident(
          db,
          id,
          event.what === "cleared" ? "cleared" : "eased",
          `${affected.componentName(event.componentId)}: ${event.text}`,
          SYSTEM,
          event.atMs,
        );
        touched.add(id);
      }
      continue;
    }
    const services = affected.servicesOf(event.componentId);
    const name = affected.componentName(event.componentId);
    const label = affectedLabel(services) ?? name;
    const site = componentById(db, event.componentId)?.site ?? "";
    const recent = recentIncidents(db, event.atMs - SPELL_MS).map((row) => {
      const alarmed = alarmedIn(row.id);
      return {
        id: row.id,
        services: row.services.map((one) => one.id),
        related: kinship(alarmed, event.componentId, reach, affected),
        alike:
          alarmed.metric === event.metric && alarmed.site === site ? `the same at ${site} at the same time` : undefined,
        openedMs: row.opened_at,
        resolvedMs: row.resolved_at,
      };
    });
    const decision = placeAlarm(
      { atMs: event.atMs, severity: event.severity, services: services.map((one) => one.id) },
      label,
      recent,
    );
    if (decision.action === "leave") continue;
    let id = decision.incidentId;
    if (decision.action === "open" || id === undefined) {
      id = openIncident(
        db,
        {
          subject: services.length === 1 ? `service:${services[0]?.id}` : `component:${event.componentId}`,
          title: label,
          severity: event.severity,
        },
        event.atMs,
      );
      noteIncident(db, id, "opened", `Opened: ${decision.why}`, SYSTEM, event.atMs);
      result.push({ what: "opened", incidentId: id });
    } else if (decision.action === "reopen") {
      reopenIncident(db, id);
      noteIncident(db, id, "reopened", `Opened again: ${decision.why}`, SYSTEM, event.atMs);
      result.push({ what: "reopened", incidentId: id });
    }
    affectServices(
      db,
      id,
      services.map((one) => one.id),
    );
    joinIncident(db, id, event.alarmId, decision.why, event.atMs);
    alarmedIn(id).components.set(event.componentId, name);
    noteIncident(db, id, event.what, `${name}: ${event.text}`, SYSTEM, event.atMs);
    touched.add(id);
  }
  for (const id of touched) {
    const atMs = events.at(-1)?.atMs ?? 0;
    result.push(refresh(db, id, affected, reach, atMs));
  }
  return result;
}

/** Works severity, suspected cause and title of an incident out anew, and resolves it when nothing in it is wrong any more. */
function refresh(
  db: Db,
  id: number,
  affected: Affected,
  reach: (id: number) => ReadonlySet<number>,
  atMs: number,
): IncidentEvent {
  const incident = incidentById(db, id);
  const alarms = alarmsOfIncident(db, id);
  const active = alarms.filter((alarm) => alarm.cleared_at === null);
  if (!incident) return { what: "changed", incidentId: id };
  const judged = active.length ? active : alarms;
  const alarmed = new Set(judged.map((alarm) => alarm.component_id));
  const suspects = rankSuspects(
    judged.map((alarm) => ({
      alarmId: alarm.id,
      componentId: alarm.component_id,
      componentName: alarm.component,
      severity: alarm.severity === "cleared" ? alarm.worst : alarm.severity,
      raisedMs: alarm.raised_at,
      text: alarm.text,
      dependants: [...alarmed].filter((other) => other !== alarm.component_id && reach(other).has(alarm.component_id))
        .length,
    })),
  );
  const first = suspects[0];
  const suspect = alarms.find((alarm) => alarm.id === first?.alarmId);
  const severity: Severity = worstSeverity(active.map((alarm) => alarm.severity));
  const worst = worstSeverity([incident.worst, severity, ...alarms.map((alarm) => alarm.worst)]);
  // Where nothing says which came of which, the number tells more than a name.
  const others = incident.services.length === 0 ? alarmed.size - 1 : 0;
  const problem =
    suspect &&
    `${shortProblem(suspect.alarm_type, suspect.qualifier)} on ${suspect.component}${others > 0 ? ` and ${others} more` : ""}`;
  updateIncident(db, id, {
    title:
      problem === undefined
        ? incident.title
        : incident.service === null
          ? capital(problem)
          : `${incident.service}: ${problem}`,
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

const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);

const PROBLEMS: Readonly<Record<string, string>> = {
  "memory.used.high": "memory runs out",
  "cpu.used.high": "processor is saturated",
  "disk.used.high": "disk fills",
  "reachable.low": "no answer",
  "container.memory.used.high": "memory nears its limit",
  "container.cpu.throttled.high": "held back by its quota",
};

function shortProblem(type: string, qualifier: string): string {
  const problem = PROBLEMS[type] ?? type.replaceAll(".", " ");
  return qualifier ? `${problem} (${qualifier})` : problem;
}
