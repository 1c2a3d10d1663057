import { leadingShare, topProcesses } from "#core/correlation/odd-process";
import { incidentSentence } from "#core/correlation/sentence";
import { kindMatches } from "#core/catalogue/kinds";
import { reliantServices } from "#core/topology/graph";
import { MINUTE_MS } from "#core/time/windows";
import { readKits } from "../kits/kits";
import { alarmChanges, readSnapshot, type AlarmChangeRow, type AlarmRow } from "../store/alarms";
import { changesOf } from "../store/changes";
import type { Db } from "../store/database";
import { componentById, factsAt, partsOfHost, relationsOf } from "../store/estate";
import { evidenceOfIncident } from "../store/evidence";
import { alarmsOfIncident, incidentById, incidentEvents, incidentsIn, type IncidentRow } from "../store/incidents";
import { listRunbooks, runsOfIncident } from "../store/runs";
import { listServices, relianceAt } from "../store/services";
import { seriesById, seriesOfComponent, seriesOfService } from "../store/signals";
import { chartOf, type ChartData } from "./charts";
import { guestsOf, leadingGuest } from "./guests";
import { mapPage } from "./map";

export function incidentList(db: Db, { fromMs, toMs, state }: { fromMs: number; toMs: number; state: string }) {
  const rows = incidentsIn(db, fromMs, toMs).filter((row) =>
    state === "open" ? isOpenAt(row, toMs) : state === "resolved" ? !isOpenAt(row, toMs) : true,
  );
  return rows.map((row) => ({ ...row, isOpen: isOpenAt(row, toMs), alarmCount: alarmsOfIncident(db, row.id).length }));
}

const isOpenAt = (row: IncidentRow, atMs: number) => row.resolved_at === null || row.resolved_at > atMs;

/** Time before the start that an incident's charts show. */
const LEAD_MS = 15 * MINUTE_MS;
const TRAIL_MS = 5 * MINUTE_MS;
const MOST_FIGURES = 3;

export interface TimelineEntry {
  atMs: number;
  kind: string;
  text: string;
  by: string;
}

export function incidentPage(db: Db, { id, nowMs, root }: { id: number; nowMs: number; root: string }) {
  const incident = incidentById(db, id);
  if (!incident) return null;
  const alarms = alarmsOfIncident(db, id);
  const suspect = alarms.find((alarm) => alarm.id === incident.suspect_alarm_id) ?? alarms[0];
  const fromMs = incident.opened_at - LEAD_MS;
  const toMs = Math.max(fromMs + 2 * LEAD_MS, incident.resolved_at === null ? nowMs : incident.resolved_at + TRAIL_MS);
  const seenUntil = Math.min(nowMs, toMs);
  const snapshot =
    suspect && (readSnapshot(db, suspect.id) ?? alarms.map((alarm) => readSnapshot(db, alarm.id)).find(Boolean));
  const leading =
    snapshot && suspect?.alarm_type.startsWith("memory")
      ? leadingShare(snapshot.processes, snapshot.memoryBytes)
      : undefined;
  const crowd = incident.services.length === 0 ? new Set(alarms.map((alarm) => alarm.component_id)).size - 1 : 0;
  const guests =
    suspect?.kind === "host.hypervisor"
      ? guestsAtWorst(db, suspect, incident.resolved_at === null ? nowMs : incident.resolved_at)
      : [];
  const names = new Map(listServices(db).map((service) => [service.id, service]));
  const reliance = relianceAt(db, Math.min(nowMs, incident.opened_at + MINUTE_MS));
  const affected = new Set(incident.services.map((service) => service.id));
  const relying = [...new Set([...affected].flatMap((one) => [...reliantServices(one, reliance)]))]
    .filter((one) => !affected.has(one))
    .flatMap((one) => names.get(one) ?? []);
  const charts: ChartData[] = [];
  const charted = new Set<number>();
  const add = (seriesId: number | null | undefined) => {
    const series = seriesId ? seriesById(db, seriesId) : undefined;
    if (!series || charted.has(series.id) || charts.length >= 6) return;
    charted.add(series.id);
    charts.push(chartOf(db, series, fromMs, seenUntil, { width: 200 }));
  };
  for (const alarm of alarms) add(alarm.series_id);
  if (suspect) {
    const process =
      leading &&
      partsOfHost(db, suspect.component_id, incident.opened_at).find((part) =>
        part.name.startsWith(`${leading.name} @`),
      );
    if (process) add(seriesOfComponent(db, process.id).find((series) => series.metric === "process.memory")?.id);
    for (const metric of ["cpu.used", "memory.used"])
      add(seriesOfComponent(db, suspect.component_id).find((series) => series.metric === metric)?.id);
  }
  // What people feel: the business figures of what is affected, as many as can be read at a glance.
  for (const { id: serviceId, name } of incident.services.slice(0, MOST_FIGURES)) {
    const series = seriesOfService(db, serviceId);
    if (series)
      charts.push({
        ...chartOf(db, series, fromMs, seenUntil, { width: 200, owner: name }),
        title: names.get(serviceId)?.figure?.label ?? series.metric,
      });
  }
  const changes = alarmChanges(
    db,
    alarms.map((alarm) => alarm.id),
  );
  const componentIds = [...new Set(alarms.map((alarm) => alarm.component_id))];
  const timeline: TimelineEntry[] = [
    ...incidentEvents(db, id).map((event) => ({
      atMs: event.at,
      kind: event.kind,
      text: event.text,
      by: event.by_whom,
    })),
    ...changesOf(
      db,
      [
        ...componentIds,
        ...componentIds.flatMap((one) => partsOfHost(db, one, incident.opened_at).map((part) => part.id)),
      ],
      incident.opened_at - 24 * 60 * MINUTE_MS,
      seenUntil,
      20,
    )
      .filter((change) => change.kind !== "runbook")
      .map((change) => ({ atMs: change.at, kind: "change", text: change.summary, by: change.by_whom })),
    // An alarm that was raised as a warning before the incident opened is part of how it began.
    ...changes
      .filter((change) => change.at < incident.opened_at)
      .map((change) => ({
        atMs: change.at,
        kind: "raised",
        text: `${alarms.find((alarm) => alarm.id === change.alarm_id)?.component}: ${change.severity}: ${change.text}`,
        by: "Holotaxis",
      })),
  ].sort((a, b) => a.atMs - b.atMs);
  const suspectRow = suspect && componentById(db, suspect.component_id);
  // What is written for a kind goes before what is written for its family.
  const kits = readKits(root)
    .filter((kit) => suspectRow && kindMatches(kit.kind, suspectRow.kind))
    .sort((a, b) => b.kind.length - a.kind.length);
  const metricOf = suspect?.alarm_type.replace(/\.(high|low)$/, "") ?? "";
  const offers = suspectRow
    ? listRunbooks(db)
        .filter((runbook) => runbook.definition.kinds.some((pattern) => kindMatches(pattern, suspectRow.kind)))
        // Runbooks that check the metric in alarm come first.
        .sort((a, b) => Number(checks(b.definition.steps, metricOf)) - Number(checks(a.definition.steps, metricOf)))
        .map((runbook) => ({
          id: runbook.id,
          name: runbook.name,
          purpose: runbook.definition.purpose,
          fits: checks(runbook.definition.steps, metricOf),
          args: offeredArguments(db, runbook.definition.parameters, suspectRow.id, leading?.name, suspect.qualifier),
        }))
    : [];
  return {
    incident: { ...incident, reasons: JSON.parse(incident.suspect_reasons) as string[] },
    isOpen: incident.resolved_at === null,
    sentence: suspect
      ? incidentSentence({
          services: incident.services.map((service) => service.name),
          component: crowd > 0 ? `${suspect.component} and ${crowd} more` : suspect.component,
          problem: textAtWorst(changes, suspect),
          openedMs: incident.opened_at,
          resolvedMs: incident.resolved_at,
          nowMs,
          ...(leading ? { leading } : {}),
          ...(suspect.alarm_type.startsWith("cpu") ? { leadingGuest: leadingGuest(guests) } : {}),
          relyingServices: relying.map((service) => service.name),
          alarmCount: alarms.length,
        })
      : incident.title,
    suspect: suspect
      ? {
          componentId: suspect.component_id,
          name: suspect.component,
          kind: suspect.kind,
          address: suspectRow?.address ?? null,
        }
      : null,
    services: incident.services.flatMap(({ id: serviceId }) => names.get(serviceId) ?? []),
    alarms,
    timeline,
    fromMs,
    toMs: seenUntil,
    charts,
    guests,
    snapshot: snapshot ? { ...snapshot, processes: topProcesses(snapshot.processes, 10) } : null,
    map: suspect
      ? mapPage(db, {
          atMs: Math.min(nowMs, incident.resolved_at === null ? nowMs : incident.resolved_at - 1),
          around: suspect.component_id,
          steps: 2,
        })
      : null,
    notes: kits.flatMap((kit) =>
      kit.notes.filter((note) => note.metric === metricOf).map((note) => ({ ...note, kit: kit.title })),
    ),
    runbooks: offers,
    runs: runsOfIncident(db, id),
    evidence: evidenceOfIncident(db, id),
  };
}

/** The machines of a hypervisor a minute after its alarm was raised, when the polls since have told what each takes, or when it ended before. */
function guestsAtWorst(db: Db, suspect: AlarmRow, endMs: number): ReturnType<typeof guestsOf> {
  const atMs = Math.min(endMs - 1, suspect.raised_at + MINUTE_MS);
  return guestsOf(db, suspect.component_id, relationsOf(db, [suspect.component_id], atMs), atMs);
}

/** What an alarm said when it was at its worst; later it may have eased. */
const textAtWorst = (changes: readonly AlarmChangeRow[], alarm: AlarmRow) =>
  changes.find((change) => change.alarm_id === alarm.id && change.severity === alarm.worst)?.text ?? alarm.text;

const checks = (steps: readonly { type: string; metric?: string }[], metric: string) =>
  steps.some((step) => step.type === "check" && step.metric === metric) ||
  (metric === "disk.used" && !steps.some((step) => step.type === "check"));

/** What a run's parameters are filled in with: the process that used most memory, or what the alarm is about. */
function offeredArguments(
  db: Db,
  parameters: readonly { name: string; offer: string }[],
  hostId: number,
  leading: string | undefined,
  qualifier: string,
): Record<string, string> {
  const parts = partsOfHost(db, hostId, Number.MAX_SAFE_INTEGER);
  const processes = parts
    .map((part) => factsAt(db, part.id, Number.MAX_SAFE_INTEGER).find((fact) => fact.name === "process")?.value)
    .filter((value): value is string => value !== undefined);
  const args: Record<string, string> = {};
  for (const parameter of parameters) {
    if (parameter.offer === "leading-process")
      args[parameter.name] = (leading && (processes.includes(leading) ? leading : undefined)) ?? processes[0] ?? "";
    else if (parameter.name === "mount" && qualifier.startsWith("/")) args[parameter.name] = qualifier;
    else args[parameter.name] = "";
  }
  return args;
}
