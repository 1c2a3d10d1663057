import { severityRank, worstSeverity, type Severity } from "#core/alarms/severity";
import { rankSuspects, SPELL_MS, type Suspect } from "#core/correlation/incidents";
import { symptomOf, type Nature } from "#core/catalogue/metrics";
import { natureOf } from "#core/correlation/harm";
import { MINUTE_MS } from "#core/time/windows";
import type { EstateGraph } from "#core/topology/graph";
import { causesOf } from "../causes/causes";
import type { HarmMap } from "../causes/harm-map";
import { subjectKey, type AlarmRow, type Subject } from "../store/alarms";
import type { Db } from "../store/database";
import { componentById } from "../store/estate";
import {
  alarmsOfIncident,
  incidentById,
  noteIncident,
  resolveIncident,
  updateIncident,
  type IncidentCause,
} from "../store/incidents";
import { withoutRepaired } from "../causes/repaired";
import { lagsBehind, subjectOf } from "../causes/told";

export interface IncidentEvent {
  what: "opened" | "reopened" | "changed" | "resolved";
  incidentId: number;
}

/** What correlation asks about the estate. */
export interface Affected {
  /** Services that a subject is or is a member of. */
  servicesOf: (subject: Subject) => readonly { id: number; name: string }[];
  nameOf: (subject: Subject) => string;
  siteOf: (subject: Subject) => string;
  graph: EstateGraph;
  /** Who can hurt whom, as it stands now. */
  harm: () => HarmMap;
  /** Components by which a service is entered. */
  entriesOf: (serviceId: number) => ReadonlySet<number>;
}

/** Who does what nobody does by hand. */
export const SYSTEM = "Holotaxis";
/** The detector that tells of what is to come. */
const FORECAST = "trend";
/** What comes so long after the last alarm of an incident is hardly of it. */
export const FRESH_MS = 30 * MINUTE_MS;

/** What a component relies on; of a service, its entry points and what those rely on. */
export function reliedOnBy({ type, id }: Subject, { graph, entriesOf }: Affected): ReadonlySet<number> {
  if (type === "component") return graph.reliedOn(id);
  if (type !== "service") return new Set();
  const all = new Set(entriesOf(id));
  for (const entry of entriesOf(id)) for (const one of graph.reliedOn(entry)) all.add(one);
  return all;
}

/** Whether a component, or an entry point of a service, is among what is relied on. */
export function isAmong(relied: ReadonlySet<number>, { type, id }: Subject, { entriesOf }: Affected): boolean {
  if (type === "component") return relied.has(id);
  return type === "service" && [...entriesOf(id)].some((entry) => relied.has(entry));
}

/** Alarms that stand, or stood until shortly before the last one; what lags behind only while it is fresh. */
export function lately(alarms: readonly AlarmRow[]): readonly AlarmRow[] {
  const last = Math.max(...alarms.map((one) => one.raised_at));
  const fresh = alarms.filter((one) =>
    lagsBehind(one) ? one.raised_at > last - FRESH_MS : one.cleared_at === null || one.cleared_at > last - SPELL_MS,
  );
  return fresh.length ? fresh : alarms;
}

/**
 * Works severity, suspected cause and title of an incident out anew, and resolves it when nothing in it is wrong any
 * more.
 */
export function refresh(db: Db, id: number, affected: Affected, atMs: number): IncidentEvent {
  const incident = incidentById(db, id);
  const alarms = alarmsOfIncident(db, id);
  const active = alarms.filter((alarm) => alarm.cleared_at === null && alarm.quiet === null);
  if (!incident) return { what: "changed", incidentId: id };
  // What stands speaks for it, then what stood; a budget only where there is nothing else.
  const judged =
    [active, alarms].map((list) => list.filter((one) => !lagsBehind(one))).find((list) => list.length) ??
    (active.length ? active : alarms);
  const suspects = suspectsOf(judged, affected);
  // What has cleared is evidence still: a cause does not change because part of the harm is over.
  const told = alarms.filter((alarm) => alarm.quiet === null);
  const left = withoutRepaired(db, id, told.length ? told : alarms, () => affected.harm().graph, atMs);
  const causes = causesOf(db, lately(left), affected.harm(), affected.nameOf, atMs);
  const [likeliest] = causes;
  const spoken = speaksFor(db, likeliest, judged, suspects);
  // The alarm on the likeliest cause speaks for it; else the one that others rely on most.
  const first = suspects.find((one) => one.alarmId === spoken) ?? suspects[0];
  const suspect = alarms.find((alarm) => alarm.id === first?.alarmId);
  const was = incident.causes[0];
  if (likeliest && (was === undefined || was.name !== likeliest.name))
    noteIncident(
      db,
      id,
      "cause",
      `Likeliest cause: ${likeliest.name} (${Math.round(likeliest.probability * 100)} %)${was ? `, was ${was.name}` : ""}`,
      SYSTEM,
      atMs,
    );
  const severity: Severity = worstSeverity(active.map((alarm) => alarm.severity));
  const worst = worstSeverity([incident.worst, severity, ...alarms.map((alarm) => alarm.worst)]);
  updateIncident(db, id, {
    title: suspect ? titleOf(incident, suspect, judged) : incident.title,
    severity,
    worst,
    suspectAlarmId: first?.alarmId ?? null,
    suspectReasons: first?.reasons ?? [],
    causes,
  });
  // A budget that was burnt comes back with time alone: it does not keep open what is over.
  const [held, burning] = [active.filter((one) => !lagsBehind(one)), active.filter(lagsBehind)];
  if (
    incident.resolved_at === null &&
    held.length === 0 &&
    (burning.length === 0 || alarms.some((one) => !lagsBehind(one)))
  ) {
    resolveIncident(db, id, atMs);
    const burnt = burning.length ? "; what is left is the budget that it burnt" : "";
    noteIncident(db, id, "resolved", `Resolved: every alarm in it has cleared${burnt}`, SYSTEM, atMs);
    return { what: "resolved", incidentId: id };
  }
  return { what: "changed", incidentId: id };
}

/** Alarms by how likely they are where it began, each with how many others rely on what it is about. */
function suspectsOf(judged: readonly AlarmRow[], affected: Affected): Suspect[] {
  const subjects = new Map(judged.map((alarm) => [subjectKey(subjectOf(alarm)), subjectOf(alarm)]));
  const dependantsOf = (own: Subject) =>
    [...subjects.values()].filter(
      (other) => subjectKey(other) !== subjectKey(own) && isAmong(reliedOnBy(other, affected), own, affected),
    ).length;
  return rankSuspects(
    judged.map((alarm) => ({
      alarmId: alarm.id,
      subjectName: alarm.subject,
      severity: alarm.severity === "cleared" ? alarm.worst : alarm.severity,
      raisedMs: alarm.raised_at,
      text: alarm.text,
      dependants: dependantsOf(subjectOf(alarm)),
      isHarm: alarm.subject_type === "service",
    })),
  );
}

/** What a host is short of where one of its processes takes too much of it. */
const SHORTAGES: ReadonlySet<Nature> = new Set(["memory", "busy", "full"]);

/**
 * The alarm that speaks for the likeliest cause: one on it, or what it takes too much of on its host. Of those that are
 * serious, what is wrong with it comes before how it answers, then the worst; what is so before what is to come.
 */
function speaksFor(
  db: Db,
  likeliest: IncidentCause | undefined,
  judged: readonly AlarmRow[],
  suspects: readonly Suspect[],
): number | undefined {
  if (likeliest?.componentId == null) return undefined;
  const host = componentById(db, likeliest.componentId)?.host_id ?? undefined;
  const explained = new Set(likeliest.explains);
  const isShort = (alarm: AlarmRow) =>
    alarm.component_id === host && explained.has(alarm.id) && SHORTAGES.has(natureOf(alarm.metric));
  const isSerious = (alarm: AlarmRow) => severityRank(alarm.worst) >= severityRank("major");
  const isOfCalls = (alarm: AlarmRow) => alarm.metric.startsWith("calls.");
  const place = new Map(suspects.map(({ alarmId }, index) => [alarmId, index]));
  const [first] = judged
    .filter((alarm) => alarm.component_id === likeliest.componentId || isShort(alarm))
    .sort(
      (a, b) =>
        Number(isSerious(b)) - Number(isSerious(a)) ||
        Number(isOfCalls(a)) - Number(isOfCalls(b)) ||
        severityRank(b.worst) - severityRank(a.worst) ||
        Number(a.detector === FORECAST) - Number(b.detector === FORECAST) ||
        (place.get(a.id) ?? 0) - (place.get(b.id) ?? 0),
    );
  return first?.id;
}

function titleOf(
  incident: { service: string | null; services: readonly unknown[] },
  suspect: AlarmRow,
  judged: readonly AlarmRow[],
): string {
  // Where nothing says which came of which, the number tells more than a name.
  const others =
    incident.services.length === 0 ? new Set(judged.map((alarm) => subjectKey(subjectOf(alarm)))).size - 1 : 0;
  const problem = `${symptomOf(suspect.metric, suspect.direction)}${shownQualifier(suspect.qualifier)} on ${suspect.subject}${others > 0 ? ` and ${others} more` : ""}`;
  return incident.service === null ? capital(problem) : `${incident.service}: ${problem}`;
}

/** What tells alarms of one rule from those of another says nothing to people. */
const shownQualifier = (qualifier: string) => (qualifier && !/^rule \d+$/.test(qualifier) ? ` (${qualifier})` : "");

const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);

/** Works an incident that is open out anew, where something else than an alarm speaks of it. */
export function refreshOpen(db: Db, id: number, affected: Affected, atMs: number): void {
  const incident = incidentById(db, id);
  if (incident?.merged_into != null) refreshOpen(db, incident.merged_into, affected, atMs);
  else if (incident?.resolved_at === null) db.transaction(() => refresh(db, id, affected, atMs))();
}
