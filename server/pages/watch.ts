import { severityRank, type Severity } from "#core/alarms/severity";
import { watchSentence } from "#core/correlation/sentence";
import type { UsualBasis } from "#core/stats/usual";
import { DAY_MS, HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { toEnvelope } from "#core/telemetry/envelope";
import { alarmDensity } from "../store/alarms";
import { changesIn, changeTicks } from "../store/changes";
import { readMeta, type Db } from "../store/database";
import { estateFacets } from "../store/estate-list";
import { incidentsAt, incidentsIn } from "../store/incidents";
import { healthAt, listServices, relianceAt } from "../store/services";
import { lastSample, readSamples, seriesOfService } from "../store/signals";
import { dayVolume, usualNow } from "./charts";

/** Figures older than this are not shown as the present. */
const FRESH_MS = 12 * MINUTE_MS;

/** Open incidents that are listed; the worst and newest of them. */
const MOST_INCIDENTS = 20;

export function watchPage(
  db: Db,
  { atMs, volumeOf, usual = "weekday" }: { atMs: number; volumeOf: string; usual?: UsualBasis },
) {
  const health = healthAt(db, "service", atMs);
  const members = healthAt(db, "members", atMs);
  const componentHealth = healthAt(db, "component", atMs);
  const services = listServices(db);
  const reliance = relianceAt(db, atMs);
  const names = new Map(services.map((service) => [service.id, service.name]));
  const cards = services.map((service) => {
    const series = seriesOfService(db, service.id);
    const last = series && lastSample(db, series.id, atMs, FRESH_MS);
    const recent = series
      ? toEnvelope(readSamples(db, series.id, atMs - 6 * HOUR_MS, atMs), atMs - 6 * HOUR_MS, atMs, 48)
      : [];
    const state = health.get(service.id);
    return {
      id: service.id,
      uid: service.uid,
      name: service.name,
      purpose: service.purpose,
      severity: (state?.severity ?? "cleared") as Severity,
      reason: state?.reason ?? "",
      sinceMs: state?.valid_from ?? null,
      /** What it relies on that is unwell, though it does as usual itself. */
      relies: state ? null : (members.get(service.id)?.reason ?? null),
      reliesOn: [...(reliance.get(service.id) ?? [])].map((id) => names.get(id) ?? ""),
      figure:
        service.figure && series
          ? {
              label: service.figure.label,
              unit: service.figure.unit,
              value: last?.value ?? null,
              usual: usualNow(db, series.id, atMs),
              trend: recent.map((point) => point.mean),
            }
          : null,
    };
  });
  const open = incidentsAt(db, atMs).sort(
    (a, b) => severityRank(b.worst) - severityRank(a.worst) || b.opened_at - a.opened_at,
  );
  const measured = services.flatMap((service) => {
    const series = seriesOfService(db, service.id);
    return series && service.figure ? [{ uid: service.uid, service, series, figure: service.figure }] : [];
  });
  const volume =
    measured.find((one) => one.uid === volumeOf) ?? measured.find((one) => one.figure.headline) ?? measured[0];
  const componentCount = estateFacets(db, atMs).kinds.reduce((sum, one) => sum + one.count, 0);
  return {
    sentence: watchSentence({
      organisation: readMeta(db, "organisation") ?? "The estate",
      unwell: cards.filter((card) => card.severity !== "cleared").map(({ name, severity }) => ({ name, severity })),
      openIncidents: open.map((incident) => ({ title: incident.title, severity: incident.worst })),
      serviceCount: cards.length,
      componentCount,
      warnings: [...componentHealth.values()].filter((row) => row.severity === "warning").length,
    }),
    componentCount,
    services: cards.sort((a, b) => severityRank(b.severity) - severityRank(a.severity) || a.name.localeCompare(b.name)),
    openCount: open.length,
    incidents: open.slice(0, MOST_INCIDENTS).map((incident) => ({
      id: incident.id,
      title: incident.title,
      severity: incident.resolved_at !== null && incident.resolved_at > atMs ? incident.worst : incident.severity,
      openedAt: incident.opened_at,
      takenBy: incident.taken_by,
    })),
    changes: changesIn(db, atMs - 7 * DAY_MS, atMs, 8),
    volume: volume
      ? { uid: volume.uid, basis: usual, ...dayVolume(db, volume.series, volume.figure.label, atMs, usual) }
      : null,
    volumeChoices: measured.map((one) => ({ uid: one.uid, label: one.figure.label })),
  };
}

/** What the ribbon draws over its span. */
export function ribbon(db: Db, { fromMs, toMs, steps }: { fromMs: number; toMs: number; steps: number }) {
  const stepMs = (toMs - fromMs) / steps;
  const density = new Map<number, { worst: Severity; count: number }>();
  for (const row of alarmDensity(db, fromMs, toMs, stepMs)) {
    const known = density.get(row.step);
    if (!known) density.set(row.step, { worst: row.worst, count: row.count });
    else {
      known.count += row.count;
      if (severityRank(row.worst) > severityRank(known.worst)) known.worst = row.worst;
    }
  }
  return {
    alarms: [...density].map(([step, one]) => ({ atMs: fromMs + (step + 0.5) * stepMs, ...one })),
    incidents: incidentsIn(db, fromMs, toMs, 200).map((incident) => ({
      id: incident.id,
      title: incident.title,
      worst: incident.worst,
      openedAt: incident.opened_at,
      resolvedAt: incident.resolved_at,
    })),
    changes: changeTicks(db, fromMs, toMs, stepMs).map((row) => ({
      atMs: fromMs + (row.step + 0.5) * stepMs,
      count: row.count,
    })),
    openCount: incidentsAt(db, toMs).length,
  };
}
