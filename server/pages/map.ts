import type { Severity } from "#core/alarms/severity";
import { kindInfo, type KindInfo, type Stratum } from "#core/catalogue/kinds";
import { EstateGraph } from "#core/topology/graph";
import { layStrata } from "#core/topology/strata";
import { formatValue } from "#core/units/format";
import { MINUTE_MS } from "#core/time/windows";
import type { Db } from "../store/database";
import {
  componentsAt,
  estateFacets,
  relationsAt,
  relationsOf,
  type ComponentRow,
  type RelationRow,
} from "../store/estate";
import { healthAt, listServices, membersAt, relianceAt, type ServiceRow } from "../store/services";
import { lastSample, seriesOfMetric, seriesOfService } from "../store/signals";

export interface MapCard {
  id: string;
  componentId: number | null;
  serviceId: number | null;
  name: string;
  sub: string;
  kind: string;
  kindLabel: string;
  severity: Severity;
  reason: string;
  figure: string;
  x: number;
  y: number;
}

export interface MapLink {
  id: string;
  from: string;
  to: string;
  type: string;
  connections: number;
  detail: string;
}

export interface MapQuestion {
  atMs: number;
  service?: string;
  site?: string;
  /** The map round one component, this many steps away. */
  around?: number;
  steps?: number;
}

/** Cards of a layer that stand beside each other before a new row begins: few on a small map, so that it can be read whole. */
const mostAcross = (cards: number) => Math.max(6, Math.min(18, Math.round(Math.sqrt(cards * 1.7))));
/** More than this is not drawn; the page says so and offers narrower choices. */
export const MOST_CARDS = 400;
export const CARD = { width: 172, height: 62 } as const;
/** How old a figure on a card may be. */
const FIGURE_MS = 12 * MINUTE_MS;

/** What a map shows: components, services, and the relations among them. */
interface Shown {
  ids: Set<number>;
  services: ServiceRow[];
  relations: RelationRow[];
}

/** The estate at the instant of the map. */
interface At {
  db: Db;
  atMs: number;
  components: ReadonlyMap<number, ComponentRow>;
  services: ServiceRow[];
  members: ReturnType<typeof membersAt>;
  reliance: ReturnType<typeof relianceAt>;
}

/** Part of the estate in strata as it was at an instant: of a service, of a site, or round a component. */
export function mapPage(db: Db, question: MapQuestion) {
  const { atMs } = question;
  const at: At = {
    db,
    atMs,
    components: new Map(componentsAt(db, atMs).map((row) => [row.id, row])),
    services: listServices(db),
    members: membersAt(db, atMs),
    reliance: relianceAt(db, atMs),
  };
  const chosen = at.services.find((service) => service.uid === question.service);
  const site = question.site ?? (at.services.length === 0 ? largestSite(at.components.values()) : undefined);
  const shown = shownBy(at, site === undefined ? question : { ...question, site }, chosen);
  const total = shown.ids.size;
  const tooMany = total > MOST_CARDS;
  if (tooMany)
    shown.ids = new Set(
      [...shown.ids].filter((id) => (at.components.get(id)?.host_id ?? null) === null).slice(0, MOST_CARDS),
    );
  const cards = [
    ...shown.services.map((service) => serviceCard(at, service, service === chosen)),
    ...componentCards(at, shown.ids),
  ];
  const links = linksAmong(at, shown.relations, new Set(cards.map((card) => card.id)));
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
    cards: cards.map(({ stratum: _stratum, ...card }): MapCard => ({
      ...card,
      x: place.get(card.id)?.x ?? 0,
      y: place.get(card.id)?.y ?? 0,
    })),
    links,
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
    sites: estateFacets(db, atMs).sites,
  };
}

/** Where no service is defined, the map opens on the site with most components. */
function largestSite(components: Iterable<ComponentRow>): string | undefined {
  const counts = new Map<string, number>();
  for (const { site } of components) counts.set(site, (counts.get(site) ?? 0) + 1);
  return [...counts].sort((a, b) => b[1] - a[1] || a[0].localeCompare(b[0]))[0]?.[0];
}

function shownBy(at: At, question: MapQuestion, chosen: ServiceRow | undefined): Shown {
  if (question.around !== undefined) return aroundComponent(at, question.around, question.steps ?? 2);
  if (question.site) return ofSite(at, question.site);
  if (chosen) return ofService(at, chosen);
  return { ids: new Set(), services: at.services, relations: [] };
}

function aroundComponent({ db, atMs, components, members, services }: At, centre: number, steps: number): Shown {
  const relations = relationsAt(db, atMs);
  const graph = new EstateGraph(relations.map((row) => ({ type: row.type, from: row.from_id, to: row.to_id })));
  const shared = new Set([...components.values()].flatMap((row) => (kindInfo(row.kind).hasGuests ? [row.id] : [])));
  const ids = graph.neighbourhood([centre], steps, new Set(["talks-to", "runs-on", "hosted-by"]), shared);
  for (const edge of graph.from(centre)) if (edge.type === "wired-to") ids.add(edge.to);
  const inServices = new Set(
    members
      .filter(
        (row) => row.component_id === centre || (components.get(row.component_id)?.host_id === centre && row.entry),
      )
      .map((row) => row.service_id),
  );
  return { ids, relations, services: services.filter((service) => inServices.has(service.id)) };
}

function ofSite({ db, atMs, components, members, services }: At, site: string): Shown {
  const ids = new Set([...components.values()].filter((row) => row.site === site).map((row) => row.id));
  const here = new Set(members.filter((row) => ids.has(row.component_id)).map((row) => row.service_id));
  return { ids, relations: relationsAt(db, atMs), services: services.filter((service) => here.has(service.id)) };
}

function ofService({ db, atMs, members, services, reliance }: At, chosen: ServiceRow): Shown {
  const ids = new Set(members.filter((row) => row.service_id === chosen.id).map((row) => row.component_id));
  // The switches its hosts are wired to carry it too, and those behind them.
  const relations = new Map<number, RelationRow>();
  for (let added: number[] = [...ids]; added.length;) {
    const from = new Set(added);
    const own = relationsOf(db, from, atMs);
    for (const row of own) relations.set(row.id, row);
    const wired = own.filter((row) => row.type === "wired-to" && from.has(row.from_id));
    added = [...new Set(wired.map((row) => row.to_id).filter((id) => !ids.has(id)))];
    for (const id of added) ids.add(id);
  }
  const relied = reliance.get(chosen.id) ?? new Set<number>();
  return {
    ids,
    relations: [...relations.values()],
    services: services.filter(
      (service) => service.id === chosen.id || relied.has(service.id) || reliance.get(service.id)?.has(chosen.id),
    ),
  };
}

type Unplaced = Omit<MapCard, "x" | "y"> & { stratum: Stratum };

function serviceCard({ db, atMs }: At, service: ServiceRow, isChosen: boolean): Unplaced {
  const series = seriesOfService(db, service.id);
  const last = series && lastSample(db, series.id, atMs, FIGURE_MS);
  const state = healthAt(db, "service", atMs).get(service.id);
  return {
    id: `s${service.id}`,
    componentId: null,
    serviceId: service.id,
    name: service.name,
    sub: isChosen ? "this service" : "service",
    kind: "service",
    kindLabel: "Service",
    severity: state?.severity ?? "cleared",
    reason: state?.reason ?? "",
    figure: last && service.figure ? formatValue(last.value, service.figure.unit) : "",
    stratum: "services",
  };
}

function componentCards({ db, atMs, components }: At, ids: ReadonlySet<number>): Unplaced[] {
  const health = healthAt(db, "component", atMs);
  const figureOf = (id: number, { headline }: KindInfo): string => {
    const series = headline ? seriesOfMetric(db, id, headline.metric) : undefined;
    const last = series && lastSample(db, series.id, atMs, FIGURE_MS);
    return last && series && headline ? `${headline.word} ${formatValue(last.value, series.unit)}`.trim() : "";
  };
  return [...ids].flatMap((id): Unplaced[] => {
    const row = components.get(id);
    if (!row) return [];
    const info = kindInfo(row.kind);
    const state = health.get(id);
    const host = row.host_id === null ? undefined : components.get(row.host_id);
    return [
      {
        id: `c${id}`,
        componentId: id,
        serviceId: null,
        name: row.label ?? row.name,
        sub: host?.name ?? row.address ?? "",
        kind: row.kind,
        kindLabel: info.label,
        severity: state?.severity ?? "cleared",
        reason: state?.reason ?? "",
        figure: figureOf(id, info),
        stratum: info.stratum,
      },
    ];
  });
}

/** Relations, entry points and reliance between cards that are shown. */
function linksAmong(
  { members, reliance }: At,
  relations: readonly RelationRow[],
  known: ReadonlySet<string>,
): MapLink[] {
  const link = (id: string, from: string, to: string, type: string, connections = 0, detail = ""): MapLink[] =>
    known.has(from) && known.has(to) ? [{ id, from, to, type, connections, detail }] : [];
  return [
    ...relations.flatMap((row) =>
      link(`r${row.id}`, `c${row.from_id}`, `c${row.to_id}`, row.type, row.connections, row.detail),
    ),
    ...members.flatMap((row) =>
      row.entry
        ? link(
            `m${row.service_id}-${row.component_id}`,
            `s${row.service_id}`,
            `c${row.component_id}`,
            "part-of",
            0,
            "entry point",
          )
        : [],
    ),
    ...[...reliance].flatMap(([service, needs]) =>
      [...needs].flatMap((other) => link(`n${service}-${other}`, `s${service}`, `s${other}`, "relies-on")),
    ),
  ];
}
