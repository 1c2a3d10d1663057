import { arrange, drawnAs, sumLinks, unfold, type Link, type Visible } from "#core/topology/arrange";
import type { Attribute } from "#core/topology/attributes";
import { cardFigure } from "#core/topology/card-figures";
import { columnsFor, layBoard, type BoardCard } from "#core/topology/board";
import { orderLayers } from "#core/topology/order";
import type { Db } from "../../store/database";
import { callsByPair } from "../../store/call-figures";
import { estateFacets } from "../../store/estate-list";
import { collections } from "../../store/labels";
import type { RelationRow } from "../../store/relations";
import { componentsOfResources } from "../../store/resources";
import { savedViews } from "../../store/saved-views";
import { healthAt, listServices, membersAt, relianceAt } from "../../store/services";
import { cardOf, groupCard, thingsOf, type MapCard, type Thing } from "./cards";
import { trafficOf } from "../wire";
import { figuresOf } from "./figures";
import { marksBetween, markOfGroup, type DifferenceMark } from "./marks";
import { scopeName, shownBy, type At, type MapOnly, type MapScope, type Shown } from "./scope";

export type { MapCard } from "./cards";

/** Lines of one type: places of both ends among the cards, and what went over them. */
export interface MapLinks {
  type: string;
  ends: MapLink[];
}

export type MapLink = [
  from: number,
  to: number,
  connections: number,
  calls: number,
  failed: number,
  relations: number,
  /** Bit/s both ways, of wires; 0 where unknown. */
  traffic: number,
];

export interface MapQuestion extends MapScope {
  atMs: number;
  /** Beginning of the window whose calls and changes count; the last hour if left out. */
  fromMs?: number;
  /** What it is arranged by, from the outside in; two at most. Left out, by layer, and what is many by kind. */
  by?: readonly Attribute[];
  /** Keys of open groups. */
  open?: readonly string[];
  /** Whose saved maps are listed. */
  who?: string;
  /** Words that names must contain to be marked as found. */
  find?: string;
  only?: MapOnly;
  /** What stands on the cards, of `CARD_FIGURES`; left out, the usual figure of each kind. */
  figure?: string;
}

export const CARD = { width: 172, height: 62 } as const;
/** Cards of an open group, or of a layer that is not grouped, that are drawn one by one. */
export const MOST_TOGETHER = 40;
const FURTHER = ["kind", "site", "subnet"] as const;
const LAYOUT = {
  cardWidth: CARD.width,
  cardHeight: CARD.height,
  gapX: 28,
  gapY: 26,
  padding: 18,
  trayHead: 22,
} as const;
const MARGIN = { withNames: 96, without: 34 } as const;
const HOUR = 3_600_000;

/** How the estate is at an instant, as far as maps need it. */
export function estateAt(db: Db, atMs: number, fromMs: number): At {
  return {
    db,
    atMs,
    fromMs,
    services: listServices(db),
    reliance: relianceAt(db, atMs),
    health: healthAt(db, "component", atMs),
    serviceHealth: healthAt(db, "service", atMs),
  };
}

/** Part of the estate or all of it as it was at an instant, gathered so that it can be read. */
export function mapPage(db: Db, question: MapQuestion) {
  const { atMs, fromMs = atMs - HOUR, only = "all" } = question;
  const at = estateAt(db, atMs, fromMs);
  const { shown, things, by, visible, bands } = gathered(at, question);
  const places = drawnAs(visible);
  const links = sumLinks(linksAmong(at, shown), places);
  // Layers of cards that are no groups are ordered so that lines cross little; groups stay where one knows them.
  const order = orderLayers(
    bands.map((band) => band.cards.map((card) => card.id)),
    links,
    (index) => by[0] !== "layer" || (bands[index]?.cards.some((card) => card.group) ?? true),
  );
  const { cards, byId } = drawn(at, visible, question.figure);
  const marks = only === "marked" ? marksBetween(db, fromMs, atMs) : undefined;
  const withNames = by[0] === "layer";
  const board = layBoard(
    bands.map(({ id, label, cards: inside }, index) => ({
      id,
      label,
      cards: inOrder(inside, order[index]).map(toBoard),
    })),
    { ...LAYOUT, columns: columnsFor(visible.length), margin: withNames ? MARGIN.withNames : MARGIN.without },
  );
  const spots = new Map(board.cards.map((card) => [card.id, card]));
  const { sites } = estateFacets(db, atMs);
  const found = foundIn(things, places, question.find);
  return {
    cards: cards.map((card): MapCard => ({
      ...card,
      x: spots.get(card.id)?.x ?? 0,
      y: spots.get(card.id)?.y ?? 0,
      ...(found ? { found: found.get(card.id) ?? 0 } : {}),
      ...(marks ? { mark: markOf(card, marks, visible) } : {}),
    })),
    foundCount: found ? [...found.values()].reduce((sum, count) => sum + count, 0) : null,
    links: byType(links, byId),
    strata: board.bands,
    trays: board.trays.map((tray) => ({ ...tray, ...trayText(visible, tray.of) })),
    width: board.width,
    height: board.height,
    name: scopeName(at, question),
    by,
    only,
    /** The figure that was chosen for the cards. */
    figure: cardFigure(question.figure ?? "")?.label ?? null,
    marked: marks ? things.filter(({ row }) => row && marks.has(row.id)).length : null,
    total: shown.components.length,
    unwell: things.filter((thing) => thing.row && thing.severity !== "cleared").length,
    way: shown.way === undefined ? undefined : shown.way && wayText(shown.way),
    services: at.services.map((service) => ({
      uid: service.uid,
      name: service.name,
      severity: at.serviceHealth.get(service.id)?.severity ?? ("cleared" as const),
    })),
    sites,
    saved: question.who === undefined ? [] : savedViews(db, "map", question.who),
    collections: collections(db).map(({ id, name }) => ({ id, name })),
  };
}

/** What is different about what a card stands for. */
function markOf(
  { componentId, group }: Pick<MapCard, "componentId" | "group">,
  marks: ReadonlyMap<number, DifferenceMark>,
  visible: readonly Visible<Thing>[],
): DifferenceMark | undefined {
  if (componentId !== null) return marks.get(componentId);
  const members = group ? groupByKey(visible, group.key)?.members : undefined;
  return members && markOfGroup(members.flatMap((one) => marks.get(one.row?.id ?? 0) ?? []));
}

function groupByKey(visible: readonly Visible<Thing>[], key: string): Visible<Thing>["group"] {
  for (const one of visible) {
    if (one.group?.key === key) return one.group;
    const below = one.inside && groupByKey(one.inside, key);
    if (below) return below;
  }
  return undefined;
}

/** Everything of a map's scope, gathered as asked: what is drawn, and in which bands. */
export function gathered(at: At, question: MapQuestion) {
  const { open = [], only = "all" } = question;
  const isWhole = [
    question.service,
    question.site,
    question.around,
    question.from,
    question.collection,
    question.incident,
  ].every((one) => one === undefined || one === "");
  const by: readonly Attribute[] = question.by?.length ? question.by : isWhole ? ["layer", "kind"] : ["layer"];
  const shown = shownBy(at, question, only);
  const things = thingsOf(at, shown, new Set([...by, ...FURTHER, "layer"]), question.service);
  const folding = { open: new Set(open), most: MOST_TOGETHER, further: FURTHER };
  // Services are shown where there are layers; elsewhere they would be members of nothing.
  const groups = arrange(by[0] === "layer" ? things : things.filter((thing) => thing.row), by);
  const bands =
    by[0] === "layer"
      ? groups.map((group) => ({
          id: group.key,
          label: group.label,
          // A layer is always open: its name stands at the side.
          cards: unfold([group], { ...folding, open: new Set([...open, group.key]) })[0]?.inside ?? [
            { id: group.members[0]?.id ?? "", thing: group.members[0] as Thing },
          ],
        }))
      : [{ id: "all", label: "", cards: unfold(groups, folding) }];
  return { shown, things, by, groups, bands, visible: bands.flatMap((band) => band.cards) };
}

/** How many of what each card stands for have all the words in their names; undefined without words. */
function foundIn(
  things: readonly Thing[],
  places: ReadonlyMap<string, string>,
  text = "",
): Map<string, number> | undefined {
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  if (!words.length) return undefined;
  const counts = new Map<string, number>();
  for (const { id, name, sub, row } of things) {
    const said = `${name} ${sub} ${row?.name ?? ""} ${row?.address ?? ""}`.toLowerCase();
    const place = places.get(id);
    if (place !== undefined && words.every((word) => said.includes(word)))
      counts.set(place, (counts.get(place) ?? 0) + 1);
  }
  return counts;
}

function inOrder(cards: readonly Visible<Thing>[], order: readonly string[] = []): Visible<Thing>[] {
  const byId = new Map(cards.map((card) => [card.id, card]));
  return order.flatMap((id) => byId.get(id) ?? []);
}

const toBoard = ({ id, inside }: Visible<Thing>): BoardCard => (inside ? { id, inside: inside.map(toBoard) } : { id });

/** Cards of everything that is drawn, open groups and what is in them too. */
function drawn(at: At, visible: readonly Visible<Thing>[], chosen: string | undefined) {
  const all: Visible<Thing>[] = [];
  const walk = (list: readonly Visible<Thing>[]) => {
    for (const one of list) {
      all.push(one);
      if (one.inside) walk(one.inside);
    }
  };
  walk(visible);
  const figure = figuresOf(
    at,
    all.flatMap((one) => one.thing ?? []),
    chosen,
  );
  const cards = all.flatMap((one) =>
    one.thing ? [cardOf(one.thing, figure(one.thing))] : one.group ? [groupCard(one.id, one.group, !!one.inside)] : [],
  );
  return { cards, byId: new Map(cards.map((card, place) => [card.id, place])) };
}

function trayText(visible: readonly Visible<Thing>[], id: string): { label: string; key: string; left: number } {
  for (const one of visible) {
    if (one.id === id) return { label: one.group?.label ?? "", key: one.group?.key ?? "", left: one.left ?? 0 };
    const below = one.inside && trayText(one.inside, id);
    if (below?.key) return below;
  }
  return { label: "", key: "", left: 0 };
}

const wayText = ({ ends, steps, direction }: NonNullable<Shown["way"]>) => ({
  from: ends[0].name,
  to: ends[1].name,
  steps,
  direction,
});

/** Relations, entry points and reliance between what the map is of, with the calls that went over them. */
export function linksAmong(at: At, shown: Shown): Link[] {
  const calls = callsAmong(at, shown.relations);
  const traffic = trafficOf(at.db, shown.relations, at.atMs);
  const links: Link[] = shown.relations.map(({ id, type, from_id, to_id, connections }) => ({
    type,
    from: `c${from_id}`,
    to: `c${to_id}`,
    connections,
    traffic: traffic.get(id) ?? 0,
    ...(type === "talks-to" ? calls.get(`${from_id} ${to_id}`) : undefined),
  }));
  const services = new Set(shown.services.map((service) => service.id));
  if (services.size)
    for (const { service_id, component_id, entry } of membersAt(at.db, at.atMs))
      if (entry && services.has(service_id))
        links.push({ type: "entered-by", from: `s${service_id}`, to: `c${component_id}`, connections: 0 });
  for (const [service, needs] of at.reliance)
    if (services.has(service))
      for (const other of needs)
        links.push({ type: "relies-on", from: `s${service}`, to: `s${other}`, connections: 0 });
  return links;
}

/** Calls and failures in the window over some relations, from component to component, where spans tell of them. */
export function callsAmong(
  { db, fromMs, atMs }: At,
  relations: readonly Pick<RelationRow, "type" | "from_id" | "to_id">[],
): Map<string, { calls: number; failed: number }> {
  const talks = relations.filter((one) => one.type === "talks-to");
  const sums = new Map<string, { calls: number; failed: number }>();
  if (talks.length === 0) return sums;
  const [callers, called] = [new Set(talks.map((one) => one.from_id)), new Set(talks.map((one) => one.to_id))];
  const senders = componentsOfResources(db);
  const sendersOf = (wanted: ReadonlySet<number>) =>
    new Set([...senders].flatMap(([sender, component]) => (wanted.has(component) ? sender : [])));
  for (const { from, to, calls, failed } of callsByPair(db, sendersOf(callers), sendersOf(called), fromMs, atMs)) {
    const key = `${senders.get(from)} ${senders.get(to)}`;
    const sum = sums.get(key);
    if (sum) {
      sum.calls += calls;
      sum.failed += failed;
    } else sums.set(key, { calls, failed });
  }
  return sums;
}

/** Links as they are sent: by type, with the places of their ends among the cards. */
function byType(links: ReturnType<typeof sumLinks>, places: ReadonlyMap<string, number>): MapLinks[] {
  const types = new Map<string, MapLink[]>();
  for (const { type, from, to, connections, calls, failed, relations, traffic } of links) {
    const [source, target] = [places.get(from), places.get(to)];
    if (source === undefined || target === undefined) continue;
    const ends = types.get(type) ?? [];
    types.set(type, ends);
    ends.push([source, target, connections, calls, failed, relations, Math.round(traffic)]);
  }
  return [...types].map(([type, ends]) => ({ type, ends }));
}
