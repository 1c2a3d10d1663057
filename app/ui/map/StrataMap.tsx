import { useCallback, useMemo, useState } from "react";
import type { mapPage, MapCard } from "#server/pages/map";
import { useKeep } from "../../shell/window";
import { useMounted } from "../mounted";
import { PlainButton } from "../PlainButton";
import { MapCardLink } from "./MapCardLink";
import { MapLines } from "./MapLines";
import { detailOf, useMapView, type MapView } from "./view";

export type MapData = NonNullable<ReturnType<typeof mapPage>>;

interface StrataMapProps {
  map: MapData;
  height: number | string;
  /** Component that is marked as the centre. */
  highlight?: number;
}

/**
 * The map in strata: layers from people down to the network, cards with health, quiet lines that thicken with traffic.
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
  const point = useCallback(
    ({ type, target }: React.PointerEvent) =>
      setHovered(type === "pointerleave" || !(target instanceof Element) ? null : placeOf(target.closest(".hx-node"))),
    [],
  );
  return { hovered, near, point };
}

function Drawing({ map, height, highlight }: StrataMapProps) {
  const keep = useKeep();
  const view = useMapView(map);
  const { hovered, near, point } = useNeighbours(map);
  const address = (card: MapCard) =>
    keep(card.componentId === null ? `/services/${card.serviceUid}` : `/estate/${card.componentId}`);
  return (
    // The keys move what is under the focused cards; the cards themselves are links.
    // oxlint-disable-next-line jsx-a11y/no-noninteractive-element-interactions
    <div
      role="group"
      aria-label="Map in strata: arrow keys move it, plus and minus zoom, 0 shows it whole"
      className="hx-map"
      style={{ height }}
      ref={view.frame}
      onPointerOver={point}
      onPointerLeave={point}
      onKeyDown={(event) => moveByKey(event, view)}
      onFocus={(event) => {
        const card = event.target.matches(".hx-node:focus-visible") && map.cards[placeOf(event.target) ?? -1];
        if (card) view.show(card);
      }}
    >
      <div className="hx-map-drawing" ref={view.drawing}>
        {map.strata.map((stratum, index) => (
          <div
            key={stratum.id}
            className={index % 2 ? "hx-band hx-odd" : "hx-band"}
            style={{ top: stratum.y, width: map.width, height: stratum.height }}
          >
            <span>{stratum.label}</span>
          </div>
        ))}
        <MapLines map={map} hovered={hovered} dashed={detailOf(view.level) === "full"} />
        <div
          className={`hx-nodes hx-nodes-${detailOf(view.level)}`}
          style={{ fontSize: Math.max(12.5, 11 / view.level) }}
        >
          {map.cards.map((card, place) => (
            <MapCardLink
              key={place}
              id={idOf(place)}
              card={card}
              address={address(card)}
              level={view.level}
              faded={near !== null && !near.has(place)}
              chosen={card.componentId !== null && card.componentId === highlight}
            />
          ))}
        </div>
      </div>
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
    </div>
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

function moveByKey(event: React.KeyboardEvent, view: MapView): void {
  const act = KEYS[event.key];
  if (!act || event.metaKey || event.ctrlKey || event.altKey) return;
  event.preventDefault();
  act(view);
}
