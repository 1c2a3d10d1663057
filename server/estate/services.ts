import { metricInfo } from "#core/catalogue/metrics";
import { severityRank, worstSeverity, type Severity } from "#core/alarms/severity";
import { kindMatches } from "#core/catalogue/kinds";
import type { Nature } from "#core/catalogue/metrics";
import { natureOf } from "#core/correlation/harm";
import { groupBy } from "#core/units/group";
import { fitsPattern } from "#core/estate/pattern";
import { ANSWER_COUNTS } from "#core/telemetry/request-metrics";
import { WaysIn } from "#core/topology/ways-in";
import { redundantSets, type Candidate } from "#core/topology/application";
import { EstateGraph } from "#core/topology/graph";
import { membersState, type MemberHealth } from "#core/topology/health";
import { leadsOf } from "../causes/leads";
import { activeAlarms, type AlarmRow, type Subject } from "../store/alarms";
import { insertChange } from "../store/changes";
import type { Db } from "../store/database";
import { componentsById, currentComponents } from "../store/estate";
import { currentRelations } from "../store/relations";
import { resourcesOf } from "../store/resources";
import { hasSeriesOf } from "../store/signals";
import { ANSWERING, CONSUMING, operationsOf } from "../store/spans";
import {
  listServices,
  membersAt,
  membersOf,
  writeHealth,
  writeMembers,
  writeReliance,
  type EntryPattern,
  type HealthSubject,
  type ServiceDetails,
} from "../store/services";
import { fitsEntry, operationsOfEntry } from "../store/ways-in";

/** The present relations, as every computation over them asks for them. */
export const readGraph = (db: Db): EstateGraph =>
  new EstateGraph(currentRelations(db).map((row) => ({ type: row.type, from: row.from_id, to: row.to_id })));

/** Works out anew what every service is made of and relies on; who joins and leaves is kept with its time. */
export function refreshServices(db: Db, graph: EstateGraph, atMs: number): void {
  const components = currentComponents(db);
  const nameOf = new Map(components.map((component) => [component.id, component.name]));
  const entriesOf = (patterns: readonly EntryPattern[]) =>
    components.flatMap(({ id, label, host_id }) => {
      const host = host_id === null ? undefined : nameOf.get(host_id);
      if (label === null || host === undefined || !patterns.some((one) => fitsEntry(one, { host, label }))) return [];
      return [{ component: id, operations: operationsOfEntry(patterns, { host, label }) }];
    });
  const services = listServices(db).map((service) => {
    const entrances = entriesOf(service.entries).map((one) => ({ service: service.id, ...one }));
    return { service, entrances, entries: entrances.map((one) => one.component) };
  });
  const ways = new WaysIn(services.flatMap((one) => one.entrances));
  const leads = new Map([...ways.sharedComponents].map((id) => [id, leadsOf(db, id, atMs)] as const));
  const extents = graph.serviceExtents(
    services.map(({ service: { id, details }, entries }) => ({
      service: id,
      entries,
      pinned: (details.pinned ?? []).filter((one) => nameOf.has(one)),
      excluded: new Set(details.excluded),
      follows: (from, to) => ways.follows(id, from, to, leads.get(from)),
    })),
  );
  // A newcomer is told of as found; that it joined a service goes without saying.
  const newcomers = new Set(
    components.filter((component) => component.valid_from === atMs).map((component) => component.id),
  );
  db.transaction(() => {
    extents.forEach((extent, index) => {
      const { service, entries } = services[index] as (typeof services)[number];
      const first = membersAt(db, atMs).every((member) => member.service_id !== service.id);
      const { joined, left } = writeMembers(db, service.id, extent.members, new Set(entries), atMs);
      if (!first) {
        for (const id of joined)
          if (!newcomers.has(id))
            insertChange(db, {
              atMs,
              kind: "membership",
              componentId: id,
              summary: `${nameOf.get(id)} joined ${service.name}`,
              by: "Holotaxis",
            });
        for (const id of left)
          insertChange(db, {
            atMs,
            kind: "membership",
            componentId: id,
            summary: `${nameOf.get(id) ?? "A component"} left ${service.name}`,
            by: "Holotaxis",
          });
      }
      writeReliance(db, service.id, extent.reliesOn, atMs);
    });
  })();
}

/** Which services a component belongs to, by component. */
export function servicesByComponent(db: Db, atMs: number): Map<number, { id: number; name: string }[]> {
  const names = new Map(listServices(db).map((service) => [service.id, service.name]));
  const map = new Map<number, { id: number; name: string }[]>();
  for (const row of membersAt(db, atMs)) {
    const list = map.get(row.component_id) ?? [];
    list.push({ id: row.service_id, name: names.get(row.service_id) ?? "" });
    map.set(row.component_id, list);
  }
  return map;
}

/** What the health of services asks of those who know the estate. */
export interface HealthContext {
  servicesOf: ReadonlyMap<number, readonly { id: number; name: string }[]>;
  /** Whether it is measured how a service does, so that its members' alarms are not taken for harm to it. */
  isMeasured(serviceId: number): boolean;
  /** Whether what is asked of a component under a name is asked of a service. */
  takes(serviceId: number, componentId: number, operation: string): boolean;
}

/**
 * Health of the given subjects: of components from their active alarms; of services how their members are, by the rule
 * of each, and what they are hurt by: their own alarms, and calls that go badly where they are entered, where it is
 * measured how they do, else their members' state.
 * Call inside a transaction. Returns how many verdicts changed.
 */
export function refreshHealth(
  db: Db,
  subjects: Iterable<Subject>,
  { servicesOf, isMeasured, takes }: HealthContext,
  atMs: number,
): number {
  const alarmsOf = new Map<string, AlarmRow[]>();
  for (const alarm of activeAlarms(db)) {
    // What is kept quiet hurts nobody's health, and what tells of hours past is no harm of now.
    if (alarm.quiet !== null || metricInfo(alarm.metric).lags) continue;
    const key = `${alarm.subject_type}:${alarm.subject_id}`;
    const own = alarmsOf.get(key);
    if (own) own.push(alarm);
    else alarmsOf.set(key, [alarm]);
  }
  const stateOf = (type: Subject["type"], id: number): { severity: Severity; reason: string } => {
    const own = alarmsOf.get(`${type}:${id}`) ?? [];
    const severity = worstSeverity(own.map((alarm) => alarm.severity));
    return { severity, reason: own.find((alarm) => alarm.severity === severity)?.text ?? "" };
  };
  let changed = 0;
  const write = (subject: HealthSubject, id: number, state: { severity: Severity; reason: string }) => {
    if (writeHealth(db, subject, id, state.severity, state.reason, atMs)) changed++;
  };
  const services = new Set<number>();
  const components = new Set<number>();
  for (const { type, id } of subjects) {
    if (type === "service") services.add(id);
    if (type !== "component" || components.has(id)) continue;
    components.add(id);
    write("component", id, stateOf("component", id));
    for (const service of servicesOf.get(id) ?? []) services.add(service.id);
  }
  if (services.size === 0) return changed;
  const details = new Map(listServices(db).map((one) => [one.id, one.details]));
  for (const id of services) {
    const members = membersOfService(db, id, details.get(id) ?? {}, atMs, (component) =>
      stateOf("component", component),
    );
    const state = membersState(members, details.get(id)?.state ?? { rule: "worst" });
    write("members", id, state);
    const own = stateOf("service", id);
    const measured = isMeasured(id) || own.severity !== "cleared";
    const entered = () =>
      worseOf(entryState(db, id, alarmsOf, takes, atMs), workState(db, id, servicesOf, alarmsOf, atMs));
    write("service", id, measured ? worseOf(own, entered()) : state);
  }
  return changed;
}

interface State {
  severity: Severity;
  reason: string;
}

const worseOf = (one: State, other: State): State =>
  severityRank(other.severity) > severityRank(one.severity) ? other : one;

/**
 * How calls are answered where a service is entered. One operation at one of several entry points that goes badly hurts
 * those who use it, though among all calls it is hardly seen; it is no more than major, since others are answered.
 */
function entryState(
  db: Db,
  id: number,
  alarmsOf: ReadonlyMap<string, readonly AlarmRow[]>,
  takes: HealthContext["takes"],
  atMs: number,
): State {
  let state: State = { severity: "cleared", reason: "" };
  for (const { component_id, entry } of membersOf(db, id, atMs)) {
    if (!entry) continue;
    for (const alarm of alarmsOf.get(`component:${component_id}`) ?? [])
      // What an entry point itself calls is not what it answers, and what it answers for another service not its own.
      if (
        alarm.metric.startsWith("calls.") &&
        !alarm.qualifier.startsWith("to ") &&
        takes(id, component_id, alarm.qualifier) &&
        !isOfMessages(db, component_id, alarm)
      )
        state = worseOf(state, {
          severity: alarm.severity === "critical" ? "major" : alarm.severity,
          reason: `${alarm.subject}: ${alarm.text}`,
        });
  }
  return state;
}

/** What keeps somebody who takes work from a queue from doing it. */
const HINDERS: ReadonlySet<Nature> = new Set(["failing", "slow", "pool", "queue", "down", "crash"]);

/**
 * How the work is done that nobody waits for, of which the answers where a service is entered tell nothing: messages that
 * pile up with a broker which serves this service alone, or that fail with one who takes them for it alone;
 * and entry points that answer no calls and take their work themselves, where all of a kind are hindered. It is no more
 * than major: it is done later.
 */
function workState(
  db: Db,
  id: number,
  servicesOf: HealthContext["servicesOf"],
  alarmsOf: ReadonlyMap<string, readonly AlarmRow[]>,
  atMs: number,
): State {
  const members = membersOf(db, id, atMs);
  const told = (component: number, is: (nature: Nature, alarm: AlarmRow) => boolean): State => {
    const [first, ...others] = (alarmsOf.get(`component:${component}`) ?? [])
      .filter((alarm) => severityRank(alarm.severity) >= severityRank("minor") && is(natureOf(alarm.metric), alarm))
      .map(({ severity, subject, text }): State => ({
        severity: severity === "critical" ? "major" : severity,
        reason: `${subject}: ${text}`,
      }));
    return first ? others.reduce(worseOf, first) : WELL;
  };
  let state = WELL;
  for (const { component_id: one } of members)
    if (servicesOf.get(one)?.length === 1)
      state = worseOf(
        state,
        told(one, (nature, alarm) => nature === "queue" || (nature === "failing" && isOfMessages(db, one, alarm))),
      );
  const hindered = members.flatMap(({ component_id: one, entry }) =>
    entry ? { one, state: told(one, (nature) => HINDERS.has(nature)) } : [],
  );
  if (hindered.every((worker) => worker.state === WELL)) return state;
  const rows = new Map(
    componentsById(
      db,
      hindered.map((worker) => worker.one),
    ).map((row) => [row.id, row]),
  );
  for (const [label, workers] of groupBy(hindered, (worker) => rows.get(worker.one)?.label ?? "")) {
    if (label === "" || workers.some((worker) => worker.state === WELL || !takesWork(db, worker.one))) continue;
    // As much as the one that is hindered least.
    const least = workers.reduce((one, other) => (worseOf(one.state, other.state) === one.state ? other : one));
    state = worseOf(state, least.state);
  }
  return state;
}

const WELL: State = { severity: "cleared", reason: "" };

/** Whether an alarm is of what somebody does with messages. */
const isOfMessages = (db: Db, componentId: number, { metric, qualifier }: AlarmRow): boolean =>
  metric.startsWith("calls.") &&
  !qualifier.startsWith("to ") &&
  (operationsOf(db, resourcesOf(db, componentId)).some((one) => one.kind === CONSUMING && one.name === qualifier) ||
    takesWork(db, componentId));

/** Whether it tells of itself, and of no answers to anybody who waits: neither by spans nor by counts. */
function takesWork(db: Db, componentId: number): boolean {
  const resources = resourcesOf(db, componentId);
  return (
    resources.length > 0 &&
    !operationsOf(db, resources).some((one) => ANSWERING.has(one.kind) && one.kind !== CONSUMING) &&
    !hasSeriesOf(db, componentId, ANSWER_COUNTS)
  );
}

/** The members of a service as its health is judged; what their sets and weights are is read where its rule asks. */
function membersOfService(
  db: Db,
  id: number,
  { state }: ServiceDetails,
  atMs: number,
  stateOf: (componentId: number) => { severity: Severity; reason: string },
): MemberHealth[] {
  const ids = membersOf(db, id, atMs).map((row) => row.component_id);
  const states = ids.map((one) => ({ id: one, ...stateOf(one) }));
  if (states.every((one) => one.severity === "cleared")) return [];
  const rows = new Map(componentsById(db, ids).map((row) => [row.id, row]));
  const hosts = new Map(
    componentsById(
      db,
      [...rows.values()].flatMap((row) => row.host_id ?? []),
    ).map((row) => [row.id, row]),
  );
  const sets = new Map<number, string>();
  if (state?.rule === "quorum") {
    const candidate = (one: number): Candidate | undefined => {
      const row = rows.get(one) ?? hosts.get(one);
      return (
        row && {
          id: one,
          name: row.name,
          kind: row.kind,
          hostId: row.host_id,
          label: row.label,
          services: [],
          entryOf: [],
        }
      );
    };
    for (const set of redundantSets(ids, candidate)) for (const one of set.members) sets.set(one, set.label);
  }
  const weightOf = (name: string, kind: string) =>
    state?.weights?.find(({ pattern }) => fitsPattern(pattern, name) || kindMatches(pattern, kind))?.weight ?? 1;
  return states.map(({ id: one, severity, reason }) => {
    const { name = "", kind = "" } = rows.get(one) ?? {};
    return { name, severity, reason, set: sets.get(one) ?? null, weight: weightOf(name, kind) };
  });
}
