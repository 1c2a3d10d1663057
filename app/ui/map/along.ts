import type { MapCard, MapLinks } from "#server/pages/map/page";

export type Direction = "up" | "down" | "left" | "right";

type Placed = Pick<MapCard, "x" | "y">;

/**
 * The card that an arrow key goes to: down along a relation to what a card needs, up to what needs it, the nearest
 * across where there are several; to the sides, the next card of the row. Where no relation leads up or down, the
 * nearest card there.
 */
export function neighbourOf(
  cards: readonly Placed[],
  links: readonly MapLinks[],
  place: number,
  direction: Direction,
): number | undefined {
  const here = cards[place];
  if (!here) return undefined;
  const all = cards.map((_card, index) => index).filter((index) => index !== place);
  if (direction === "left" || direction === "right") {
    const way = direction === "right" ? 1 : -1;
    return nearest(
      all.filter((index) => cards[index]?.y === here.y && ((cards[index]?.x ?? 0) - here.x) * way > 0),
      (index) => Math.abs((cards[index]?.x ?? 0) - here.x),
    );
  }
  const related = new Set<number>();
  for (const { ends } of links)
    for (const [from, to] of ends) {
      if (direction === "down" && from === place) related.add(to);
      if (direction === "up" && to === place) related.add(from);
    }
  const distance = (index: number) =>
    Math.abs((cards[index]?.x ?? 0) - here.x) + Math.abs((cards[index]?.y ?? 0) - here.y) * 2;
  if (related.size) return nearest([...related], distance);
  const way = direction === "down" ? 1 : -1;
  return nearest(
    all.filter((index) => ((cards[index]?.y ?? 0) - here.y) * way > 0),
    distance,
  );
}

function nearest(places: readonly number[], distance: (place: number) => number): number | undefined {
  let best: number | undefined;
  for (const place of places) if (best === undefined || distance(place) < distance(best)) best = place;
  return best;
}
