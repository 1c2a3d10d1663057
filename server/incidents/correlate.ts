import { severityRank, worstSeverity, type Severity } from "#core/alarms/severity";
import { placeAlarm, rankSuspects, SPELL_MS } from "#core/correlation/incidents";
import { metricInfo, symptomOf } from "#core/catalogue/metrics";
import { natureOf } from "#core/correlation/harm";
import { MINUTE_MS } from "#core/time/windows";
import type { EstateGraph } from "#core/topology/graph";
import { subjectKey, type AlarmRow, type Subject } from "../store/alarms";
import type { Db } from "../store/database";
import {
  affectedLabel,
  affectServices,
  alarmsOfIncident,
  apartFrom,
  incidentById,
  incidentsOfAlarm,
  joinIncident,
  mergeIncident,
  noteIncident,
  openIncident,
  recentIncidents,
  reopenIncident,
  resolveIncident,
  updateIncident,
  type IncidentCause,
  type IncidentRow,
} from "../store/incidents";
import { causesOf } from "../causes/causes";
import { nodeOfCause, type HarmMap } from "../causes/harm-map";
import type { AlarmEvent } from "../alarms/alarm-book";

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

const SYSTEM = "Holotaxis";
/** The detector that tells of what is to come. */
const FORECAST = "trend";

/** What is alarmed in an incident, as far as finding the place of further alarms needs it. */
interface Alarmed {
  subjects: Map<string, { subject: Subject; name: string }>;
  /** Subjects and metrics of its alarms. */
  alarms: Set<string>;
  /** Metric and site of its first alarm. */
  metric: string;
  site: string;
  /** When its last alarm was raised. */
  lastMs: number;
}

/** An alarm that comes so long after the last one of an incident must be explained by its cause to join it. */
const FRESH_MS = 30 * MINUTE_MS;
const LEAST_EXPLAINED = 0.15;

/** Whether what is taken for the cause of an incident would show as a further alarm. */
function explainedBy(cause: IncidentCause | undefined, event: AlarmEvent, affected: Affected): boolean {
  const node = cause && nodeOfCause(cause);
  return (
    node !== undefined &&
    affected.harm().graph.chance(node, subjectKey(event.subject), natureOf(event.metric)) >= LEAST_EXPLAINED
  );
}

/** The alarmed subjects of incidents, read once for all alarms of a tick and kept up as alarms join. */
function alarmedReader(db: Db, { siteOf }: Affected): (incidentId: number) => Alarmed {
  const known = new Map<number, Alarmed>();
  return (incidentId) => {
    let one = known.get(incidentId);
    if (!one) {
      const alarms = alarmsOfIncident(db, incidentId);
      const first = alarms[0];
      const subjects = new Map(
        alarms.map((alarm) => {
          const subject = subjectOf(alarm);
          return [subjectKey(subject), { subject, name: alarm.subject }] as const;
        }),
      );
      one = {
        subjects,
        alarms: new Set(alarms.map((alarm) => alarmKey(subjectOf(alarm), alarm.metric))),
        metric: first?.metric ?? "",
        site: first ? siteOf(subjectOf(first)) : "",
        lastMs: Math.max(0, ...alarms.map((alarm) => alarm.raised_at)),
      };
      known.set(incidentId, one);
    }
    return one;
  };
}

const alarmKey = (subject: Subject, metric: string) => `${subjectKey(subject)} ${metric}`;

/** Why an alarm may be the trouble of an incident again; undefined where it is another. */
function againOf(
  { causes: [cause] }: IncidentRow,
  { alarms }: Alarmed,
  event: AlarmEvent,
  affected: Affected,
): string | undefined {
  if (alarms.has(alarmKey(event.subject, event.metric))) return `${affected.nameOf(event.subject)} had the same alarm`;
  return explainedBy(cause, event, affected) ? `${cause?.name}, its likeliest cause, would show so` : undefined;
}

export const subjectOf = (alarm: Pick<AlarmRow, "subject_type" | "subject_id">): Subject => ({
  type: alarm.subject_type,
  id: alarm.subject_id,
});

/** Why an incident has to do with a subject: it is among those alarmed, or one relies on the other. */
function kinship({ subjects }: Alarmed, subject: Subject, affected: Affected): string | undefined {
  const name = affected.nameOf(subject);
  if (subjects.has(subjectKey(subject))) return `${name} is in it already`;
  const relied = reliedOnBy(subject, affected);
  for (const { subject: other, name: otherName } of subjects.values()) {
    if (isAmong(relied, other, affected)) return `${name} relies on ${otherName}`;
    if (isAmong(reliedOnBy(other, affected), subject, affected)) return `${otherName} relies on ${name}`;
  }
  return undefined;
}

/** What a component relies on; of a service, its entry points and what those rely on. */
function reliedOnBy({ type, id }: Subject, { graph, entriesOf }: Affected): ReadonlySet<number> {
  if (type === "component") return graph.reliedOn(id);
  if (type !== "service") return new Set();
  const all = new Set(entriesOf(id));
  for (const entry of entriesOf(id)) for (const one of graph.reliedOn(entry)) all.add(one);
  return all;
}

/** Whether a component, or an entry point of a service, is among what is relied on. */
function isAmong(relied: ReadonlySet<number>, { type, id }: Subject, { entriesOf }: Affected): boolean {
  if (type === "component") return relied.has(id);
  return type === "service" && [...entriesOf(id)].some((entry) => relied.has(entry));
}

/** Gathers alarms into incidents, each alarm into one: see `placeAlarm`. Call inside a transaction. */
export function correlate(db: Db, events: readonly AlarmEvent[], affected: Affected): IncidentEvent[] {
  const result: IncidentEvent[] = [];
  const touched = new Set<number>();
  const alarmedIn = alarmedReader(db, affected);
  for (const event of events) {
    if (event.what === "cleared" || event.what === "better") {
      const kind = event.what === "cleared" ? "cleared" : "eased";
      for (const id of incidentsOfAlarm(db, event.alarmId)) {
        noteIncident(db, id, kind, `${affected.nameOf(event.subject)}: ${event.text}`, SYSTEM, event.atMs);
        touched.add(id);
      }
      continue;
    }
    const placed = place(db, event, affected, alarmedIn);
    if (!placed) continue;
    result.push(...placed.events);
    touched.add(placed.id);
  }
  const atMs = events.at(-1)?.atMs ?? 0;
  for (const id of touched) result.push(refresh(db, id, affected, atMs));
  for (const id of mergeByCause(db, touched, affected, atMs)) result.push({ what: "changed", incidentId: id });
  return result;
}

/** So sure must an incident be of its cause to draw others in. */
const SURE = 0.5;
/** So likely must the cause of one show as each alarm of the other. */
const EXPLAINS = 0.3;

/**
 * Merges open incidents that began together where the likeliest cause of one is that of the other, or explains every
 * alarm of it; unless people told their alarms apart.
 * @returns the incidents that were changed by it
 */
function mergeByCause(db: Db, touched: ReadonlySet<number>, affected: Affected, atMs: number): Set<number> {
  const changed = new Set<number>();
  const open = recentIncidents(db, Number.MAX_SAFE_INTEGER).sort((a, b) => a.opened_at - b.opened_at || a.id - b.id);
  const gone = new Set<number>();
  for (const one of open)
    for (const other of open) {
      if (one.id === other.id || gone.has(one.id) || gone.has(other.id)) continue;
      if (!(touched.has(one.id) || touched.has(other.id))) continue;
      const why = causeOfBoth(db, one, other, affected);
      if (why === undefined || areApart(db, one.id, other.id)) continue;
      // The older stays.
      const [into, from] = one.opened_at <= other.opened_at ? [one, other] : [other, one];
      mergeIncident(db, from.id, into.id, atMs);
      noteIncident(db, from.id, "merged", `Merged into incident ${into.id}: ${why}`, SYSTEM, atMs);
      noteIncident(db, into.id, "merged", `Incident ${from.id} merged into this one: ${why}`, SYSTEM, atMs);
      gone.add(from.id);
      changed.add(from.id).add(into.id);
      refresh(db, into.id, affected, atMs);
    }
  return changed;
}

/** Why the likeliest cause of one incident is behind another too; undefined where it is not. */
function causeOfBoth(db: Db, one: IncidentRow, other: IncidentRow, affected: Affected): string | undefined {
  const [cause] = one.causes;
  if (!cause || cause.probability < SURE || cause.serviceId !== null) return undefined;
  if (Math.abs(one.opened_at - other.opened_at) > FRESH_MS) return undefined;
  const node = nodeOfCause(cause);
  const [theirs] = other.causes;
  if (node === undefined) return undefined;
  if (theirs && theirs.probability >= SURE && nodeOfCause(theirs) === node)
    return `${cause.name} is the likeliest cause of both`;
  // What is sure of a cause of its own is left alone.
  if (theirs && theirs.probability >= SURE) return undefined;
  const { graph } = affected.harm();
  const alarms = alarmsOfIncident(db, other.id).filter((alarm) => alarm.quiet === null && !lagsBehind(alarm));
  const explains = (alarm: AlarmRow) =>
    graph.chance(node, subjectKey(subjectOf(alarm)), natureOf(alarm.metric)) >= EXPLAINS;
  return alarms.length > 0 && alarms.every(explains) ? `${cause.name} would explain all of it` : undefined;
}

/** Whether people told any alarms of two incidents apart. */
function areApart(db: Db, one: number, other: number): boolean {
  const others = new Set(alarmsOfIncident(db, other).map((alarm) => subjectKey(subjectOf(alarm))));
  return alarmsOfIncident(db, one).some((alarm) =>
    [...apartFrom(db, subjectKey(subjectOf(alarm)))].some((apart) => others.has(apart)),
  );
}

/**
 * Puts one alarm into the incident where it belongs, opening one where there is none; undefined where it opens none.
 */
function place(
  db: Db,
  event: AlarmEvent,
  affected: Affected,
  alarmedIn: (incidentId: number) => Alarmed,
): { id: number; events: IncidentEvent[] } | undefined {
  const services = affected.servicesOf(event.subject);
  const serviceIds = services.map((one) => one.id);
  const name = affected.nameOf(event.subject);
  const label = affectedLabel(services) ?? name;
  const site = affected.siteOf(event.subject);
  const apart = apartFrom(db, subjectKey(event.subject));
  const mayJoin = ({ id: each }: { id: number }) =>
    apart.size === 0 || ![...alarmedIn(each).subjects.keys()].some((one) => apart.has(one));
  const recent = recentIncidents(db, event.atMs - SPELL_MS)
    .filter(mayJoin)
    .map((row) => {
      const alarmed = alarmedIn(row.id);
      // What begins long after, and what the likeliest cause does not explain, is another affair.
      const isLate = event.atMs - alarmed.lastMs > FRESH_MS && !explainedBy(row.causes[0], event, affected);
      const alike = alarmed.metric === event.metric && alarmed.site === site && site !== "";
      return {
        id: row.id,
        services: row.services.map((one) => one.id),
        related:
          isLate && !alarmed.subjects.has(subjectKey(event.subject))
            ? undefined
            : kinship(alarmed, event.subject, affected),
        alike: alike ? `the same at ${site} at the same time` : undefined,
        again: row.resolved_at === null ? undefined : againOf(row, alarmed, event, affected),
        openedMs: row.opened_at,
        resolvedMs: row.resolved_at,
      };
    });
  const decision = placeAlarm({ atMs: event.atMs, severity: event.severity, services: serviceIds }, label, recent);
  if (decision.action === "leave") return undefined;
  const events: IncidentEvent[] = [];
  let id = decision.incidentId;
  if (decision.action === "open" || id === undefined) {
    const subject = services.length === 1 ? `service:${services[0]?.id}` : subjectKey(event.subject);
    id = openIncident(db, { subject, title: label, severity: event.severity }, event.atMs);
    noteIncident(db, id, "opened", `Opened: ${decision.why}`, SYSTEM, event.atMs);
    events.push({ what: "opened", incidentId: id });
  } else if (decision.action === "reopen") {
    reopenIncident(db, id);
    noteIncident(db, id, "reopened", `Reopened: ${decision.why}`, SYSTEM, event.atMs);
    events.push({ what: "reopened", incidentId: id });
  }
  affectServices(db, id, serviceIds);
  joinIncident(db, id, event.alarmId, decision.why, event.atMs);
  const joined = alarmedIn(id);
  joined.subjects.set(subjectKey(event.subject), { subject: event.subject, name });
  joined.alarms.add(alarmKey(event.subject, event.metric));
  joined.lastMs = Math.max(joined.lastMs, event.atMs);
  noteIncident(db, id, event.what, `${name}: ${event.text}`, SYSTEM, event.atMs);
  return { id, events };
}

/** What is worked out over hours stands long after what it tells of. */
const lagsBehind = ({ metric }: Pick<AlarmRow, "metric">) => metricInfo(metric).lags ?? false;

/** Alarms that stand, or stood until shortly before the last one; what lags behind only while it is fresh. */
function lately(alarms: readonly AlarmRow[]): readonly AlarmRow[] {
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
  const alarmed = new Set(judged.map((alarm) => subjectKey(subjectOf(alarm))));
  const subjects = new Map(judged.map((alarm) => [subjectKey(subjectOf(alarm)), subjectOf(alarm)]));
  const dependantsOf = (own: Subject) =>
    [...subjects.values()].filter(
      (other) => subjectKey(other) !== subjectKey(own) && isAmong(reliedOnBy(other, affected), own, affected),
    ).length;
  const suspects = rankSuspects(
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
  // What has cleared is evidence still: a cause does not change because part of the harm is over.
  const told = alarms.filter((alarm) => alarm.quiet === null);
  const causes = causesOf(db, lately(told.length ? told : alarms), affected.harm(), affected.nameOf, atMs);
  const [likeliest] = causes;
  const onCause = judged.filter(
    (alarm) => likeliest?.componentId != null && alarm.component_id === likeliest.componentId,
  );
  const place = new Map(suspects.map(({ alarmId }, index) => [alarmId, index]));
  // The worst of those on the cause; what is so before what is to come.
  onCause.sort(
    (a, b) =>
      severityRank(b.worst) - severityRank(a.worst) ||
      Number(a.detector === FORECAST) - Number(b.detector === FORECAST) ||
      (place.get(a.id) ?? 0) - (place.get(b.id) ?? 0),
  );
  const spoken = onCause[0];
  // The alarm on the likeliest cause speaks for it; else the one that others rely on most.
  const first = suspects.find((one) => one.alarmId === spoken?.id) ?? suspects[0];
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
  // Where nothing says which came of which, the number tells more than a name.
  const others = incident.services.length === 0 ? alarmed.size - 1 : 0;
  const problem =
    suspect &&
    `${symptomOf(suspect.metric, suspect.direction)}${shownQualifier(suspect.qualifier)} on ${suspect.subject}${others > 0 ? ` and ${others} more` : ""}`;
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
    const left = burning.length ? "; what is left is the budget that it burnt" : "";
    noteIncident(db, id, "resolved", `Resolved: every alarm in it has cleared${left}`, SYSTEM, atMs);
    return { what: "resolved", incidentId: id };
  }
  return { what: "changed", incidentId: id };
}

/** What tells alarms of one rule from those of another says nothing to people. */
const shownQualifier = (qualifier: string) => (qualifier && !/^rule \d+$/.test(qualifier) ? ` (${qualifier})` : "");

const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);
