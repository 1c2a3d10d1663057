import type { Severity } from "#core/alarms/severity";
import { kindInfo, type KindInfo, type Stratum } from "#core/catalogue/kinds";
import { EstateGraph } from "#core/topology/graph";
import { layStrata } from "#core/topology/strata";
import { formatValue } from "#core/units/format";
import { MINUTE_MS } from "#core/time/windows";
import type { Db } from "../store/database";
import { componentsAt, componentsById, type ComponentRow } from "../store/estate";
import { estateFacets } from "../store/estate-list";
import { relationsAmong, relationsAt, targetsOf, type RelationRow } from "../store/relations";
import {
  healthAt,
  listServices,
  membersAt,
  membersOf,
  relianceAt,
  servicesOfComponents,
  type ServiceRow,
} from "../store/services";
import { lastSample, seriesOfMetrics, seriesOfService } from "../store/signals";

export interface MapCard {
  /** One of the two is set. */
  componentId: number | null;
  serviceUid: string | null;
  name: string;
  sub: string;
  kind: string;
  severity: Severity;
  reason: string;
  figure: string;
  x: number;
  y: number;
}

/** Lines of one type: places of both ends among the cards, and connections seen. */
export interface MapLinks {
  type: string;
  ends: [from: number, to: number, connections: number][];
}

export interface MapQuestion {
  atMs: number;
  service?: string;
  site?: string;
  /** The map round one component, this many steps away. */
  around?: number;
  steps?: number;
}

/**
 * Cards of a layer that stand beside each other before a new row begins: few on a small map, so that it can be read
 * whole.
 */
const mostAcross = (cards: number) => Math.max(6, Math.min(18, Math.round(Math.sqrt(cards * 1.7))));
/** More than this is not drawn; the page says so and offers narrower choices. */
export const MOST_CARDS = 400;
export const CARD = { width: 172, height: 62 } as const;
/** How old a figure on a card may be. */
const FIGURE_MS = 12 * MINUTE_MS;

/** What a map shows: components, services, and the relations among them. */
interface Shown {
  components: ComponentRow[];
  services: ServiceRow[];
  relations: RelationRow[];
}

/** The estate at the instant of the map. */
interface At {
  db: Db;
  atMs: number;
  services: ServiceRow[];
  reliance: ReturnType<typeof relianceAt>;
}

/** A card with what says where it is placed. */
type Unplaced = Omit<MapCard, "x" | "y"> & { id: string; stratum: Stratum };

/** A line between cards by their ids. */
interface Link {
  type: string;
  from: string;
  to: string;
  connections: number;
}

/** Part of the estate in strata as it was at an instant: of a service, of a site, or round a component. */
export function mapPage(db: Db, question: MapQuestion) {
  const { atMs } = question;
  const at: At = { db, atMs, services: listServices(db), reliance: relianceAt(db, atMs) };
  const { sites } = estateFacets(db, atMs);
  const chosen = at.services.find((service) => service.uid === question.service);
  const site = question.site ?? (at.services.length === 0 ? largest(sites) : undefined);
  const shown = shownBy(at, site === undefined ? question : { ...question, site }, chosen);
  const total = shown.components.length;
  const tooMany = total > MOST_CARDS;
  if (tooMany) shown.components = shown.components.filter((row) => row.host_id === null).slice(0, MOST_CARDS);
  const cards = [
    ...shown.services.map((service) => serviceCard(at, service, service === chosen)),
    ...componentCards(at, shown.components),
  ];
  const links = linksAmong(at, shown, new Set(cards.map((card) => card.id)));
  const layout = layStrata(
    cards.map(({ id, stratum, kind, name, sub }) => ({ id, stratum, group: kind, label: name + sub })),
    links,
    {
      cardWidth: CARD.width,
      cardHeight: CARD.height,
      gapX: 20,
      gapY: 14,
      mostAcross: mostAcross(cards.length),
      padding: 18,
      margin: 96,
    },
  );
  const serviceHealth = healthAt(db, "service", atMs);
  const place = new Map(layout.cards.map((card) => [card.id, card]));
  return {
    cards: cards.map(({ id, stratum: _stratum, ...card }): MapCard => ({
      ...card,
      x: place.get(id)?.x ?? 0,
      y: place.get(id)?.y ?? 0,
    })),
    links: linksByType(cards, links),
    strata: layout.strata,
    width: layout.width,
    height: layout.height,
    /** Site that is shown, whether asked for or not. */
    site: chosen || question.around !== undefined ? null : (site ?? null),
    tooMany,
    total,
    unwell: cards.filter((card) => card.componentId !== null && card.severity !== "cleared").length,
    services: at.services.map((service) => ({
      uid: service.uid,
      name: service.name,
      severity: serviceHealth.get(service.id)?.severity ?? ("cleared" as const),
    })),
    sites,
  };
}

/** Where no service is defined, the map opens on the site with most components. */
const largest = (sites: readonly { site: string; count: number }[]): string | undefined =>
  [...sites].sort((a, b) => b.count - a.count || a.site.localeCompare(b.site))[0]?.site;

function shownBy(at: At, question: MapQuestion, chosen: ServiceRow | undefined): Shown {
  if (question.around !== undefined) return aroundComponent(at, question.around, question.steps ?? 2);
  if (question.site) return ofSite(at, question.site);
  if (chosen) return ofService(at, chosen);
  return { components: [], services: at.services, relations: [] };
}

function aroundComponent({ db, atMs, services }: At, centre: number, steps: number): Shown {
  const components = new Map(componentsAt(db, atMs).map((row) => [row.id, row]));
  const relations = relationsAt(db, atMs);
  const graph = new EstateGraph(relations.map((row) => ({ type: row.type, from: row.from_id, to: row.to_id })));
  const shared = new Set([...components.values()].flatMap((row) => (kindInfo(row.kind).hasGuests ? [row.id] : [])));
  const ids = graph.neighbourhood([centre], steps, new Set(["talks-to", "runs-on", "hosted-by"]), shared);
  for (const edge of graph.from(centre)) if (edge.type === "wired-to") ids.add(edge.to);
  const inServices = new Set(
    membersAt(db, atMs)
      .filter(
        (row) => row.component_id === centre || (components.get(row.component_id)?.host_id === centre && row.entry),
      )
      .map((row) => row.service_id),
  );
  return {
    components: [...ids].flatMap((id) => components.get(id) ?? []),
    relations,
    services: services.filter((service) => inServices.has(service.id)),
  };
}

function ofSite({ db, atMs, services }: At, site: string): Shown {
  const components = componentsAt(db, atMs).filter((row) => row.site === site);
  const ids = new Set(components.map((row) => row.id));
  const here = servicesOfComponents(db, ids, atMs);
  return { components, relations: relationsAmong(db, ids, atMs), services: services.filter(({ id }) => here.has(id)) };
}

function ofService({ db, atMs, services, reliance }: At, chosen: ServiceRow): Shown {
  const ids = new Set(membersOf(db, chosen.id, atMs).map((row) => row.component_id));
  // The switches its hosts are wired to carry it too, and those behind them.
  for (let added: number[] = [...ids]; added.length;) {
    added = targetsOf(db, added, "wired-to", atMs).filter((id) => !ids.has(id));
    for (const id of added) ids.add(id);
  }
  const relied = reliance.get(chosen.id) ?? new Set<number>();
  return {
    components: componentsById(db, ids),
    relations: relationsAmong(db, ids, atMs),
    services: services.filter(
      (service) => service.id === chosen.id || relied.has(service.id) || reliance.get(service.id)?.has(chosen.id),
    ),
  };
}

function serviceCard({ db, atMs }: At, service: ServiceRow, isChosen: boolean): Unplaced {
  const series = seriesOfService(db, service.id);
  const last = series && lastSample(db, series.id, atMs, FIGURE_MS);
  const state = healthAt(db, "service", atMs).get(service.id);
  return {
    id: `s${service.id}`,
    componentId: null,
    serviceUid: service.uid,
    name: service.name,
    sub: isChosen ? "this service" : "service",
    kind: "service",
    severity: state?.severity ?? "cleared",
    reason: state?.reason ?? "",
    figure: last && service.figure ? formatValue(last.value, service.figure.unit) : "",
    stratum: "services",
  };
}

function componentCards({ db, atMs }: At, components: readonly ComponentRow[]): Unplaced[] {
  const health = healthAt(db, "component", atMs);
  const hosts = new Map(
    componentsById(db, new Set(components.flatMap((row) => row.host_id ?? []))).map((row) => [row.id, row]),
  );
  const headlines = new Set(components.flatMap((row) => kindInfo(row.kind).headline?.metric ?? []));
  const measured = seriesOfMetrics(
    db,
    components.map((row) => row.id),
    headlines,
  );
  const figureOf = (id: number, { headline }: KindInfo): string => {
    const series = headline ? measured.get(id)?.get(headline.metric) : undefined;
    const last = series && lastSample(db, series.id, atMs, FIGURE_MS);
    return last && headline ? `${headline.word} ${formatValue(last.value, series.unit)}`.trim() : "";
  };
  return components.map((row): Unplaced => {
    const info = kindInfo(row.kind);
    const state = health.get(row.id);
    return {
      id: `c${row.id}`,
      componentId: row.id,
      serviceUid: null,
      name: row.label ?? row.name,
      sub: hosts.get(row.host_id ?? 0)?.name ?? row.address ?? "",
      kind: row.kind,
      severity: state?.severity ?? "cleared",
      reason: state?.reason ?? "",
      figure: figureOf(row.id, info),
      stratum: info.stratum,
    };
  });
}

/** Relations, entry points and reliance between cards that are shown. */
function linksAmong(at: At, shown: Shown, known: ReadonlySet<string>): Link[] {
  const all = [
    ...shown.relations.map(({ type, from_id, to_id, connections }) => ({
      type,
      from: `c${from_id}`,
      to: `c${to_id}`,
      connections,
    })),
    ...shown.services.flatMap(({ id }) =>
      membersOf(at.db, id, at.atMs).flatMap(({ entry, component_id }) =>
        entry ? [{ type: "part-of", from: `s${id}`, to: `c${component_id}`, connections: 0 }] : [],
      ),
    ),
    ...[...at.reliance].flatMap(([service, needs]) =>
      [...needs].map((other) => ({ type: "relies-on", from: `s${service}`, to: `s${other}`, connections: 0 })),
    ),
  ];
  return all.filter(({ from, to }) => known.has(from) && known.has(to));
}

/** Links as they are sent: by type, with the places of their ends among the cards. */
function linksByType(cards: readonly Unplaced[], links: readonly Link[]): MapLinks[] {
  const place = new Map(cards.map((card, index) => [card.id, index]));
  const byType = new Map<string, MapLinks["ends"]>();
  for (const { type, from, to, connections } of links) {
    const ends = byType.get(type) ?? [];
    byType.set(type, ends);
    ends.push([place.get(from) as number, place.get(to) as number, connections]);
  }
  return [...byType].map(([type, ends]) => ({ type, ends }));
}
