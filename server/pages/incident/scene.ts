import { metricInfo } from "#core/catalogue/metrics";
import { leadingShare } from "#core/correlation/odd-process";
import { MINUTE_MS } from "#core/time/windows";
import { readSnapshot } from "../../store/alarms";
import type { Db } from "../../store/database";
import { componentById } from "../../store/estate";
import { alarmsOfIncident, incidentById, type IncidentRow } from "../../store/incidents";
import { beganAt } from "./evidence";
import { incidentAsOf } from "./then";

/** Time before the start that an incident's charts show. */
const LEAD_MS = 15 * MINUTE_MS;
const TRAIL_MS = 5 * MINUTE_MS;

export type IncidentAlarm = ReturnType<typeof alarmsOfIncident>[number];

/** What the parts of an incident's page are made from. */
export interface Scene {
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
export function sceneOf(db: Db, { id, ...asked }: Omit<IncidentQuestion, "root">) {
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

/** The processes of the host of the suspected alarm when it was raised, else of the first other of which they are known. */
function snapshotOf(db: Db, suspect: IncidentAlarm, alarms: readonly IncidentAlarm[], untilMs: number) {
  for (const { id } of [suspect, ...alarms]) {
    const read = readSnapshot(db, id);
    if (read && read.atMs <= untilMs) return { ...read, alarmId: id };
  }
  return undefined;
}
