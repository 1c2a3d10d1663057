import { severityRank, type Severity } from "#core/alarms/severity";
import { causesOf } from "../../causes/causes";
import { withoutRepaired } from "../../causes/repaired";
import { harmMapAt } from "../../causes/harm-map";
import { alarmChanges, type AlarmChangeRow } from "../../store/alarms";
import type { Db } from "../../store/database";
import { componentById } from "../../store/estate";
import { alarmsOfIncident, incidentEvents, type IncidentRow } from "../../store/incidents";
import type { RunRow } from "../../store/runs";
import { listServices } from "../../store/services";

type IncidentAlarm = ReturnType<typeof alarmsOfIncident>[number];

const worstOf = (severities: readonly Severity[]): Severity =>
  severities.reduce((worst, one) => (severityRank(one) > severityRank(worst) ? one : worst), "cleared");

/** The alarms of an incident as they stood at an instant, with their words of then; what came later is not among them. */
function alarmsThen(db: Db, id: number, atMs: number): IncidentAlarm[] {
  const alarms = alarmsOfIncident(db, id).filter((one) => one.raised_at <= atMs && one.joined_at <= atMs);
  const changes = new Map<number, AlarmChangeRow[]>(alarms.map((one) => [one.id, []]));
  for (const change of alarmChanges(db, [...changes.keys()]))
    if (change.at <= atMs) changes.get(change.alarm_id)?.push(change);
  return alarms.map((alarm) => {
    const own = changes.get(alarm.id) ?? [];
    const last = own.at(-1);
    const isSeen = alarm.acknowledged_at !== null && alarm.acknowledged_at <= atMs;
    return {
      ...alarm,
      severity: last?.severity ?? alarm.severity,
      worst: own.length ? worstOf(own.map((one) => one.severity)) : alarm.worst,
      text: last?.text ?? alarm.text,
      changed_at: last?.at ?? alarm.raised_at,
      cleared_at: last?.severity === "cleared" ? last.at : null,
      acknowledged_by: isSeen ? alarm.acknowledged_by : null,
      acknowledged_at: isSeen ? alarm.acknowledged_at : null,
    };
  });
}

/**
 * An incident as it stood at an instant: its causes are worked out anew from what was known then, of the estate as it was
 * then. Whose it was is told only from when its present owner has it.
 */
function rowThen(db: Db, incident: IncidentRow, alarms: readonly IncidentAlarm[], atMs: number): IncidentRow {
  const isBy = (ms: number | null) => ms !== null && ms <= atMs;
  const standing = worstOf(alarms.flatMap((one) => (one.cleared_at === null ? [one.severity] : [])));
  const isConfirmed = isBy(incident.confirmed_at);
  const isPrioritised = incidentEvents(db, incident.id).some((one) => one.kind === "priority" && one.at <= atMs);
  return {
    ...incident,
    severity: standing === "cleared" ? incident.severity : standing,
    worst: worstOf(alarms.map((one) => one.worst)),
    resolved_at: isBy(incident.resolved_at) ? incident.resolved_at : null,
    suspect_alarm_id: alarms.some((one) => one.id === incident.suspect_alarm_id)
      ? incident.suspect_alarm_id
      : (alarms[0]?.id ?? null),
    causes: causesThen(db, incident.id, alarms, atMs),
    taken_by: isBy(incident.taken_at) ? incident.taken_by : null,
    waiting_for: "",
    priority: isPrioritised ? incident.priority : null,
    confirmed: isConfirmed ? incident.confirmed : null,
    confirmed_by: isConfirmed ? incident.confirmed_by : null,
    confirmed_at: isConfirmed ? incident.confirmed_at : null,
    merged_into: null,
  };
}

/** An incident with its alarms as of an instant, kept within the time while it lasts; as it is now where none is asked for. */
export function incidentAsOf(db: Db, kept: IncidentRow, asked: { nowMs: number; thenMs?: number }) {
  if (asked.thenMs === undefined)
    return { thenMs: null, nowMs: asked.nowMs, incident: kept, alarms: alarmsOfIncident(db, kept.id) };
  const latest = Math.min(asked.nowMs, kept.resolved_at ?? asked.nowMs);
  const thenMs = Math.min(latest, Math.max(asked.thenMs, kept.opened_at));
  const alarms = alarmsThen(db, kept.id, thenMs);
  return { thenMs, nowMs: thenMs, incident: rowThen(db, kept, alarms, thenMs), alarms };
}

function causesThen(db: Db, id: number, alarms: readonly IncidentAlarm[], atMs: number): IncidentRow["causes"] {
  const harm = harmMapAt(db, atMs);
  const services = new Map(listServices(db).map((one) => [one.id, one.name]));
  return causesOf(
    db,
    withoutRepaired(db, id, alarms, () => harm.graph, atMs),
    harm,
    ({ type, id }) => (type === "service" ? services.get(id) : componentById(db, id)?.name) ?? `${type} ${id}`,
    atMs,
  );
}

/** Runs as they stood at an instant. */
export const runsThen = (runs: readonly RunRow[], atMs: number): RunRow[] =>
  runs.flatMap((run) => {
    if (run.started_at > atMs) return [];
    const isOver = run.ended_at !== null && run.ended_at <= atMs;
    const isProved = run.proof_at !== null && run.proof_at <= atMs;
    return [
      {
        ...run,
        ...(isOver ? {} : { state: "running" as const, ended_at: null, message: null, rollback: null }),
        ...(isProved ? {} : { proof: null, proof_text: "", proof_at: null }),
      },
    ];
  });

/** The instants at which something happened in an incident, in order: its page can be read as it was at each. */
export const instantsOf = (db: Db, incident: IncidentRow, nowMs: number): number[] => [
  ...new Set(
    incidentEvents(db, incident.id)
      .map((one) => one.at)
      .filter((at) => at >= incident.opened_at && at <= nowMs),
  ),
];
