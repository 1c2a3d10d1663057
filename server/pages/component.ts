import { logLevel } from "#core/telemetry/log-levels";
import { kindInfo, kindMatches } from "#core/catalogue/kinds";
import { alarmsOfComponent } from "../store/alarms";
import { changesOf } from "../store/changes";
import type { Db } from "../store/database";
import {
  componentById,
  factsAt,
  inventoryAt,
  partsOfHost,
  relationsOf,
  type ComponentRow,
  type RelationRow,
} from "../store/estate";
import { latestLogs } from "../store/logs";
import { resourcesOf } from "../store/resources";
import { callFigures } from "../store/call-figures";
import { listRunbooks } from "../store/runs";
import { healthAt, listServices, servicesOfComponents } from "../store/services";
import { lastSample, seriesOfComponent, seriesOfMetric, type SeriesRow } from "../store/signals";
import { chartOf } from "./charts";
import { guestsOf, RECENT_MS } from "./guests";
import type { Overlay } from "./overlay";

const MOST_CHARTS = 14;
/** Points across a drawing about three hundred pixels wide. */
const WIDTH = 180;
const MOST_SENT_CHARTS = 6;
const MOST_SENT_LOOKED_AT = 12;

export function componentPage(
  db: Db,
  {
    id,
    atMs,
    fromMs,
    toMs,
    overlay = "none",
  }: { id: number; atMs: number; fromMs: number; toMs: number; overlay?: Overlay },
) {
  const component = componentById(db, id);
  if (!component) return null;
  const health = healthAt(db, "component", atMs);
  const describe = (other: number) => {
    const row = componentById(db, other);
    return {
      id: other,
      name: row?.name ?? "",
      label: row?.label ?? row?.name ?? "",
      kind: row?.kind ?? "",
      severity: health.get(other)?.severity ?? ("cleared" as const),
    };
  };
  const parts = partsOfHost(db, id, atMs);
  const own = new Set([id, ...parts.map((part) => part.id)]);
  const relations = relationsOf(db, component.host_id === null ? own : [...own, component.host_id], atMs);
  const talks = relations.filter((row) => row.type === "talks-to" && (own.has(row.from_id) || own.has(row.to_id)));
  const wired = relations.filter((row) => row.type === "wired-to" && (row.from_id === id || row.to_id === id));
  const inventory = inventoryAt(db, component.host_id ?? id, atMs);
  const lastOf = new Map(
    seriesOfComponent(db, id).map((series) => [
      `${series.metric}|${series.instance}`,
      lastSample(db, series.id, atMs, RECENT_MS)?.value ?? null,
    ]),
  );
  const series = withoutTwins(seriesOfComponent(db, id));
  const order = kindInfo(component.kind).charts;
  const charted = series
    .filter((one) => order.includes(one.metric))
    .sort(
      (a, b) =>
        order.indexOf(a.metric) - order.indexOf(b.metric) ||
        a.instance.localeCompare(b.instance, "en", { numeric: true }),
    )
    .slice(0, MOST_CHARTS);
  // Of what else was sent to us: measured values, and of quantiles the slow end.
  const sent = series
    .filter(
      (one) =>
        one.resource_id !== null &&
        one.instrument === "gauge" &&
        !order.includes(one.metric) &&
        !/\.p(50|99)$/.test(one.metric),
    )
    .slice(0, MOST_SENT_LOOKED_AT);
  const resources = new Set([...own].flatMap((one) => resourcesOf(db, one)));
  const memberOf = servicesOfComponents(db, own, atMs);
  const alarms = alarmsOfComponent(db, id, fromMs, toMs);
  // What spans say of calls between two components: how many, how many failed, and how long nineteen in twenty took at most.
  const callsOf = (from: number, to: number) => {
    const figures = callFigures(db, resourcesOf(db, from), resourcesOf(db, to), fromMs, toMs);
    return figures
      ? { calls: figures.calls, failed: figures.failed, p95Ms: figures.sketch.quantile(0.95) / 1000 }
      : null;
  };
  const draw = (series: SeriesRow) => chartOf(db, series, fromMs, toMs, { overlay, width: WIDTH });
  // What was not sent in this window has nothing to show; that something polled was silent is worth seeing.
  const drawnSent = sent.map(draw).filter((chart) => chart.legend.count > 0);
  const carriers = carriersOf(component, relations)
    .map((carrier) => ({ ...describe(carrier.id), how: carrier.how }))
    .map((carrier) => ({
      ...carrier,
      reason: health.get(carrier.id)?.reason ?? "",
      charts: kindInfo(carrier.kind)
        .chartsBelow.flatMap((metric) => seriesOfMetric(db, carrier.id, metric) ?? [])
        .map(draw),
    }));
  return {
    component,
    /** Memory of a host, bytes. */
    memoryBytes: Number(factsAt(db, id, atMs).find((fact) => fact.name === "memory bytes")?.value ?? 0) || null,
    host: component.host_id === null ? null : describe(component.host_id),
    severity: health.get(id)?.severity ?? ("cleared" as const),
    reason: health.get(id)?.reason ?? "",
    facts: factsAt(db, id, atMs).filter((fact) => fact.name !== "memory bytes"),
    services: listServices(db)
      .filter((service) => memberOf.has(service.id))
      .map((service) => ({ uid: service.uid, name: service.name })),
    parts: parts.map((part) => describe(part.id)),
    callers: talks
      .filter((row) => own.has(row.to_id))
      .map((row) => ({
        own: describe(row.to_id),
        other: describe(row.from_id),
        detail: row.detail,
        connections: row.connections,
        seenBy: row.seen_by,
        since: row.valid_from,
        calls: callsOf(row.from_id, row.to_id),
      })),
    called: talks
      .filter((row) => own.has(row.from_id))
      .map((row) => ({
        own: describe(row.from_id),
        other: describe(row.to_id),
        detail: row.detail,
        connections: row.connections,
        seenBy: row.seen_by,
        since: row.valid_from,
        calls: callsOf(row.from_id, row.to_id),
      })),
    wired: wired.map((row) => ({ other: describe(row.from_id === id ? row.to_id : row.from_id), detail: row.detail })),
    interfaces:
      inventory && component.host_id === null
        ? inventory.interfaces.map((row) => ({
            ...row,
            inBps: lastOf.get(`net.in|${row.name}`) ?? null,
            outBps: lastOf.get(`net.out|${row.name}`) ?? null,
          }))
        : [],
    storage:
      inventory && component.host_id === null
        ? inventory.storage
            .filter((row) => row.type !== "other")
            .map((row) => ({
              ...row,
              usedPercent: lastOf.get(row.type === "ram" ? "memory.used|" : `disk.used|${row.label}`) ?? null,
            }))
        : [],
    software: inventory && component.host_id === null ? inventory.software : [],
    listeners:
      inventory && component.host_id === null
        ? inventory.listeners.map((row) => ({
            ...row,
            process: inventory.software.find((one) => one.pid === row.pid)?.name ?? "",
          }))
        : [],
    inventoryAt: component.last_seen_at,
    charts: [...charted.map(draw), ...drawnSent.slice(0, MOST_SENT_CHARTS)],
    silent: sent.length - drawnSent.length,
    carriers,
    guests: guestsOf(db, id, relations, atMs),
    logs: latestLogs(db, resources, fromMs, toMs, 8).map((row) => ({
      id: row.id,
      atMs: row.at,
      level: logLevel(row.severity),
      body: row.body,
    })),
    sends: resources.size > 0,
    seriesCount: lastOf.size,
    alarms,
    changes: changesOf(db, [...own], fromMs, toMs, 30),
    runbooks: listRunbooks(db)
      .filter((runbook) => runbook.definition.kinds.some((pattern) => kindMatches(pattern, component.kind)))
      .map((runbook) => ({ id: runbook.id, name: runbook.name })),
  };
}

/** Series without those that were sent to us and are polled too. */
function withoutTwins(list: readonly SeriesRow[]): SeriesRow[] {
  const polled = new Set(list.flatMap((one) => (one.resource_id === null ? [`${one.metric}|${one.instance}`] : [])));
  return list.filter((one) => one.resource_id === null || !polled.has(`${one.metric}|${one.instance}`));
}

/** What carries a component, the nearest first: the host it runs on, and the hypervisor under that. */
function carriersOf(component: ComponentRow, relations: readonly RelationRow[]): { id: number; how: string }[] {
  const chain: { id: number; how: string }[] = [];
  if (component.host_id !== null) chain.push({ id: component.host_id, how: "runs on" });
  const top = component.host_id ?? component.id;
  const hosted = relations.find((row) => row.type === "hosted-by" && row.from_id === top);
  if (hosted) chain.push({ id: hosted.to_id, how: "hosted by" });
  return chain;
}
