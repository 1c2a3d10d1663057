import { severityRank } from "#core/alarms/severity";
import { incidentSentence } from "#core/correlation/sentence";
import { MINUTE_MS } from "#core/time/windows";
import { reliantServices } from "#core/topology/graph";
import { formatValue } from "#core/units/format";
import type { AlarmChangeRow } from "../../store/alarms";
import { relianceAt, type ServiceRow } from "../../store/services";
import { readSamples, seriesById } from "../../store/signals";
import { beganAt } from "./evidence";
import { guestsOf, leadingGuest } from "../guests";
import type { Scene, IncidentAlarm } from "./scene";

export function sentenceOf(
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
