import type { Severity } from "#core/alarms/severity";
import { kindInfo, type Stratum } from "#core/catalogue/kinds";
import { neighbourhood } from "#core/topology/graph";
import { layStrata } from "#core/topology/strata";
import { formatValue } from "#core/units/format";
import { MINUTE_MS } from "#core/time/windows";
import type { Db } from "../store/database";
import { componentsAt, estateFacets, relationsAt, relationsOf, type RelationRow } from "../store/estate";
import { healthAt, listServices, membersAt, relianceAt } from "../store/services";
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
const FIGURE_METRIC: Readonly<Record<string, string>> = {
  host: "memory.used",
  net: "cpu.used",
  app: "process.memory",
  db: "process.memory",
  queue: "process.memory",
  dir: "process.memory",
};
const FIGURE_WORD: Readonly<Record<string, string>> = { host: "memory", net: "processor" };

/** Part of the estate in strata as it was at an instant: of a service, of a site, or round a component. */
export function mapPage(db: Db, question: MapQuestion) {
  const { atMs } = question;
  const components = new Map(componentsAt(db, atMs).map((row) => [row.id, row]));
  const services = listServices(db);
  const members = membersAt(db, atMs);
  const reliance = relianceAt(db, atMs);
  const chosen = services.find((service) => service.uid === question.service);
  let ids: Set<number>;
  let shownServices: typeof services;
  let relations: RelationRow[];
  if (question.around !== undefined) {
    relations = relationsAt(db, atMs);
    const edges = relations.map((row) => ({ type: row.type, from: row.from_id, to: row.to_id }));
    const hypervisors = new Set(
      [...components.values()].flatMap((row) => (row.kind === "host.hypervisor" ? [row.id] : [])),
    );
    ids = neighbourhood(
      [question.around],
      edges,
      question.steps ?? 2,
      new Set(["talks-to", "runs-on", "hosted-by"]),
      hypervisors,
    );
    for (const edge of edges) if (edge.type === "wired-to" && edge.from === question.around) ids.add(edge.to);
    const inServices = new Set(
      members
        .filter(
          (row) =>
            row.component_id === question.around ||
            (components.get(row.component_id)?.host_id === question.around && row.entry),
        )
        .map((row) => row.service_id),
    );
    shownServices = services.filter((service) => inServices.has(service.id));
  } else if (question.site) {
    relations = relationsAt(db, atMs);
    ids = new Set([...components.values()].filter((row) => row.site === question.site).map((row) => row.id));
    const here = new Set(members.filter((row) => ids.has(row.component_id)).map((row) => row.service_id));
    shownServices = services.filter((service) => here.has(service.id));
  } else if (chosen) {
    ids = new Set(members.filter((row) => row.service_id === chosen.id).map((row) => row.component_id));
    // The switches its hosts are wired to carry it too, and those behind them.
    for (let added: number[] = [...ids]; added.length;) {
      const known = ids;
      const from = new Set(added);
      added = [
        ...new Set(
          relationsOf(db, from, atMs).flatMap((row) =>
            row.type === "wired-to" && from.has(row.from_id) && !known.has(row.to_id) ? [row.to_id] : [],
          ),
        ),
      ];
      ids = new Set([...known, ...added]);
    }
    relations = relationsOf(db, ids, atMs);
    const relied = reliance.get(chosen.id) ?? new Set<number>();
    shownServices = services.filter(
      (service) => service.id === chosen.id || relied.has(service.id) || reliance.get(service.id)?.has(chosen.id),
    );
  } else {
    ids = new Set();
    relations = [];
    shownServices = services;
  }
  const tooMany = ids.size > MOST_CARDS;
  const total = ids.size;
  if (tooMany)
    ids = new Set([...ids].filter((id) => (components.get(id)?.host_id ?? null) === null).slice(0, MOST_CARDS));

  const componentHealth = healthAt(db, "component", atMs);
  const serviceHealth = healthAt(db, "service", atMs);
  const figureOf = (id: number, kind: string): string => {
    const family = kind.split(".")[0] ?? "";
    const series = seriesOfMetric(db, id, FIGURE_METRIC[family] ?? "");
    const last = series && lastSample(db, series.id, atMs, 12 * MINUTE_MS);
    if (!last || !series) return "";
    const word = FIGURE_WORD[family];
    return word ? `${word} ${formatValue(last.value, series.unit)}` : formatValue(last.value, series.unit);
  };

  const cards: Omit<MapCard, "x" | "y">[] = [];
  const strata = new Map<string, Stratum>();
  for (const service of shownServices) {
    const id = `s${service.id}`;
    const series = seriesOfService(db, service.id);
    const last = series && lastSample(db, series.id, atMs, 12 * MINUTE_MS);
    const state = serviceHealth.get(service.id);
    strata.set(id, "services");
    cards.push({
      id,
      componentId: null,
      serviceId: service.id,
      name: service.name,
      sub: service.uid === question.service ? "this service" : "service",
      kind: "service",
      kindLabel: "Service",
      severity: state?.severity ?? "cleared",
      reason: state?.reason ?? "",
      figure: last && service.figure ? `${formatValue(last.value, service.figure.unit)}` : "",
    });
  }
  for (const id of ids) {
    const row = components.get(id);
    if (!row) continue;
    const [process, host] = row.name.split(" @ ");
    const info = kindInfo(row.kind);
    const state = componentHealth.get(id);
    strata.set(`c${id}`, info.stratum);
    cards.push({
      id: `c${id}`,
      componentId: id,
      serviceId: null,
      name: process ?? row.name,
      sub: host ?? row.address ?? "",
      kind: row.kind,
      kindLabel: info.label,
      severity: state?.severity ?? "cleared",
      reason: state?.reason ?? "",
      figure: figureOf(id, row.kind),
    });
  }
  const known = new Set(cards.map((card) => card.id));
  const links: MapLink[] = [];
  for (const row of relations) {
    const from = `c${row.from_id}`;
    const to = `c${row.to_id}`;
    if (known.has(from) && known.has(to))
      links.push({ id: `r${row.id}`, from, to, type: row.type, connections: row.connections, detail: row.detail });
  }
  for (const row of members) {
    const from = `s${row.service_id}`;
    const to = `c${row.component_id}`;
    if (row.entry && known.has(from) && known.has(to))
      links.push({
        id: `m${row.service_id}-${row.component_id}`,
        from,
        to,
        type: "part-of",
        connections: 0,
        detail: "entry point",
      });
  }
  for (const [service, needs] of reliance)
    for (const other of needs)
      if (known.has(`s${service}`) && known.has(`s${other}`))
        links.push({
          id: `n${service}-${other}`,
          from: `s${service}`,
          to: `s${other}`,
          type: "relies-on",
          connections: 0,
          detail: "",
        });

  const layout = layStrata(
    cards.map((card) => ({
      id: card.id,
      stratum: strata.get(card.id) as Stratum,
      group: card.kind,
      label: card.name + card.sub,
    })),
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
  const place = new Map(layout.cards.map((card) => [card.id, card]));
  return {
    cards: cards.map((card): MapCard => ({ ...card, x: place.get(card.id)?.x ?? 0, y: place.get(card.id)?.y ?? 0 })),
    links,
    strata: layout.strata,
    width: layout.width,
    height: layout.height,
    tooMany,
    total,
    unwell: cards.filter((card) => card.componentId !== null && card.severity !== "cleared").length,
    services: services.map((service) => ({
      uid: service.uid,
      name: service.name,
      severity: serviceHealth.get(service.id)?.severity ?? "cleared",
    })),
    sites: estateFacets(db, atMs).sites,
  };
}
