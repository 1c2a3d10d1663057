import { kindInfo, kindMatches } from "#core/catalogue/kinds";
import { metricInfo } from "#core/catalogue/metrics";
import { natureOf } from "#core/correlation/harm";
import type { UsedMost } from "#core/correlation/odd-process";
import { MINUTE_MS } from "#core/time/windows";
import { readKits } from "../../kits/kits";
import { alarmById, alarmChanges } from "../../store/alarms";
import type { Db } from "../../store/database";
import { componentById } from "../../store/estate";
import { relationsOf } from "../../store/relations";
import { evidenceOfIncident } from "../../store/evidence";
import { incidentsAt } from "../../store/incidents";
import { messagesIn } from "../../store/outbox";
import { placed } from "../cause-places";
import { notesFor } from "./notes";
import { listServices } from "../../store/services";
import { changesBefore, harmOf, loudPatterns, similarIncidents, takingPart, tracePairs } from "./evidence";
import { listAccounts } from "../../store/people";
import { guestsOf } from "../guests";
import { mapPage } from "../map/page";
import { instantsOf } from "./then";
import { oddAmongSiblings } from "../siblings";
import { troubledOperations } from "../troubled-operations";
import { type Scene, type IncidentAlarm, type IncidentQuestion, sceneOf } from "./scene";
import { sentenceOf } from "./words";
import { axisOf, chartsOf, timelineOf } from "./course";
import { repairOf } from "./repair";

const MOST_OTHERS = 20;
const MOST_MESSAGES = 100;

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

/**
 * The machines of a hypervisor a minute after its alarm was raised, when the polls since have told what each takes, or
 * when it ended before.
 */
function guestsAtWorst({ db, incident, nowMs }: Scene, suspect: IncidentAlarm): ReturnType<typeof guestsOf> {
  if (suspect.component_id === null) return [];
  const atMs = Math.min((incident.resolved_at ?? nowMs) - 1, suspect.raised_at + MINUTE_MS);
  return guestsOf(db, suspect.component_id, relationsOf(db, [suspect.component_id], atMs), atMs);
}
