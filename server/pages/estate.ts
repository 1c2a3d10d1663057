import { logLevel } from "#core/telemetry/log-levels";
import { severityRank } from "#core/alarms/severity";
import { alarmsOfComponent } from "../store/alarms";
import { changesOf } from "../store/changes";
import type { Db } from "../store/database";
import { componentById, componentsAt, estateFacets, factsAt, inventoryAt, listEstate, partsOfHost, relationsAt, type EstateQuestion } from "../store/estate";
import { incidentsIn } from "../store/incidents";
import { latestLogs } from "../store/logs";
import { allOrigins } from "../store/origins";
import { callFigures, type CallFigures } from "../store/spans";
import { listRunbooks } from "../store/runs";
import { healthAt, listServices, membersAt } from "../store/services";
import { lastSample, readSamples, seriesById, seriesOfComponent, seriesOfService } from "../store/signals";
import { chartOf } from "./charts";
import { kindMatches } from "#core/detection/threshold";
import { componentsNamedLike, servicesNamedLike, incidentsNamedLike } from "../store/find";

export function estatePage(db: Db, question: EstateQuestion) {
  return { ...listEstate(db, question), ...estateFacets(db, question.atMs) };
}

/** Metrics shown as charts, in this order. */
const CHARTED = ["cpu.used", "memory.used", "disk.used", "net.in", "net.out", "net.errors", "process.memory", "process.cpu", "reachable", "response"];
const MOST_CHARTS = 14;
const MOST_SENT_CHARTS = 6;

export function componentPage(db: Db, { id, atMs, fromMs, toMs }: { id: number; atMs: number; fromMs: number; toMs: number }) {
  const component = componentById(db, id);
  if (!component) return null;
  const health = healthAt(db, "component", atMs);
  const describe = (other: number) => {
    const row = componentById(db, other);
    return { id: other, name: row?.name ?? "", kind: row?.kind ?? "", severity: health.get(other)?.severity ?? ("cleared" as const) };
  };
  const parts = partsOfHost(db, id, atMs);
  const own = new Set([id, ...parts.map((part) => part.id)]);
  const relations = relationsAt(db, atMs);
  const talks = relations.filter((row) => row.type === "talks-to" && (own.has(row.from_id) || own.has(row.to_id)));
  const wired = relations.filter((row) => row.type === "wired-to" && (row.from_id === id || row.to_id === id));
  const inventory = inventoryAt(db, component.host_id ?? id, atMs);
  const lastOf = new Map(seriesOfComponent(db, id).map((series) => [`${series.metric}|${series.instance}`, lastSample(db, series.id, atMs, 15 * 60_000)?.value ?? null]));
  const charted = seriesOfComponent(db, id)
    .filter((series) => series.origin_id === null && CHARTED.includes(series.metric))
    .sort((a, b) => CHARTED.indexOf(a.metric) - CHARTED.indexOf(b.metric) || a.instance.localeCompare(b.instance, "en", { numeric: true }))
    .slice(0, MOST_CHARTS);
  // Of what was sent to us: measured values, and of quantiles the slow end.
  const sent = seriesOfComponent(db, id)
    .filter((series) => series.origin_id !== null && series.form === "gauge" && !/\.p(50|99)$/.test(series.metric))
    .slice(0, MOST_SENT_CHARTS);
  const origins = new Set(allOrigins(db).flatMap((origin) => (origin.component_id !== null && own.has(origin.component_id) ? [origin.id] : [])));
  const serviceNames = new Map(listServices(db).map((service) => [service.id, service]));
  const alarms = alarmsOfComponent(db, id, fromMs, toMs);
  const calls = callsByComponents(db, fromMs, toMs);
  const callsOf = (from: number, to: number) => calls.get(`${from}|${to}`) ?? null;
  return {
    component,
    host: component.host_id === null ? null : describe(component.host_id),
    severity: health.get(id)?.severity ?? ("cleared" as const),
    reason: health.get(id)?.reason ?? "",
    facts: factsAt(db, id, atMs),
    services: [...new Set(membersAt(db, atMs).filter((row) => own.has(row.component_id)).map((row) => row.service_id))].flatMap((serviceId) => {
      const service = serviceNames.get(serviceId);
      return service ? [{ uid: service.uid, name: service.name }] : [];
    }),
    parts: parts.map((part) => describe(part.id)),
    callers: talks.filter((row) => own.has(row.to_id)).map((row) => ({ own: describe(row.to_id), other: describe(row.from_id), detail: row.detail, connections: row.connections, seenBy: row.seen_by, since: row.valid_from, calls: callsOf(row.from_id, row.to_id) })),
    called: talks.filter((row) => own.has(row.from_id)).map((row) => ({ own: describe(row.from_id), other: describe(row.to_id), detail: row.detail, connections: row.connections, seenBy: row.seen_by, since: row.valid_from, calls: callsOf(row.from_id, row.to_id) })),
    wired: wired.map((row) => ({ other: describe(row.from_id === id ? row.to_id : row.from_id), detail: row.detail })),
    interfaces: inventory && component.host_id === null ? inventory.interfaces.map((row) => ({ ...row, inBps: lastOf.get(`net.in|${row.name}`) ?? null, outBps: lastOf.get(`net.out|${row.name}`) ?? null })) : [],
    storage: inventory && component.host_id === null ? inventory.storage.filter((row) => row.type !== "other").map((row) => ({ ...row, usedPercent: lastOf.get(row.type === "ram" ? "memory.used|" : `disk.used|${row.label}`) ?? null })) : [],
    software: inventory && component.host_id === null ? inventory.software : [],
    listeners: inventory && component.host_id === null ? inventory.listeners.map((row) => ({ ...row, process: inventory.software.find((one) => one.pid === row.pid)?.name ?? "" })) : [],
    inventoryAt: component.last_seen_at,
    charts: [...charted, ...sent].map((series) => chartOf(db, series, fromMs, toMs)),
    logs: latestLogs(db, origins, fromMs, toMs, 8).map((row) => ({ id: row.id, atMs: row.at, level: logLevel(row.severity), body: row.body })),
    sends: origins.size > 0,
    seriesCount: lastOf.size,
    alarms,
    changes: changesOf(db, [...own], fromMs, toMs, 30),
    runbooks: listRunbooks(db)
      .filter((runbook) => runbook.definition.kinds.some((pattern) => kindMatches(pattern, component.kind)))
      .map((runbook) => ({ id: runbook.id, name: runbook.name })),
  };
}

/** What spans say of calls between components in a window: calls, failures, and how long nineteen in twenty took at most. */
function callsByComponents(db: Db, fromMs: number, toMs: number): Map<string, { calls: number; failed: number; p95Ms: number }> {
  const componentOf = new Map(allOrigins(db).map((origin) => [origin.id, origin.component_id]));
  const merged = new Map<string, CallFigures>();
  for (const { from, to, figures } of callFigures(db, fromMs, toMs)) {
    const key = `${componentOf.get(from)}|${componentOf.get(to)}`;
    const known = merged.get(key);
    if (!known) merged.set(key, figures);
    else {
      known.calls += figures.calls;
      known.failed += figures.failed;
      known.sketch.merge(figures.sketch);
    }
  }
  return new Map([...merged].map(([key, figures]) => [key, { calls: figures.calls, failed: figures.failed, p95Ms: figures.sketch.quantile(0.95) / 1000 }]));
}

/** Every sample of a series in a window, not thinned. */
export function samplesPage(db: Db, { seriesId, fromMs, toMs }: { seriesId: number; fromMs: number; toMs: number }) {
  const series = seriesById(db, seriesId);
  if (!series) return null;
  const owner = series.component_id === null ? "" : (componentById(db, series.component_id)?.name ?? "");
  const { times, values } = readSamples(db, seriesId, fromMs, toMs);
  return { owner, metric: series.metric, instance: series.instance, unit: series.unit, times, values };
}

/** What a service is, with its figure, members and incidents. */
export function servicePage(db: Db, { uid, atMs, fromMs, toMs }: { uid: string; atMs: number; fromMs: number; toMs: number }) {
  const service = listServices(db).find((one) => one.uid === uid);
  if (!service) return null;
  const health = healthAt(db, "component", atMs);
  const own = healthAt(db, "service", atMs).get(service.id);
  const rows = new Map(componentsAt(db, atMs).map((row) => [row.id, row]));
  const members = membersAt(db, atMs)
    .filter((row) => row.service_id === service.id)
    .flatMap((row) => {
      const component = rows.get(row.component_id);
      return component ? [{ id: component.id, name: component.name, kind: component.kind, site: component.site, entry: row.entry === 1, severity: health.get(component.id)?.severity ?? ("cleared" as const), reason: health.get(component.id)?.reason ?? "" }] : [];
    })
    .sort((a, b) => severityRank(b.severity) - severityRank(a.severity) || a.kind.localeCompare(b.kind) || a.name.localeCompare(b.name));
  const series = seriesOfService(db, service.id);
  return {
    service: { ...service, entries: service.entries },
    severity: own?.severity ?? ("cleared" as const),
    reason: own?.reason ?? "",
    members,
    chart: series ? { ...chartOf(db, series, fromMs, toMs, 320, service.name), title: service.figure?.label ?? series.metric } : null,
    incidents: incidentsIn(db, fromMs, toMs).filter((incident) => incident.service_id === service.id),
    changes: changesOf(db, members.map((member) => member.id), fromMs, toMs, 30),
  };
}

/** What the palette finds for a few letters. */
export function findPage(db: Db, { text, atMs }: { text: string; atMs: number }) {
  return {
    components: componentsNamedLike(db, text, atMs, 8),
    services: servicesNamedLike(db, text, 5),
    incidents: incidentsNamedLike(db, text, 5),
    runbooks: listRunbooks(db)
      .filter((runbook) => runbook.name.toLowerCase().includes(text.toLowerCase()))
      .slice(0, 5)
      .map((runbook) => ({ id: runbook.id, name: runbook.name })),
  };
}
