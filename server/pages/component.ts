import { logLevel } from "#core/telemetry/log-levels";
import { hasSpend } from "../store/spend";
import { spendOfComponent } from "./spend";
import { kindInfo, kindMatches } from "#core/catalogue/kinds";
import { alarmsOfComponent } from "../store/alarms";
import { changesOf } from "../store/changes";
import type { SystemSighting } from "#core/estate/sighting";
import { byName } from "#core/units/order";
import type { Db } from "../store/database";
import { labelsAt, unwatched } from "../store/labels";
import { sightingsOf } from "../store/sightings";
import { componentById, inventoryAt, partsOfHost, type ComponentRow } from "../store/estate";
import { factsAt } from "../store/facts";
import { relationsOf, type RelationRow } from "../store/relations";
import { latestLogs } from "../store/logs";
import { resourcesOf, resourcesOfAll } from "../store/resources";
import { callFigures } from "../store/call-figures";
import { listRunbooks } from "../store/runbooks";
import { healthAt, listServices, servicesOfComponents } from "../store/services";
import { lastSample, seriesOfComponent, seriesOfMetric, type SeriesRow } from "../store/signals";
import { chartOf, chartsCommon, type ChartsCommon } from "./charts";
import { PLACES, TOPS } from "#core/platforms/columns";
import { guestsOf, RECENT_MS } from "./guests";
import { containersOf } from "./workload";
import type { Overlay } from "./overlay";

const MOST_CHARTS = 14;
/** Points across a drawing about three hundred pixels wide. */
const WIDTH = 180;
const MOST_SENT_CHARTS = 6;
const MOST_SENT_LOOKED_AT = 12;

interface ComponentQuestion {
  id: number;
  atMs: number;
  fromMs: number;
  toMs: number;
  overlay?: Overlay;
}

/** A component at the instant of its page, with what its parts need. */
interface Scene extends Required<ComponentQuestion> {
  db: Db;
  component: ComponentRow;
  /** It and, for a host, the processes on it. */
  own: ReadonlySet<number>;
  relations: readonly RelationRow[];
  health: ReturnType<typeof healthAt>;
  common: ChartsCommon;
}

/** Everything a page says of one component. */
export function componentPage(db: Db, question: ComponentQuestion) {
  const { id, atMs, fromMs, toMs, overlay = "none" } = question;
  const component = componentById(db, id);
  if (!component) return null;
  const health = healthAt(db, "component", atMs);
  const parts = partsOfHost(db, id, atMs);
  const own = new Set([id, ...parts.map((part) => part.id)]);
  const relations = relationsOf(db, component.host_id === null ? own : [...own, component.host_id], atMs);
  const common = chartsCommon(db, fromMs, toMs);
  const scene: Scene = { db, id, atMs, fromMs, toMs, overlay, component, own, relations, health, common };
  const resources = new Set(resourcesOfAll(db, own).keys());
  const memberOf = servicesOfComponents(db, own, atMs);
  const facts = factsAt(db, id, atMs);
  const series = seriesOfComponent(db, id);
  const offBy = unwatched(db);
  return {
    component,
    /** Memory of a host, bytes. */
    memoryBytes: Number(facts.find((fact) => fact.name === MEMORY)?.value ?? 0) || null,
    host: component.host_id === null ? null : briefly(scene, component.host_id),
    severity: health.get(id)?.severity ?? ("cleared" as const),
    reason: health.get(id)?.reason ?? "",
    facts: facts.filter((fact) => fact.name !== MEMORY),
    services: listServices(db)
      .filter((service) => memberOf.has(service.id))
      .map((service) => ({ uid: service.uid, name: service.name })),
    sightings: sightingsOf(db, id),
    /** The collection that keeps it, or its host, from being watched. */
    unwatchedBy: offBy.get(id) ?? (component.host_id === null ? undefined : offBy.get(component.host_id)) ?? null,
    labels: labelsAt(db, id, atMs),
    hostLabels: component.host_id === null ? [] : labelsAt(db, component.host_id, atMs),
    parts: (component.host_id === null ? parts.map((part) => part.id) : insideContainer(id, relations)).map((part) =>
      briefly(scene, part),
    ),
    ...neighboursOf(scene),
    ...insideOf(scene, series),
    inventoryAt: component.last_seen_at,
    ...chartsOf(scene, series),
    carriers: drawnCarriers(scene),
    guests: guestsOf(db, id, relations, atMs),
    placed: placedOf(scene),
    /** What it cost this month, where a platform has it. */
    spend: hasSpend(db) ? spendOfComponent(db, id, atMs) : null,
    ...(component.kind === "app.workload" ? containersOf(db, id, relations, atMs) : { containers: [], limits: [] }),
    logs: latestLogs(db, resources, fromMs, toMs, 8).map((row) => ({
      id: row.id,
      atMs: row.at,
      level: logLevel(row.severity),
      body: row.body,
    })),
    sends: resources.size > 0,
    seriesCount: series.length,
    alarms: alarmsOfComponent(db, id, fromMs, toMs),
    changes: changesOf(db, [...own], fromMs, toMs, 30),
    runbooks: listRunbooks(db)
      .filter((runbook) => runbook.definition.kinds.some((pattern) => kindMatches(pattern, component.kind)))
      .map((runbook) => ({ id: runbook.id, name: runbook.name })),
  };
}

const MEMORY = "memory bytes";

/** Another component as it is named beside this one. */
function briefly({ db, health }: Scene, id: number) {
  const row = componentById(db, id);
  return {
    id,
    name: row?.name ?? "",
    label: row?.label ?? row?.name ?? "",
    kind: row?.kind ?? "",
    severity: health.get(id)?.severity ?? ("cleared" as const),
  };
}

/**
 * What spans say of calls between two components: how many, how many failed, how long nineteen in twenty took at most.
 */
function callsBetween({ db, fromMs, toMs }: Scene, from: number, to: number) {
  const figures = callFigures(db, resourcesOf(db, from), resourcesOf(db, to), fromMs, toMs);
  return figures ? { calls: figures.calls, failed: figures.failed, p95Ms: figures.sketch.quantile(0.95) / 1000 } : null;
}

/** Who calls it, whom it calls, and what it is wired to. */
function neighboursOf(scene: Scene) {
  const { id, own, relations } = scene;
  const talks = relations.filter((row) => row.type === "talks-to");
  const call = (row: RelationRow, own: number, other: number) => ({
    own: briefly(scene, own),
    other: briefly(scene, other),
    detail: row.detail,
    connections: row.connections,
    seenBy: row.seen_by,
    since: row.valid_from,
    calls: callsBetween(scene, row.from_id, row.to_id),
  });
  return {
    callers: talks.filter((row) => own.has(row.to_id)).map((row) => call(row, row.to_id, row.from_id)),
    called: talks.filter((row) => own.has(row.from_id)).map((row) => call(row, row.from_id, row.to_id)),
    wired: relations
      .filter((row) => row.type === "wired-to" && (row.from_id === id || row.to_id === id))
      .map((row) => ({ other: briefly(scene, row.from_id === id ? row.to_id : row.from_id), detail: row.detail })),
  };
}

/** Words for where a thing is on its platform, seen from it and from the other side. */
const PLACED_WORDS: Readonly<Partial<Record<RelationRow["type"], readonly [from: string, to: string]>>> = {
  "part-of": ["Part of", "Has"],
  "hosted-by": ["Hosted by", "Hosts"],
  "stored-on": ["Stored on", "Stores"],
};
const MOST_PLACED = 30;

/** Ways to what it is part of, hosted by and stored on, and back to what is stored on it or part of it. */
function placedOf(scene: Scene) {
  const { id, relations } = scene;
  return (
    relations
      .flatMap((row) => {
        const words = PLACED_WORDS[row.type];
        if (!words || (row.from_id !== id && row.to_id !== id)) return [];
        const isFrom = row.from_id === id;
        // What there is much of has lists of its own.
        if (!isFrom && row.type !== "stored-on") return [];
        const other = briefly(scene, isFrom ? row.to_id : row.from_id);
        const isPlace = ([...TOPS, ...PLACES] as readonly string[]).includes(other.kind);
        return [{ how: words[isFrom ? 0 : 1], other, to: `/estate/${isPlace ? "platforms/" : ""}${other.id}` }];
      })
      // Several may say the same.
      .filter(
        (one, index, all) => all.findIndex((each) => each.how === one.how && each.other.id === one.other.id) === index,
      )
      .slice(0, MOST_PLACED)
  );
}

/** What a host has inside: interfaces and storage with their latest figures, software, listeners. */
function insideOf({ db, component, atMs }: Scene, series: readonly SeriesRow[]) {
  const inventory = component.host_id === null ? inventoryAt(db, component.id, atMs) : undefined;
  if (!inventory) return { interfaces: [], storage: [], software: [], listeners: [], entities: [], met: [] };
  const idOf = new Map(series.map((one) => [`${one.metric}|${one.instance}`, one.id]));
  const lastOf = (metric: string, instance: string): number | null => {
    const id = idOf.get(`${metric}|${instance}`);
    return id === undefined ? null : (lastSample(db, id, atMs, RECENT_MS)?.value ?? null);
  };
  return {
    interfaces: inventory.interfaces.map((row) => ({
      ...row,
      inBps: lastOf("net.in", row.name),
      outBps: lastOf("net.out", row.name),
    })),
    storage: inventory.storage
      .filter((row) => row.type !== "other")
      .map((row) => ({
        ...row,
        usedPercent: row.type === "ram" ? lastOf("memory.used", "") : lastOf("disk.used", row.label),
      })),
    entities: inventory.entities ?? [],
    met: metOf(inventory),
    software: inventory.software,
    listeners: inventory.listeners.map((row) => ({
      ...row,
      process: inventory.software.find((one) => one.pid === row.pid)?.name ?? "",
    })),
  };
}

/** Whom it met on its wires, and behind which port where it bridges. */
function metOf({ met = [], bridge = [], interfaces }: SystemSighting) {
  const portOf = new Map(bridge.map((row) => [row.physAddress, row.port]));
  const nameOf = new Map(interfaces.map((row) => [row.index, row.name]));
  return met.map((row) => ({ ...row, port: nameOf.get(portOf.get(row.physAddress) ?? -1) ?? "" }));
}

const drawIn = ({ db, fromMs, toMs, overlay, common }: Scene) => {
  const options = { overlay, width: WIDTH, common };
  return (series: SeriesRow) => chartOf(db, series, fromMs, toMs, options);
};

/** The charts of its kind in their order, then what else was sent of it. */
function chartsOf(scene: Scene, all: readonly SeriesRow[]) {
  const series = withoutTwins(all);
  const order = kindInfo(scene.component.kind).charts;
  const charted = series
    .filter((one) => order.includes(one.metric))
    .sort((a, b) => order.indexOf(a.metric) - order.indexOf(b.metric) || byName(a.instance, b.instance))
    .slice(0, MOST_CHARTS);
  // Of what else was sent to us: measured values, and of quantiles the slow end.
  const isTelling = ({ resource_id, instrument, metric }: SeriesRow) =>
    resource_id !== null && instrument === "gauge" && !order.includes(metric) && !/\.p(50|99)$/.test(metric);
  const sent = series.filter(isTelling).slice(0, MOST_SENT_LOOKED_AT);
  const draw = drawIn(scene);
  // What was not sent in this window has nothing to show; that something polled was silent is worth seeing.
  const drawnSent = sent.map(draw).filter((chart) => chart.legend.count > 0);
  return {
    charts: [...charted.map(draw), ...drawnSent.slice(0, MOST_SENT_CHARTS)],
    silent: sent.length - drawnSent.length,
  };
}

/** What carries it, with the charts that tell whether the trouble is below. */
function drawnCarriers(scene: Scene) {
  const { db, component, relations, health } = scene;
  const draw = drawIn(scene);
  return carriersOf(component, relations).map(({ id, how }) => {
    const carrier = briefly(scene, id);
    return {
      ...carrier,
      how,
      reason: health.get(id)?.reason ?? "",
      charts: kindInfo(carrier.kind)
        .chartsBelow.flatMap((metric) => seriesOfMetric(db, id, metric) ?? [])
        .map(draw),
    };
  });
}

/** Series without those that were sent to us and are polled too. */
function withoutTwins(list: readonly SeriesRow[]): SeriesRow[] {
  const polled = new Set(list.flatMap((one) => (one.resource_id === null ? [`${one.metric}|${one.instance}`] : [])));
  return list.filter((one) => one.resource_id === null || !polled.has(`${one.metric}|${one.instance}`));
}

const MOST_VOLUMES = 4;

/** Processes that run in a container. */
const insideContainer = (id: number, relations: readonly RelationRow[]): number[] =>
  relations.flatMap((row) => (row.type === "runs-on" && row.to_id === id ? row.from_id : []));

/** What carries a component, the nearest first: its container, the host it runs on, and the hypervisor under that. */
function carriersOf(component: ComponentRow, relations: readonly RelationRow[]): { id: number; how: string }[] {
  const chain: { id: number; how: string }[] = [];
  const container = relations.find(
    (row) => row.type === "runs-on" && row.from_id === component.id && row.to_id !== component.host_id,
  );
  if (container) chain.push({ id: container.to_id, how: "runs in" });
  if (component.host_id !== null) chain.push({ id: component.host_id, how: "runs on" });
  const top = component.host_id ?? component.id;
  const hosted = relations.find((row) => row.type === "hosted-by" && row.from_id === top);
  if (hosted) chain.push({ id: hosted.to_id, how: "hosted by" });
  const ids = new Set([component.id, top]);
  const volumes = relations.filter((row) => row.type === "stored-on" && ids.has(row.from_id));
  chain.push(...volumes.slice(0, MOST_VOLUMES).map((row) => ({ id: row.to_id, how: "stored on" })));
  return chain;
}
