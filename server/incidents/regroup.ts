import { bestOf, natureOf } from "#core/correlation/harm";
import { MINUTE_MS } from "#core/time/windows";
import { causesOf } from "../causes/causes";
import { nodeOfCause } from "../causes/harm-map";
import { subjectKey, type AlarmRow } from "../store/alarms";
import type { Db } from "../store/database";
import { componentById } from "../store/estate";
import {
  affectedLabel,
  affectServices,
  alarmsOfIncident,
  apartFrom,
  incidentById,
  incidentEvents,
  mergeIncident,
  moveAlarms,
  noteIncident,
  openIncident,
  recentIncidents,
  type IncidentCause,
  type IncidentRow,
} from "../store/incidents";
import { FRESH_MS, lately, refresh, SYSTEM, type Affected } from "./refresh";
import { lagsBehind, subjectOf } from "../causes/told";

/** So sure must an incident be of its cause to draw others in, and to keep out what comes late and is not of it. */
export const SURE = 0.5;
/** So likely must the cause of one show as each alarm of the other, or as one that comes once it is over. */
export const EXPLAINS = 0.3;
/** Of the alarms of the other so many must be the common cause's, when both are looked at as one. */
const EXPLAINED_SHARE = 0.8;
/** Pairs that are looked at as one at a time: each is as much work as an incident. */
const MOST_TOGETHER = 4;
/** Incidents unsure of their cause that are looked at as one at a time, the newest first. */
const MOST_UNSURE = 8;

/**
 * Merges open incidents that began together where the likeliest cause of one is that of the other, or explains every
 * alarm of it, or is found to be behind both when their alarms are looked at as one; and those that are not sure of any
 * cause where all of them looked at as one show it. One that was over by itself a short while ago goes into one that was
 * open beside it in the same way. What people told apart stays apart.
 * @returns the incidents that were changed by it
 */
export function mergeByCause(db: Db, touched: ReadonlySet<number>, affected: Affected, atMs: number): Set<number> {
  const changed = new Set<number>();
  const rows = recentIncidents(db, atMs - FRESH_MS)
    .filter((one) => one.resolved_at === null || mayBelong(one))
    .sort((a, b) => a.opened_at - b.opened_at || a.id - b.id);
  const ids = rows.map((one) => one.id);
  const now = new Map(rows.map((one) => [one.id, one]));
  const pooling = { left: MOST_TOGETHER };
  const join = (into: IncidentRow, from: IncidentRow, why: string) => {
    mergeIncident(db, from.id, into.id, atMs);
    noteIncident(db, from.id, "merged", `Merged into incident ${into.id}: ${why}`, SYSTEM, atMs);
    noteIncident(db, into.id, "merged", `Incident ${from.id} merged into this one: ${why}`, SYSTEM, atMs);
    changed.add(from.id).add(into.id);
    refresh(db, into.id, affected, atMs);
    now.delete(from.id);
    const row = incidentById(db, into.id);
    if (row) now.set(into.id, row);
  };
  for (const oneId of ids)
    for (const otherId of ids) {
      const [one, other] = [now.get(oneId), now.get(otherId)];
      if (!one || !other || one === other || one.resolved_at !== null) continue;
      if (![one, other].some(({ id }) => touched.has(id) || changed.has(id))) continue;
      if (other.resolved_at !== null && other.resolved_at < one.opened_at) continue;
      const why = causeOfBoth(db, one, other, affected, pooling, atMs);
      if (why === undefined || areApart(db, one.id, other.id) || wasEndedByPerson(db, other)) continue;
      // The older stays, unless it is over.
      if (one.opened_at <= other.opened_at || other.resolved_at !== null) join(one, other, why);
      else join(other, one, why);
    }
  const left = [...now.values()].filter((one) => one.resolved_at === null);
  for (const { name, incidents } of commonOfUnsure(db, left, touched, affected, atMs)) {
    const [first, ...others] = incidents;
    for (const other of others)
      if (first && now.has(first.id) && now.has(other.id) && !areApart(db, first.id, other.id))
        join(first, other, `looked at together, ${name} is behind both`);
  }
  return changed;
}

/** What was over by itself a short while ago may turn out to have been of what still goes on, where no person had to do with it. */
const mayBelong = ({ taken_by, confirmed }: IncidentRow) => taken_by === null && confirmed === null;

const wasEndedByPerson = (db: Db, { id, resolved_at }: IncidentRow) =>
  resolved_at !== null && incidentEvents(db, id).some((event) => event.kind === "resolved" && event.by_whom !== SYSTEM);

const isUnsure = ({ causes: [cause] }: IncidentRow) => cause === undefined || cause.probability < SURE;

/**
 * Causes that are likely only when the alarms of several incidents which began together, none of them sure of its own,
 * are looked at as one: what many lean on is slow, and each of them shows little. The oldest incident comes first.
 */
function commonOfUnsure(
  db: Db,
  open: readonly IncidentRow[],
  touched: ReadonlySet<number>,
  affected: Affected,
  atMs: number,
): { name: string; incidents: IncidentRow[] }[] {
  const newest = Math.max(...open.map((one) => one.opened_at));
  const unsure = open
    .filter((one) => one.opened_at >= newest - FRESH_MS && isUnsure(one))
    .slice(-MOST_UNSURE)
    .map((incident) => ({
      incident,
      alarms: alarmsOfIncident(db, incident.id).filter((alarm) => alarm.quiet === null && !lagsBehind(alarm)),
    }))
    .filter(({ alarms }) => alarms.length > 0);
  if (unsure.length < 2 || !unsure.some(({ incident }) => touched.has(incident.id))) return [];
  const all = lately(unsure.flatMap(({ alarms }) => alarms));
  return causesOf(db, all, affected.harm(), affected.nameOf, atMs)
    .filter((cause) => cause.isRoot && cause.probability >= SURE && cause.serviceId === null)
    .map((cause) => {
      const explained = new Set(cause.explains);
      const incidents = unsure.filter(
        ({ alarms }) =>
          alarms.filter((alarm) => explained.has(alarm.id)).length >= EXPLAINED_SHARE * lately(alarms).length,
      );
      return { name: cause.name, incidents: incidents.map(({ incident }) => incident) };
    });
}

/** Why the likeliest cause of one incident is behind another too; undefined where it is not. */
function causeOfBoth(
  db: Db,
  one: IncidentRow,
  other: IncidentRow,
  affected: Affected,
  pooling: { left: number },
  atMs: number,
): string | undefined {
  const [cause] = one.causes;
  if (!cause || cause.probability < SURE || cause.serviceId !== null) return undefined;
  if (Math.abs(one.opened_at - other.opened_at) > FRESH_MS) return undefined;
  const node = nodeOfCause(cause);
  const [theirs] = other.causes;
  if (node === undefined) return undefined;
  const isSure = theirs !== undefined && theirs.probability >= SURE;
  if (isSure && nodeOfCause(theirs) === node) return `${cause.name} is the likeliest cause of both`;
  if (isSure && runsOn(db, theirs, cause)) return `${theirs.name}, its likeliest cause, runs on ${cause.name}`;
  const { graph } = affected.harm();
  const alarms = alarmsOfIncident(db, other.id).filter((alarm) => alarm.quiet === null && !lagsBehind(alarm));
  if (!alarms.length) return undefined;
  const explains = (alarm: AlarmRow) =>
    graph.chance(node, subjectKey(subjectOf(alarm)), natureOf(alarm.metric)) >= EXPLAINS;
  if (!isSure && alarms.every(explains)) return `${cause.name} would explain all of it`;
  // What has a cause of its own, or is not explained whole, goes in only where that is none any more beside the other.
  if (pooling.left <= 0 || !alarms.some(explains)) return undefined;
  pooling.left--;
  return isBehindAll(db, one, alarms, node, affected, atMs)
    ? `looked at together, ${cause.name} is behind both`
    : undefined;
}

/** Whether one cause is a process of the host that is the other. */
const runsOn = (db: Db, process: IncidentCause, host: IncidentCause): boolean =>
  process.componentId !== null &&
  host.componentId !== null &&
  componentById(db, process.componentId)?.host_id === host.componentId;

/** Whether, with the alarms of another incident among its own, a cause explains most of those, and none but it is sure. */
function isBehindAll(
  db: Db,
  one: IncidentRow,
  others: readonly AlarmRow[],
  node: string,
  affected: Affected,
  atMs: number,
): boolean {
  const own = alarmsOfIncident(db, one.id).filter((alarm) => alarm.quiet === null);
  const known = new Set(one.causes.flatMap((cause) => (cause.isRoot ? (nodeOfCause(cause) ?? []) : [])));
  const roots = causesOf(db, lately([...own, ...others]), affected.harm(), affected.nameOf, atMs).filter(
    (cause) => cause.isRoot,
  );
  const common = roots.find((cause) => nodeOfCause(cause) === node);
  if (!common) return false;
  // A process of the host that it is, or the host of it, is no other trouble.
  const isNews = (cause: IncidentCause) =>
    cause.probability >= SURE &&
    !known.has(nodeOfCause(cause) ?? "") &&
    !runsOn(db, cause, common) &&
    !runsOn(db, common, cause);
  if (roots.some(isNews)) return false;
  const explained = new Set(common.explains);
  return others.filter((alarm) => explained.has(alarm.id)).length >= EXPLAINED_SHARE * others.length;
}

/** An incident is left together until so long after it began: evidence comes one after the other. */
const SETTLED_MS = 3 * MINUTE_MS;
/** Trouble of one cause comes to the other with at least this chance: they may be one affair. */
const HURTS = 0.15;

/**
 * Splits what one of several causes explains alone off into an incident of its own, where nothing joins it to the
 * rest: neither cause shows where the other does, nor hurts the other. What people put together stays together.
 * @returns the incidents that were made by it
 */
export function splitByCause(db: Db, touched: ReadonlySet<number>, affected: Affected, atMs: number): number[] {
  return [...touched].flatMap((id) => {
    const incident = incidentById(db, id);
    if (!incident || incident.resolved_at !== null || incident.merged_into !== null) return [];
    if (incident.confirmed !== null || atMs - incident.opened_at < SETTLED_MS) return [];
    const alarms = alarmsOfIncident(db, id);
    const apart = unrelatedRoots(incident.causes, alarms, affected);
    if (!apart.length) return [];
    if (incidentEvents(db, id).some((event) => event.kind === "merged" && event.by_whom !== SYSTEM)) return [];
    return splitOff(db, incident, apart, alarms, affected, atMs);
  });
}

/** When a cause came to be known: by its own alarms, or else by the first that it explains. */
function beganMs(cause: IncidentCause, alarms: readonly AlarmRow[]): number {
  const own = alarms.filter((one) => one.component_id !== null && one.component_id === cause.componentId);
  const known = own.length > 0 ? own : alarms.filter((one) => cause.explains.includes(one.id));
  return Math.min(...known.map((one) => one.onset_at));
}

/**
 * Roots that belong together, as they explain the same or one hurts the other, in groups of which none has to do with the
 * others: of two, the one that spoke later. What came long after one of them and with the other is not the same to both.
 * None where all are one.
 */
function unrelatedRoots(
  causes: readonly IncidentCause[],
  alarms: readonly AlarmRow[],
  affected: Affected,
): IncidentCause[] {
  const roots = causes.filter((cause) => cause.isRoot && cause.probability >= SURE && cause.explains.length > 0);
  const { graph } = affected.harm();
  const hurts = (from: IncidentCause, to: IncidentCause) => {
    const [one, other] = [nodeOfCause(from), nodeOfCause(to)];
    // What has no place may have to do with anything.
    return one === undefined || other === undefined || bestOf(graph.reach(one).arrivals.get(other)) >= HURTS;
  };
  const began = new Map(roots.map((root) => [root, beganMs(root, alarms)]));
  const cameWith = (alarm: AlarmRow, root: IncidentCause) =>
    Math.abs(alarm.onset_at - (began.get(root) ?? 0)) <= FRESH_MS;
  const shared = (one: IncidentCause, other: IncidentCause) =>
    alarms.some(
      (alarm) =>
        one.explains.includes(alarm.id) &&
        other.explains.includes(alarm.id) &&
        cameWith(alarm, one) === cameWith(alarm, other),
    );
  const belong = (one: IncidentCause, other: IncidentCause) =>
    shared(one, other) || hurts(one, other) || hurts(other, one);
  let groups: IncidentCause[][] = [];
  for (const root of roots) {
    const own = groups.filter((group) => group.some((one) => belong(one, root)));
    groups = [...groups.filter((group) => !own.includes(group)), [...own.flat(), root]];
  }
  const beganAt = (group: readonly IncidentCause[]) => Math.min(...group.flatMap((one) => one.explains));
  const [, later = []] = groups.sort((a, b) => beganAt(a) - beganAt(b));
  return later;
}

const together = (one: AlarmRow, other: AlarmRow) => Math.abs(one.onset_at - other.onset_at) <= FRESH_MS;

const sameOf = (alarm: AlarmRow) => `${subjectKey(subjectOf(alarm))} ${alarm.metric}`;

function splitOff(
  db: Db,
  incident: IncidentRow,
  roots: readonly IncidentCause[],
  alarms: readonly AlarmRow[],
  affected: Affected,
  atMs: number,
): number[] {
  const explainedBy = (causes: readonly IncidentCause[]) => {
    const ids = new Set(causes.flatMap((one) => one.explains));
    return alarms.filter((alarm) => ids.has(alarm.id));
  };
  /** The same at one place at one time; services are at no place. */
  const isAlike = (one: AlarmRow, other: AlarmRow) => {
    const site = affected.siteOf(subjectOf(one));
    const isSame = one.metric === other.metric && site !== "" && site === affected.siteOf(subjectOf(other));
    return isSame && together(one, other);
  };
  const others = explainedBy(incident.causes.filter((one) => one.isRoot && !roots.includes(one)));
  // What both explain is of the one that it came with.
  const sinceMs = Math.min(...roots.map((root) => beganMs(root, alarms))) - FRESH_MS;
  const own = explainedBy(roots).filter((alarm) => alarm.onset_at >= sinceMs || !others.includes(alarm));
  const held = others.filter((alarm) => !own.includes(alarm));
  // The same at one place at one time may have a cause that nobody watches.
  if (held.some((one) => own.some((other) => isAlike(one, other)))) return [];
  const left = alarms.filter((alarm) => !own.includes(alarm) && !held.includes(alarm));
  // What was in it before, and is told of again, stays where it was.
  const isAgain = (one: AlarmRow, other: AlarmRow) =>
    sameOf(one) === sameOf(other) && other.onset_at - (one.cleared_at ?? atMs) <= FRESH_MS;
  if (left.some((one) => own.some((other) => isAgain(one, other)))) return [];
  // What no cause explains goes with what is like it, or with what it began with, where nothing of the other did.
  const along = left.filter((one) => {
    if (own.some((other) => isAlike(one, other))) return true;
    return own.some((other) => together(one, other)) && !held.some((other) => together(one, other));
  });
  const chosen = alarms.filter((alarm) => own.includes(alarm) || along.includes(alarm));
  const cause = roots.reduce((one, other) => (other.probability > one.probability ? other : one));
  const [first] = chosen;
  if (!first || chosen.length === alarms.length) return [];
  const services = new Map(
    chosen.flatMap((alarm) => affected.servicesOf(subjectOf(alarm))).map((one) => [one.id, one]),
  );
  const made = openIncident(
    db,
    {
      subject: subjectKey(subjectOf(first)),
      title: affectedLabel([...services.values()]) ?? first.subject,
      severity: first.worst,
    },
    Math.min(...chosen.map((alarm) => alarm.raised_at)),
  );
  const ids = chosen.map((alarm) => alarm.id);
  moveAlarms(db, incident.id, made, ids, `${cause.name} alone explains it, and has nothing to do with the rest`);
  affectServices(db, made, [...services.keys()]);
  const count = `${chosen.length} ${chosen.length === 1 ? "alarm" : "alarms"}`;
  const why = `${cause.name} explains them, and nothing joins it to the rest`;
  noteIncident(db, made, "opened", `Split off from incident ${incident.id}: ${why}`, SYSTEM, atMs);
  noteIncident(db, incident.id, "split", `${count} split off into incident ${made}: ${why}`, SYSTEM, atMs);
  refresh(db, made, affected, atMs);
  refresh(db, incident.id, affected, atMs);
  return [made];
}

/** Whether people told any alarms of two incidents apart. */
function areApart(db: Db, one: number, other: number): boolean {
  const others = new Set(alarmsOfIncident(db, other).map((alarm) => subjectKey(subjectOf(alarm))));
  return alarmsOfIncident(db, one).some((alarm) =>
    [...apartFrom(db, subjectKey(subjectOf(alarm)))].some((apart) => others.has(apart)),
  );
}
