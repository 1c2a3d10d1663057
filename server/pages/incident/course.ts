import { MINUTE_MS } from "#core/time/windows";
import type { AlarmChangeRow } from "../../store/alarms";
import { changesOf } from "../../store/changes";
import { componentsById, partsOfHost } from "../../store/estate";
import { incidentEvents } from "../../store/incidents";
import type { ServiceRow } from "../../store/services";
import { seriesById, seriesOfMetric, seriesOfService } from "../../store/signals";
import type { ChartData } from "#core/drawing/chart";
import { lanesOf, type LaneMark } from "#core/drawing/lanes";
import { chartOf, chartsCommon } from "../charts";
import { changesBefore, loudPatterns } from "./evidence";
import type { Scene, IncidentAlarm } from "./scene";

/** Whose acts are nobody's. */
const SYSTEM = "Holotaxis";

const MOST_LANES = 12;
const MOST_FIGURES = 3;
const MOST_CHARTS = 6;

/** What happened on each part, on the axis of the charts. */
export function axisOf(
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

/**
 * What is measured where it went wrong, and the business figures of what is affected, as many as can be read at a
 * glance.
 */
export function chartsOf(
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

export interface TimelineEntry {
  atMs: number;
  kind: string;
  text: string;
  by: string;
}

export function timelineOf(
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
