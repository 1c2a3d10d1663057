import { kindInfo } from "#core/catalogue/kinds";
import { EstateGraph } from "#core/topology/graph";
import { between, NEEDS, reach, type Connection } from "#core/topology/paths";
import { takingPart } from "#core/topology/taking-part";
import { changedComponents } from "../../store/changes";
import type { Db } from "../../store/database";
import { componentById, componentsAt, componentsById, type ComponentRow } from "../../store/estate";
import { idsFitting } from "../../store/estate-list";
import { collections, filterOfCollection } from "../../store/labels";
import { alarmsOfIncident, incidentById } from "../../store/incidents";
import { relationsAmong, relationsAt, relationsTo, targetsOf, type RelationRow } from "../../store/relations";
import {
  membersAt,
  membersOf,
  servicesOfComponents,
  type HealthRow,
  type relianceAt,
  type ServiceRow,
} from "../../store/services";

/** Which part of the estate a map is of. Without any it is of all. */
export interface MapScope {
  service?: string;
  site?: string;
  collection?: number;
  /** What takes part in an incident: its likeliest causes, what is hurt, and what lies between. */
  incident?: number;
  /** The map round one component: what needs it so many steps up, what it needs so many steps down. */
  around?: number;
  up?: number;
  down?: number;
  /** The ways between two components. */
  from?: number;
  to?: number;
}

/**
 * What is left of it: all, what is unwell with what it talks to, or what changed in the window; or all of both ends of
 * the window, with marks at what differs.
 */
export type MapOnly = "all" | "unwell" | "changed" | "marked";

/** What a map shows: components, services, and the relations among them. */
export interface Shown {
  components: ComponentRow[];
  services: ServiceRow[];
  relations: RelationRow[];
  /** Of a map between two components: how they hang together; null where nothing joins them. */
  way?: (Connection & { ends: [ComponentRow, ComponentRow] }) | null;
}

/** The estate at the instant of the map. */
export interface At {
  db: Db;
  atMs: number;
  fromMs: number;
  services: readonly ServiceRow[];
  reliance: ReturnType<typeof relianceAt>;
  health: ReadonlyMap<number, HealthRow>;
  serviceHealth: ReadonlyMap<number, HealthRow>;
}

const STEPS = 2;

/** A name for the scope, for headings. */
export function scopeName(at: At, scope: MapScope): string {
  if (scope.from !== undefined && scope.to !== undefined) return "the way between two components";
  if (scope.around !== undefined) return componentById(at.db, scope.around)?.name ?? "an unknown component";
  if (scope.incident !== undefined) return `Incident ${scope.incident}`;
  if (scope.service) return at.services.find((one) => one.uid === scope.service)?.name ?? "an unknown service";
  if (scope.collection !== undefined)
    return collections(at.db).find((one) => one.id === scope.collection)?.name ?? "an unknown collection";
  return scope.site ?? "The estate";
}

export function shownBy(at: At, scope: MapScope, only: MapOnly): Shown {
  const shown = partOf(at, scope);
  if (only === "all") return shown;
  if (only === "marked") return withFormer(shown, partOf({ ...at, atMs: at.fromMs }, scope));
  const kept =
    only === "changed"
      ? changedComponents(at.db, at.fromMs, at.atMs)
      : new Set([...at.health].flatMap(([id, { severity }]) => (severity === "cleared" ? [] : [id])));
  return {
    ...shown,
    components: shown.components.filter((row) => kept.has(row.id)),
    services:
      only === "changed"
        ? []
        : shown.services.filter(({ id }) => (at.serviceHealth.get(id)?.severity ?? "cleared") !== "cleared"),
  };
}

/** What was there before too, after what is there now. */
function withFormer(now: Shown, before: Shown): Shown {
  const rest = <Row extends { id: number }>(rows: readonly Row[], others: readonly Row[]) => {
    const ids = new Set(rows.map((row) => row.id));
    return [...rows, ...others.filter((row) => !ids.has(row.id))];
  };
  return {
    ...now,
    components: rest(now.components, before.components),
    services: rest(now.services, before.services),
    relations: rest(now.relations, before.relations),
  };
}

function partOf(at: At, scope: MapScope): Shown {
  if (scope.from !== undefined && scope.to !== undefined) return wayBetween(at, scope.from, scope.to);
  if (scope.around !== undefined) return aroundComponent(at, scope.around, scope);
  if (scope.incident !== undefined) return ofIncident(at, scope.incident);
  if (scope.site) return ofComponents(at, (row) => row.site === scope.site);
  const collection = collections(at.db).find((one) => one.id === scope.collection);
  if (collection) {
    const ids = new Set(idsFitting(at.db, { ...filterOfCollection(collection.filter), atMs: at.atMs } as never));
    return ofComponents(at, (row) => ids.has(row.id));
  }
  const service = at.services.find((one) => one.uid === scope.service);
  if (service) return ofService(at, service);
  if (scope.service !== undefined || scope.collection !== undefined)
    return { components: [], services: [], relations: [] };
  return {
    components: componentsAt(at.db, at.atMs),
    relations: relationsAt(at.db, at.atMs),
    services: [...at.services],
  };
}

const graphOf = (relations: readonly RelationRow[]) =>
  new EstateGraph(relations.map((row) => ({ type: row.type, from: row.from_id, to: row.to_id })));

function wayBetween({ db, atMs }: At, from: number, to: number): Shown {
  const relations = relationsAt(db, atMs);
  const ends = [componentById(db, from), componentById(db, to)];
  const way = ends[0] && ends[1] && between(graphOf(relations), from, to);
  const components = componentsById(db, way ? way.ids : ends.flatMap((end) => end?.id ?? []));
  return {
    components,
    relations,
    services: [],
    way: way ? { ...way, ends: ends as [ComponentRow, ComponentRow] } : null,
  };
}

function aroundComponent({ db, atMs, services }: At, centre: number, { up, down }: MapScope): Shown {
  const components = new Map(componentsAt(db, atMs).map((row) => [row.id, row]));
  const relations = relationsAt(db, atMs);
  const graph = graphOf(relations);
  const shared = new Set([...components.values()].flatMap((row) => (kindInfo(row.kind).hasGuests ? [row.id] : [])));
  const ids =
    up === undefined && down === undefined
      ? graph.neighbourhood([centre], STEPS, new Set(["talks-to", "runs-on", "hosted-by"]), shared)
      : reach(graph, centre, { up: up ?? 0, down: down ?? 0 }, shared);
  if (up === undefined && down === undefined)
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

function ofComponents({ db, atMs, services }: At, isIn: (row: ComponentRow) => boolean): Shown {
  const components = componentsAt(db, atMs).filter(isIn);
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

/** Components that a map of an incident shows at most, and alarmed ones for which the way is looked for. */
const MOST_OF_INCIDENT = 40;
const MOST_CAUSES = 2;

function ofIncident({ db, atMs, services }: At, id: number): Shown {
  const incident = incidentById(db, id);
  if (!incident) return { components: [], services: [], relations: [] };
  const alarms = alarmsOfIncident(db, id).filter((one) => one.quiet === null);
  const named = incident.confirmed ? [incident.confirmed] : incident.causes.filter((one) => one.isRoot);
  const affected = new Set(incident.services.map((one) => one.id));
  const hurt = new Set(alarms.flatMap((one) => one.component_id ?? []));
  for (const { service_id, component_id, entry } of membersAt(db, atMs))
    if (entry && affected.has(service_id)) hurt.add(component_id);
  const ids = takingPart({
    causes: named.slice(0, MOST_CAUSES).flatMap((one) => one.componentId ?? []),
    hurt: [...hurt],
    needersOf: (front) =>
      relationsTo(db, front, atMs).flatMap((row) => (NEEDS.has(row.type) ? [[row.from_id, row.to_id] as const] : [])),
    most: MOST_OF_INCIDENT,
  });
  return {
    components: componentsById(db, ids),
    relations: relationsAmong(db, ids, atMs),
    services: services.filter((one) => affected.has(one.id)),
  };
}
