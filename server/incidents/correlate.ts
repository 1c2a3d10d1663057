import { placeAlarm, SPELL_MS } from "#core/correlation/incidents";
import { natureOf } from "#core/correlation/harm";
import { subjectKey, type Subject } from "../store/alarms";
import type { Db } from "../store/database";
import {
  affectedLabel,
  affectServices,
  alarmsOfIncident,
  apartFrom,
  incidentsOfAlarm,
  joinIncident,
  noteIncident,
  openIncident,
  recentIncidents,
  reopenIncident,
  type IncidentCause,
  type IncidentRow,
} from "../store/incidents";
import { changesOf } from "../store/changes";
import { componentById } from "../store/estate";
import { nodeOfCause } from "../causes/harm-map";
import { CHANGE_MS } from "../causes/past-facts";
import type { AlarmEvent } from "../alarms/alarm-book";
import { FRESH_MS, isAmong, refresh, reliedOnBy, SYSTEM, type Affected, type IncidentEvent } from "./refresh";
import { EXPLAINS, mergeByCause, splitByCause, SURE } from "./regroup";
import { subjectOf } from "../causes/told";

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

const LEAST_EXPLAINED = 0.15;

/** Whether what is taken for the cause of an incident would show as a further alarm. */
function explainedBy(
  cause: IncidentCause | undefined,
  event: AlarmEvent,
  affected: Affected,
  least = LEAST_EXPLAINED,
): boolean {
  const node = cause && nodeOfCause(cause);
  return (
    node !== undefined && affected.harm().graph.chance(node, subjectKey(event.subject), natureOf(event.metric)) >= least
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
  return explainedBy(cause, event, affected, EXPLAINS)
    ? `${cause?.name}, its likeliest cause, would show so`
    : undefined;
}

/** What people change on several things at once. */
const MADE: ReadonlySet<string> = new Set(["deployment", "change"]);

/** What was changed on a component or its host shortly before an instant, by what tells one change from another. */
function changesBefore(db: Db, { type, id }: Subject, atMs: number): ReadonlyMap<string, string> {
  const row = type === "component" ? componentById(db, id) : undefined;
  if (!row) return new Map();
  return new Map(
    changesOf(db, [id, ...(row.host_id === null ? [] : [row.host_id])], atMs - CHANGE_MS, atMs, 20).flatMap((one) =>
      MADE.has(one.kind) ? [[one.ticket ?? `${one.kind} ${one.by_whom} ${one.summary}`, one.summary] as const] : [],
    ),
  );
}

/**
 * Why an incident has to do with a subject: it is among those alarmed, one relies on the other, or the same change came just
 * before on both.
 */
function kinship(
  db: Db,
  { subjects }: Alarmed,
  { subject, atMs }: Pick<AlarmEvent, "subject" | "atMs">,
  affected: Affected,
): string | undefined {
  const name = affected.nameOf(subject);
  if (subjects.has(subjectKey(subject))) return `${name} is in it already`;
  const relied = reliedOnBy(subject, affected);
  for (const { subject: other, name: otherName } of subjects.values()) {
    if (isAmong(relied, other, affected)) return `${name} relies on ${otherName}`;
    if (isAmong(reliedOnBy(other, affected), subject, affected)) return `${otherName} relies on ${name}`;
  }
  const own = changesBefore(db, subject, atMs);
  if (own.size === 0) return undefined;
  for (const { subject: other, name: otherName } of subjects.values())
    for (const key of changesBefore(db, other, atMs).keys())
      if (own.has(key)) return `${name} and ${otherName} were changed together: ${own.get(key)}`;
  return undefined;
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
  // What is two is told apart first: neither draws what the other explains into it.
  for (const id of splitByCause(db, touched, affected, atMs)) {
    result.push({ what: "opened", incidentId: id });
    touched.add(id);
  }
  for (const id of mergeByCause(db, touched, affected, atMs)) {
    result.push({ what: "changed", incidentId: id });
    touched.add(id);
  }
  for (const id of splitByCause(db, touched, affected, atMs)) result.push({ what: "opened", incidentId: id });
  return result;
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
      const isSame = alarmed.subjects.has(subjectKey(event.subject));
      const alike = alarmed.metric === event.metric && alarmed.site === site && site !== "";
      return {
        id: row.id,
        services: row.services.map((one) => one.id),
        related: isLate && !isSame ? undefined : kinship(db, alarmed, event, affected),
        alike: alike ? `the same at ${site} at the same time` : undefined,
        isAnother: isLate && !isSame && (row.causes[0]?.probability ?? 0) >= SURE,
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
