import { kindInfo, kindMatches } from "#core/catalogue/kinds";
import { metricInfo } from "#core/catalogue/metrics";
import { natureOf } from "#core/correlation/harm";
import { leadingShare, type UsedMost } from "#core/correlation/odd-process";
import { priorityOf, type ServiceHarm } from "#core/correlation/priority";
import { severityRank } from "#core/alarms/severity";
import { incidentSentence } from "#core/correlation/sentence";
import { MINUTE_MS } from "#core/time/windows";
import { reliantServices } from "#core/topology/graph";
import { formatValue } from "#core/units/format";
import { readKits } from "../kits/kits";
import { alarmById, alarmChanges, readSnapshot, type AlarmChangeRow } from "../store/alarms";
import { changesOf } from "../store/changes";
import type { Db } from "../store/database";
import { componentById, componentsById, partsOfHost, type ComponentRow } from "../store/estate";
import { relationsOf } from "../store/relations";
import { evidenceOfIncident } from "../store/evidence";
import {
  alarmCounts,
  alarmsOfIncident,
  incidentById,
  incidentEvents,
  incidentsAt,
  incidentsIn,
  type IncidentRow,
} from "../store/incidents";
import { messagesIn } from "../store/outbox";
import { actsForIncident } from "./policies";
import { repairOffers } from "./incident-repair";
import { runsOfIncident } from "../store/runs";
import { neighbourhood } from "../causes/neighbourhood";
import { CHANGE_MS } from "../causes/past-facts";
import { placed } from "./cause-places";
import { notesFor } from "./incident-notes";
import { listServices, relianceAt, type ServiceRow } from "../store/services";
import { readSamples, seriesById, seriesOfMetric, seriesOfService } from "../store/signals";
import type { ChartData } from "#core/drawing/chart";
import { lanesOf, type LaneMark } from "#core/drawing/lanes";
import { chartOf, chartsCommon } from "./charts";
import {
  beganAt,
  changesBefore,
  harmOf,
  hurtServices,
  loudPatterns,
  similarIncidents,
  takingPart,
  tracePairs,
} from "./incident-evidence";
import { listAccounts } from "../store/people";
import { guestsOf, leadingGuest } from "./guests";
import { mapPage } from "./map/page";
import { incidentAsOf, instantsOf, runsThen } from "./incident-then";
import { oddAmongSiblings } from "./siblings";
import { troubledOperations } from "./troubled-operations";

export interface IncidentsQuestion {
  fromMs: number;
  toMs: number;
  state: string;
  /** Words of the title, a cause or a number; all where it is left out. */
  text?: string;
  /** With whom it is; "nobody" for those that nobody took. */
  person?: string;
  service?: number | null;
  order?: "newest" | "oldest" | "priority" | "longest" | "alarms";
}

/** Incidents of a span by what is asked of them. */
export function incidentList(db: Db, question: IncidentsQuestion) {
  const { fromMs, toMs, state, text = "", person = "", service = null, order = "newest" } = question;
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  const fits = (row: IncidentRow) => {
    const said = [`${row.id}`, row.title, row.confirmed?.name ?? row.causes[0]?.name ?? "", row.waiting_for]
      .join(" ")
      .toLowerCase();
    return (
      (state !== "open" || isOpenAt(row, toMs)) &&
      (state !== "resolved" || !isOpenAt(row, toMs)) &&
      words.every((word) => said.includes(word)) &&
      (person === "" || (person === NOBODY ? row.taken_by === null : row.taken_by === person)) &&
      (service === null || row.services.some((one) => one.id === service))
    );
  };
  const rows = incidentsIn(db, fromMs, toMs).filter(fits);
  const counts = alarmCounts(
    db,
    rows.map((row) => row.id),
  );
  const hurt = hurtServices(
    db,
    rows.map((row) => row.id),
  );
  const lines = rows.map((row) => ({
    ...row,
    isOpen: isOpenAt(row, toMs),
    alarmCount: counts.get(row.id)?.all ?? 0,
    shownPriority: row.priority ?? priorityOf(row.services.map(({ id }) => hurt.get(`${row.id} ${id}`) ?? RELIES)),
  }));
  const length = (row: IncidentRow) => (row.resolved_at ?? toMs) - row.opened_at;
  const orders: Record<NonNullable<IncidentsQuestion["order"]>, (a: Line, b: Line) => number> = {
    newest: (a, b) => b.opened_at - a.opened_at,
    oldest: (a, b) => a.opened_at - b.opened_at,
    priority: (a, b) => Number(b.isOpen) - Number(a.isOpen) || a.shownPriority - b.shownPriority,
    longest: (a, b) => length(b) - length(a),
    alarms: (a, b) => b.alarmCount - a.alarmCount,
  };
  type Line = (typeof lines)[number];
  return lines.sort((a, b) => orders[order](a, b) || b.opened_at - a.opened_at || b.id - a.id);
}

/** Asked for as the person of incidents that nobody took. */
export const NOBODY = "nobody";
/** Whose acts are nobody's. */
const SYSTEM = "Holotaxis";
const RELIES: ServiceHarm = { isHurt: false, severity: "warning" };

const isOpenAt = (row: IncidentRow, atMs: number) => row.resolved_at === null || row.resolved_at > atMs;

/** Time before the start that an incident's charts show. */
const LEAD_MS = 15 * MINUTE_MS;
const TRAIL_MS = 5 * MINUTE_MS;
const MOST_OTHERS = 20;
const MOST_FIGURES = 3;
const MOST_CHARTS = 6;
const MOST_MESSAGES = 100;

export interface TimelineEntry {
  atMs: number;
  kind: string;
  text: string;
  by: string;
}

type IncidentAlarm = ReturnType<typeof alarmsOfIncident>[number];

/** What the parts of an incident's page are made from. */
interface Scene {
  db: Db;
  incident: IncidentRow;
  alarms: IncidentAlarm[];
  suspect: IncidentAlarm | undefined;
  /** What is taken for the cause, and the host that it runs on or is: where things are measured and run. */
  suspectId: number | undefined;
  hostId: number | undefined;
  components: number[];
  isOpen: boolean;
  nowMs: number;
  fromMs: number;
  seenUntil: number;
  leading: ReturnType<typeof leadingShare>;
}

export interface IncidentQuestion {
  id: number;
  nowMs: number;
  root: string;
  /** An instant of the incident: the page is as it was then. */
  thenMs?: number;
}

/** An incident's scene as it is, or as it was at an instant, with what its alarms lead to; undefined where there is none. */
function sceneOf(db: Db, { id, ...asked }: Omit<IncidentQuestion, "root">) {
  const kept = incidentById(db, id);
  if (!kept) return undefined;
  const { thenMs, nowMs, incident, alarms } = incidentAsOf(db, kept, asked);
  const suspect = alarms.find((alarm) => alarm.id === incident.suspect_alarm_id) ?? alarms[0];
  // The likeliest cause, though it may have no alarm; else what the leading alarm is on.
  const suspectId =
    incident.confirmed?.componentId ?? incident.causes[0]?.componentId ?? suspect?.component_id ?? undefined;
  const suspectRow = suspectId === undefined ? undefined : componentById(db, suspectId);
  const began = beganAt(incident, alarms);
  const fromMs = began - LEAD_MS;
  const toMs = Math.max(fromMs + 2 * LEAD_MS, incident.resolved_at === null ? nowMs : incident.resolved_at + TRAIL_MS);
  const snapshot = suspect && snapshotOf(db, suspect, alarms, nowMs);
  const uses = suspect && metricInfo(suspect.metric).uses;
  const scene: Scene = {
    db,
    incident,
    alarms,
    suspect,
    suspectId,
    hostId: suspectRow?.host_id ?? suspectId,
    components: [...new Set(alarms.flatMap((alarm) => alarm.component_id ?? []))],
    isOpen: incident.resolved_at === null,
    nowMs,
    fromMs,
    seenUntil: Math.min(nowMs, toMs),
    leading: snapshot && uses === "memory" ? leadingShare(snapshot.processes, snapshot.memoryBytes) : undefined,
  };
  return { kept, thenMs, scene, suspectRow, began, snapshot, uses };
}

/** What may be done: runbooks that fit, what policies say, and what was run. */
function repairOf(scene: Scene, thenMs: number | null, suspectRow: ComponentRow | undefined) {
  const { db, incident, alarms, suspect, hostId } = scene;
  const hostRow = hostId === undefined ? undefined : componentById(db, hostId);
  const silent = hostRow !== undefined && isSilent(scene, hostRow);
  const kept = runsOfIncident(db, incident.id);
  const runs = thenMs === null ? kept : runsThen(kept, thenMs);
  return {
    host: hostRow ? { componentId: hostRow.id, name: hostRow.name } : null,
    runbooks: repairOffers(db, {
      targets: [suspectRow, hostRow],
      line: incident.causes[0]?.line ?? null,
      metric: suspect?.metric ?? "",
      alarms: [...(suspect ? [suspect] : []), ...alarms.filter((alarm) => alarm.cleared_at === null)],
      changes: changesOfCause(scene),
      leading: scene.leading?.name,
      isSilent: silent,
      runs,
    }),
    acts: actsOnCauses(scene),
    isSilent: silent,
    runs,
  };
}

/** Who and what else has to do with it: what was pinned and told, who could take it, other incidents. */
function besideOf({ db, incident: { id }, nowMs }: Scene) {
  return {
    evidence: evidenceOfIncident(db, id).filter((one) => one.pinned_at <= nowMs),
    messages: messagesIn(db, { fromMs: 0, toMs: nowMs, incidentId: id, limit: MOST_MESSAGES }),
    people: listAccounts(db)
      .filter((one) => one.closedAt === null)
      .map((one) => one.name),
    others: incidentsAt(db, nowMs)
      .filter((row) => row.id !== id)
      .slice(0, MOST_OTHERS)
      .map((row) => ({ id: row.id, title: row.title })),
  };
}

/**
 * Everything about an incident: what is wrong in words, the figures around it, what happened when, and what to do; as
 * it is, or as it was at an instant while it lasted.
 */
export function incidentPage(db: Db, { root, ...asked }: IncidentQuestion) {
  const found = sceneOf(db, asked);
  if (!found) return null;
  const { kept, thenMs, scene, suspectRow, began, snapshot, uses } = found;
  const { incident, alarms, suspect, nowMs } = scene;
  const guests = suspect && kindInfo(suspect.kind).hasGuests ? guestsAtWorst(scene, suspect) : [];
  const services = new Map(listServices(db).map((service) => [service.id, service]));
  const changes = alarmChanges(
    db,
    alarms.map((alarm) => alarm.id),
  );
  const kits = readKits(root)
    .filter((kit) => kindMatches(kit.kind, suspect?.kind ?? ""))
    // What is written for a kind goes before what is written for its family.
    .sort((a, b) => b.kind.length - a.kind.length);
  const parts = takingPart(db, incident, alarms);
  const logs = loudPatterns(db, parts, began, scene.seenUntil);
  const before = changesBefore(db, parts, began, nowMs);
  return {
    incident: {
      ...incident,
      causes: placed(db, withOperations(scene, began)),
      reasons: JSON.parse(incident.suspect_reasons) as string[],
    },
    /** The instant as of which it is shown; null for now. */
    thenMs,
    instants: thenMs === null ? [] : instantsOf(db, kept, asked.nowMs),
    isOpen: scene.isOpen,
    beganMs: began,
    sentence: sentenceOf(scene, changes, services, uses === "cpu" ? guests : []),
    suspect: suspectRow
      ? { componentId: suspectRow.id, name: suspectRow.name, kind: suspectRow.kind, address: suspectRow.address }
      : null,
    odd: suspectRow
      ? oddAmongSiblings(db, {
          id: suspectRow.id,
          atMs: Math.min(nowMs, incident.resolved_at ?? nowMs),
          fromMs: scene.fromMs,
        })
      : null,
    services: incident.services.flatMap(({ id: serviceId }) => services.get(serviceId) ?? []),
    alarms,
    timeline: timelineOf(scene, changes),
    fromMs: scene.fromMs,
    toMs: scene.seenUntil,
    axis: axisOf(scene, before, logs),
    charts: chartsOf(scene, services),
    guests,
    snapshot: snapshot ? { ...snapshot, by: shortOf(alarms), on: snapshotHost(db, snapshot.alarmId) } : null,
    // A resolved incident is shown as it was left.
    map: mapPage(db, { atMs: shownAt(scene), fromMs: began, incident: asked.id }),
    notes: notesFor(db, suspect?.metric ?? "", kits, componentById(db, suspect?.component_id ?? 0)?.kind),
    ...repairOf(scene, thenMs, suspectRow),
    harm: harmOf(db, incident, alarms, scene.seenUntil),
    logs,
    traces: tracePairs(db, parts, began, scene.seenUntil),
    changes: before,
    similar: similarIncidents(db, incident, alarms),
    ...besideOf(scene),
  };
}

/** What policies say; while it is open, only of what is taken for a cause of it now: what they said before is out of date. */
function actsOnCauses({ db, incident, isOpen, seenUntil }: Scene): ReturnType<typeof actsForIncident> {
  const acts = actsForIncident(db, incident.id);
  if (!isOpen || acts.every((act) => act.run_id !== null)) return acts;
  const roots = incident.causes.filter((cause) => cause.isRoot).flatMap((cause) => cause.componentId ?? []);
  const near = new Set(roots.flatMap((root) => [...neighbourhood(db, root, seenUntil)]));
  return acts.filter((act) => act.run_id !== null || near.has(act.component_id));
}

/** Kinds of the changes just before on the cause, its host or its parts. */
function changesOfCause({ db, incident, suspectId, seenUntil }: Scene): Set<string> {
  if (suspectId === undefined) return new Set();
  const near = neighbourhood(db, suspectId, seenUntil);
  return new Set(changesOf(db, [...near], incident.opened_at - CHANGE_MS, seenUntil, 50).map((one) => one.kind));
}

/** The causes, the first with the operations that alone go badly, where it is not the whole of it. */
function withOperations({ db, incident, seenUntil }: Scene, beganMs: number) {
  const [first, ...others] = incident.causes;
  const found = first?.componentId ? troubledOperations(db, first.componentId, beganMs, seenUntil) : null;
  if (!first || found === null) return incident.causes;
  const [own = found, ...more] = first.reasons;
  return [{ ...first, reasons: own === found ? [found] : [own, found, ...more] }, ...others];
}

/** A resolved incident is shown as it was left, while something was wrong still. */
const shownAt = ({ incident, nowMs }: Pick<Scene, "incident" | "nowMs">) =>
  Math.min(nowMs, incident.resolved_at === null ? nowMs : incident.resolved_at - 1);

const MOST_LANES = 12;

/** What happened on each part, on the axis of the charts. */
function axisOf(
  { db, incident, alarms, fromMs, seenUntil, nowMs }: Scene,
  changes: ReturnType<typeof changesBefore>,
  logs: ReturnType<typeof loudPatterns>,
) {
  const marks: LaneMark[] = [
    ...changes.map((one): LaneMark => ({
      atMs: one.at,
      what: "change",
      text: `Change: ${one.summary}${one.standing === "none" ? ", without a ticket" : ""}`,
      componentId: one.component_id,
    })),
    ...logs.map((one): LaneMark => ({
      atMs: one.firstMs,
      what: "log",
      text: `${one.isNew ? "New in its log" : "Much more often in its log"}: ${one.text}`,
      componentId: one.componentId,
    })),
    ...incidentEvents(db, incident.id).flatMap((one): LaneMark[] =>
      one.by_whom === SYSTEM || one.at > nowMs
        ? []
        : [{ atMs: one.at, what: "act", text: `${one.text} · ${one.by_whom}`, componentId: null }],
    ),
  ];
  const names = new Map(
    componentsById(db, new Set(marks.flatMap((one) => one.componentId ?? []))).map((row) => [row.id, row.name]),
  );
  const named = incident.confirmed ? [incident.confirmed] : incident.causes.filter((one) => one.isRoot);
  return lanesOf({
    fromMs,
    toMs: seenUntil,
    marks,
    alarms: alarms.map((one) => ({
      key: `${one.subject_type}:${one.subject_id}`,
      name: one.subject,
      componentId: one.component_id,
      severity: one.worst,
      text: one.text,
      onsetMs: one.onset_at,
      clearedMs: one.cleared_at,
    })),
    causes: named.flatMap(({ componentId, name }) => (componentId === null ? [] : [{ componentId, name }])),
    nameOf: (id) => names.get(id),
    most: MOST_LANES,
  });
}

/** The processes of the host of the suspected alarm when it was raised, else of the first other of which they are known. */
function snapshotOf(db: Db, suspect: IncidentAlarm, alarms: readonly IncidentAlarm[], untilMs: number) {
  for (const { id } of [suspect, ...alarms]) {
    const read = readSnapshot(db, id);
    if (read && read.atMs <= untilMs) return { ...read, alarmId: id };
  }
  return undefined;
}

function snapshotHost(db: Db, alarmId: number) {
  const on = componentById(db, alarmById(db, alarmId)?.component_id ?? 0);
  const host = on?.host_id == null ? on : componentById(db, on.host_id);
  return host ? { componentId: host.id, name: host.name } : null;
}

/** By what processes are listed first: what is short by the alarms. */
function shortOf(alarms: readonly IncidentAlarm[]): UsedMost {
  if (alarms.some((alarm) => metricInfo(alarm.metric).uses === "memory")) return "memory";
  return alarms.some((alarm) => natureOf(alarm.metric) === "pool") ? "connections" : "processor";
}

/** Whether a host does not respond: nothing can be run there. */
function isSilent({ alarms, isOpen }: Scene, { id: host }: ComponentRow): boolean {
  return (
    isOpen &&
    alarms.some(
      (one) => one.component_id === host && one.cleared_at === null && metricInfo(one.metric).uses === "reach",
    )
  );
}

function sentenceOf(
  scene: Scene,
  changes: readonly AlarmChangeRow[],
  services: ReadonlyMap<number, ServiceRow>,
  guests: ReturnType<typeof guestsOf>,
): string {
  const { db, incident, suspect, alarms, nowMs, leading } = scene;
  if (!suspect) return incident.title;
  const reliance = relianceAt(db, Math.min(nowMs, incident.opened_at + MINUTE_MS));
  const affected = new Set(incident.services.map((service) => service.id));
  const relying = [...new Set([...affected].flatMap((one) => [...reliantServices(one, reliance)]))]
    .filter((one) => !affected.has(one))
    .flatMap((one) => services.get(one)?.name ?? []);
  const crowd =
    incident.services.length === 0
      ? new Set(alarms.map((alarm) => `${alarm.subject_type}${alarm.subject_id}`)).size - 1
      : 0;
  return incidentSentence({
    services: incident.services.map((service) => service.name),
    component: crowd > 0 ? `${suspect.subject} and ${crowd} more` : suspect.subject,
    problem: problemOf(scene, spokenFor(suspect, alarms), changes),
    // What was opened by a budget that ran low, hours before it really began, is told from then on.
    openedMs: Math.max(incident.opened_at, beganAt(incident, alarms)),
    resolvedMs: incident.resolved_at,
    nowMs,
    ...(leading ? { leading } : {}),
    leadingGuest: leadingGuest(guests),
    relyingServices: relying,
    alarmCount: alarms.length,
  });
}

/** What is past its limit by now is told by that, no longer by the trend that foretold it. */
function spokenFor(suspect: IncidentAlarm, alarms: readonly IncidentAlarm[]): IncidentAlarm {
  if (suspect.detector !== "trend" || suspect.series_id === null) return suspect;
  const past = alarms.find(
    (one) =>
      one.detector === "threshold" &&
      one.series_id === suspect.series_id &&
      one.direction === suspect.direction &&
      severityRank(one.worst) >= severityRank(suspect.worst) &&
      (one.cleared_at === null || suspect.cleared_at !== null),
  );
  return past ?? suspect;
}

/**
 * What the suspected alarm said when it was at its worst, with the value that followed: the present one, or the peak.
 */
function problemOf({ db, isOpen, seenUntil }: Scene, alarm: IncidentAlarm, changes: readonly AlarmChangeRow[]): string {
  const text =
    changes.find((change) => change.alarm_id === alarm.id && change.severity === alarm.worst)?.text ?? alarm.text;
  const series = alarm.series_id === null ? undefined : seriesById(db, alarm.series_id);
  if (!series || series.unit === "0/1") return text;
  const { values } = readSamples(db, series.id, alarm.onset_at, alarm.cleared_at ?? seenUntil);
  if (values.length === 0) return text;
  const peak = values.reduce((most, value) =>
    alarm.direction === "above" ? Math.max(most, value) : Math.min(most, value),
  );
  const word = alarm.direction === "above" ? "peak" : "low";
  const last = formatValue(values[values.length - 1], series.unit);
  return isOpen
    ? `${text}; ${last} at last, ${word} ${formatValue(peak, series.unit)}`
    : `${text}; ${word} ${formatValue(peak, series.unit)}`;
}

/**
 * What is measured where it went wrong, and the business figures of what is affected, as many as can be read at a
 * glance.
 */
function chartsOf(
  { db, alarms, incident, suspectId, hostId, leading, fromMs, seenUntil }: Scene,
  services: ReadonlyMap<number, ServiceRow>,
): ChartData[] {
  const charts = new Map<number, ChartData>();
  const options = { width: 200, common: chartsCommon(db, fromMs, seenUntil) };
  const add = (seriesId: number | null | undefined) => {
    const series = seriesId ? seriesById(db, seriesId) : undefined;
    if (!series || charts.has(series.id) || charts.size >= MOST_CHARTS) return;
    charts.set(series.id, chartOf(db, series, fromMs, seenUntil, options));
  };
  // What was measured on the cause before what was measured on what it hurts.
  const isOnCause = (alarm: IncidentAlarm) => Number(alarm.component_id === suspectId || alarm.component_id === hostId);
  for (const alarm of [...alarms].sort((a, b) => isOnCause(b) - isOnCause(a))) add(alarm.series_id);
  if (hostId !== undefined) {
    const part = leading && partsOfHost(db, hostId, incident.opened_at).find((one) => one.process === leading.name);
    if (part) add(seriesOfMetric(db, part.id, "process.memory")?.id);
    for (const metric of ["cpu.used", "memory.used"]) add(seriesOfMetric(db, hostId, metric)?.id);
  }
  const figures = incident.services.slice(0, MOST_FIGURES).flatMap(({ id, name }): ChartData[] => {
    const series = seriesOfService(db, id);
    if (!series || charts.has(series.id)) return [];
    const title = services.get(id)?.figure?.label ?? series.metric;
    return [{ ...chartOf(db, series, fromMs, seenUntil, { ...options, owner: name }), title }];
  });
  return [...charts.values(), ...figures];
}

function timelineOf(
  { db, incident, alarms, components, seenUntil, nowMs }: Scene,
  changes: readonly AlarmChangeRow[],
): TimelineEntry[] {
  const parts = components.flatMap((one) => partsOfHost(db, one, incident.opened_at).map((part) => part.id));
  const altered = changesOf(db, [...components, ...parts], incident.opened_at - 24 * 60 * MINUTE_MS, seenUntil, 20);
  return [
    ...incidentEvents(db, incident.id).map(({ at, kind, text, by_whom }) => ({ atMs: at, kind, text, by: by_whom })),
    ...altered
      .filter((change) => change.kind !== "runbook")
      .map((change) => ({ atMs: change.at, kind: "change", text: change.summary, by: change.by_whom })),
    // An alarm that was raised as a warning before the incident opened is part of how it began.
    ...changes
      .filter((change) => change.at < incident.opened_at)
      .map((change) => ({
        atMs: change.at,
        kind: "raised",
        text: `${alarms.find((alarm) => alarm.id === change.alarm_id)?.subject}: ${change.severity}: ${change.text}`,
        by: "Holotaxis",
      })),
  ]
    .filter((one) => one.atMs <= nowMs)
    .sort((a, b) => a.atMs - b.atMs);
}

/**
 * The machines of a hypervisor a minute after its alarm was raised, when the polls since have told what each takes, or
 * when it ended before.
 */
function guestsAtWorst({ db, incident, nowMs }: Scene, suspect: IncidentAlarm): ReturnType<typeof guestsOf> {
  if (suspect.component_id === null) return [];
  const atMs = Math.min((incident.resolved_at ?? nowMs) - 1, suspect.raised_at + MINUTE_MS);
  return guestsOf(db, suspect.component_id, relationsOf(db, [suspect.component_id], atMs), atMs);
}
