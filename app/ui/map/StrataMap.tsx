import { useCallback, useMemo, useState } from "react";
import type { mapPage, MapCard } from "#server/pages/map/page";
import { useKeep } from "../../shell/window";
import { useMounted } from "../mounted";
import { PlainButton } from "../PlainButton";
import { neighbourOf, type Direction } from "./along";
import { MapCardLink } from "./MapCardLink";
import { MapLines } from "./MapLines";
import { detailOf, useMapView, type MapView } from "./view";

export type MapData = NonNullable<ReturnType<typeof mapPage>>;

export interface StrataMapProps {
  map: MapData;
  height: number | string;
  /** Component that is marked as the centre. */
  highlight?: number;
  /** Words that stand at components, by id. */
  marks?: ReadonlyMap<number, string>;
  /** What a card leads to; its page if left out. */
  addressOf?: (card: MapCard) => string;
  /** Opens or closes a group. */
  toggleOf?: (key: string) => string;
  /** Id of the card, or key of the relation, that is shown beside the map. */
  chosen?: string | undefined;
  onChoose?: (key: string) => void;
}

/**
 * The map in strata or any other arrangement: cards with health in rows, groups that open in place, quiet lines that
 * thicken with traffic and say where calls fail.
 */
export function StrataMap(props: StrataMapProps) {
  // How much fits is known only in the browser.
  return useMounted() ? <Drawing {...props} /> : <div className="hx-map" style={{ height: props.height }} />;
}

/** Ids of cards in the page, by their place among the cards. */
const idOf = (place: number) => `card-${place}`;
const placeOf = (element: Element | null) => (element ? Number(element.id.slice("card-".length)) : null);

/** The card under the pointer, with those it has relations with. */
function useNeighbours(map: MapData) {
  const [hovered, setHovered] = useState<number | null>(null);
  const near = useMemo(() => {
    if (hovered === null) return null;
    const set = new Set([hovered]);
    for (const [from, to] of map.links.flatMap((links) => links.ends)) {
      if (from === hovered) set.add(to);
      if (to === hovered) set.add(from);
    }
    return set;
  }, [hovered, map.links]);
  const point = useCallback(({ type, target }: React.PointerEvent) => {
    const card = type === "pointerleave" || !(target instanceof Element) ? null : target.closest(".hx-node");
    setHovered(card ? placeOf(card.querySelector(".hx-node-link")) : null);
  }, []);
  return { hovered, near, point };
}

function Drawing({ map, height, highlight, marks, addressOf, toggleOf, chosen, onChoose }: StrataMapProps) {
  const keep = useKeep();
  const view = useMapView(map);
  const { hovered, near, point } = useNeighbours(map);
  const address = (card: MapCard) =>
    addressOf?.(card) ??
    keep(card.componentId === null ? `/services/${card.serviceUid ?? ""}` : `/estate/${card.componentId}`);
  const isFaded = (card: MapCard, place: number) => (near ? !near.has(place) : card.found === 0);
  return (
    // The keys move what is under the focused cards; the cards themselves are links.
    // oxlint-disable-next-line jsx-a11y/no-noninteractive-element-interactions
    <div
      role="group"
      aria-label="Map: arrow keys go along relations from card to card, or move the map with Shift; o opens a group, plus and minus zoom, 0 shows it whole"
      className="hx-map"
      style={{ height }}
      ref={view.frame}
      onPointerOver={point}
      onPointerLeave={point}
      onKeyDown={(event) => actByKey(event, map, view)}
      onFocus={(event) => {
        const card = event.target.matches(".hx-node-link:focus-visible") && map.cards[placeOf(event.target) ?? -1];
        if (card) view.show(card);
      }}
    >
      <div className="hx-map-drawing" ref={view.drawing}>
        <Bands map={map} level={view.level} />
        <MapLines
          map={map}
          hovered={hovered}
          dashed={detailOf(view.level) === "full"}
          level={view.level}
          onChoose={onChoose}
          chosen={chosen}
        />
        <div
          className={`hx-nodes hx-nodes-${detailOf(view.level)}`}
          style={{ fontSize: Math.max(12.5, 11 / view.level) }}
        >
          {map.cards.map((card, place) => (
            <MapCardLink
              key={card.id}
              id={idOf(place)}
              card={card}
              address={address(card)}
              toggle={card.group ? toggleOf?.(card.group.key) : undefined}
              level={view.level}
              faded={isFaded(card, place)}
              mark={marks?.get(card.componentId ?? 0)}
              difference={card.mark}
              figureFirst={map.figure !== null}
              chosen={card.id === chosen || (card.componentId !== null && card.componentId === highlight)}
            />
          ))}
        </div>
      </div>
      <Legend types={map.links.map((links) => links.type)} />
      <Zoom view={view} />
    </div>
  );
}

/** Strata, and trays for what belongs together. */
function Bands({ map, level }: { map: StrataMapProps["map"]; level: number }) {
  return (
    <>
      {map.strata.map((stratum, index) => (
        <div
          key={stratum.id}
          className={index % 2 ? "hx-band hx-odd" : "hx-band"}
          style={{ top: stratum.y, width: map.width, height: stratum.height }}
        >
          <span>{stratum.label}</span>
        </div>
      ))}
      {map.trays.map(({ key, label, left, x, y, width, height: tall, depth }) => (
        <div key={key} className="hx-tray" style={{ left: x, top: y, width, height: tall, zIndex: depth }}>
          {level >= 0.5 ? (
            <span style={{ fontSize: Math.max(12, 11 / level) }}>
              {label}
              {left ? ` (the worst; ${left.toLocaleString("en-GB")} more have no room)` : ""}
            </span>
          ) : null}
        </div>
      ))}
    </>
  );
}

function Zoom({ view }: { view: ReturnType<typeof useMapView> }) {
  return (
    <div className="hx-map-keys">
      <PlainButton label="Zoom in" title="Zoom in (+)" onClick={() => view.zoomBy(1.3)}>
        +
      </PlainButton>
      <PlainButton label="Zoom out" title="Zoom out (−)" onClick={() => view.zoomBy(1 / 1.3)}>
        −
      </PlainButton>
      <PlainButton label="Show the whole map" title="Show the whole map (0)" onClick={view.whole}>
        ⤢
      </PlainButton>
    </div>
  );
}

/** What lines mean, of the kinds that are drawn. */
function Legend({ types }: { types: readonly string[] }) {
  const has = (...wanted: string[]) => wanted.some((type) => types.includes(type));
  const entries = [
    ...(has("talks-to")
      ? [
          { dash: "", width: 2, colour: "", text: "calls, thicker with traffic" },
          { dash: "", width: 2, colour: "var(--hx-major)", text: "calls fail" },
        ]
      : []),
    ...(has("runs-on", "hosted-by", "part-of")
      ? [{ dash: "2 4", width: 1, colour: "", text: has("part-of") ? "runs on, is part of" : "runs on" }]
      : []),
    ...(has("wired-to") ? [{ dash: "8 2 2 2", width: 2, colour: "", text: "wired to, thicker with traffic" }] : []),
    ...(has("entered-by", "relies-on") ? [{ dash: "7 4", width: 1, colour: "", text: "entered by, relies on" }] : []),
  ];
  return (
    <ul className="hx-map-legend" aria-label="Legend">
      {entries.map(({ dash, width, colour, text }) => (
        <li key={text}>
          <svg width="24" height="6" aria-hidden="true">
            <path
              d="M0 3H24"
              strokeWidth={width}
              strokeDasharray={dash}
              style={colour ? { stroke: colour } : undefined}
            />
          </svg>{" "}
          {text}
        </li>
      ))}
    </ul>
  );
}

const KEYS: Readonly<Record<string, (view: MapView) => void>> = {
  "+": (view) => view.zoomBy(1.3),
  "-": (view) => view.zoomBy(1 / 1.3),
  "0": (view) => view.whole(),
  ArrowLeft: (view) => view.moveBy(1, 0),
  ArrowRight: (view) => view.moveBy(-1, 0),
  ArrowUp: (view) => view.moveBy(0, 1),
  ArrowDown: (view) => view.moveBy(0, -1),
};

const DIRECTIONS: Readonly<Record<string, Direction>> = {
  ArrowUp: "up",
  ArrowDown: "down",
  ArrowLeft: "left",
  ArrowRight: "right",
};

/** From a card the arrows go along its relations; anywhere else, and with Shift, they move the map. */
function actByKey(event: React.KeyboardEvent, map: MapData, view: MapView): void {
  if (event.metaKey || event.ctrlKey || event.altKey || !(event.target instanceof Element)) return;
  const card = event.target.closest(".hx-node");
  const link = card?.querySelector<HTMLElement>(".hx-node-link") ?? null;
  const direction = DIRECTIONS[event.key];
  if (link && direction && !event.shiftKey) {
    event.preventDefault();
    const next = neighbourOf(map.cards, map.links, placeOf(link) ?? -1, direction);
    if (next !== undefined) document.getElementById(idOf(next))?.focus();
    return;
  }
  if (card && event.key === "o") return void card.querySelector<HTMLElement>(".hx-toggle")?.click();
  const act = KEYS[event.key];
  if (!act) return;
  event.preventDefault();
  act(view);
}
