import { STRATA, type Stratum } from "../catalogue/kinds";

export interface StrataNode {
  id: string;
  stratum: Stratum;
  /** Cards of one group stand together inside a layer. */
  group: string;
  label: string;
}

export interface StrataLink {
  from: string;
  to: string;
}

export interface PlacedCard {
  id: string;
  x: number;
  y: number;
}

export interface PlacedStratum {
  id: Stratum;
  label: string;
  y: number;
  height: number;
}

export interface StrataLayout {
  cards: PlacedCard[];
  strata: PlacedStratum[];
  width: number;
  height: number;
}

export interface StrataOptions {
  cardWidth: number;
  cardHeight: number;
  gapX: number;
  gapY: number;
  /** Most cards beside each other; a longer layer goes on in a further row. */
  mostAcross: number;
  /** Space above the first card of a layer and below its last. */
  padding: number;
  /** Space left of the cards for the names of the layers. */
  margin: number;
}

/**
 * Places cards in horizontal layers. Within a layer, cards are ordered by the mean place of their neighbours in the
 * layers already placed (the barycentre heuristic of Sugiyama, Tagawa and Toda 1981), swept down and up four times;
 * ties go by group and name, so the same estate always gives the same picture. Empty layers are left out.
 */
export function layStrata(
  nodes: readonly StrataNode[],
  links: readonly StrataLink[],
  options: StrataOptions,
): StrataLayout {
  const layers = STRATA.map(({ id }) =>
    nodes
      .filter((node) => node.stratum === id)
      .sort((a, b) => a.group.localeCompare(b.group) || a.label.localeCompare(b.label)),
  );
  const neighbours = new Map<string, string[]>(nodes.map((node) => [node.id, []]));
  for (const link of links) {
    if (!neighbours.has(link.from) || !neighbours.has(link.to)) continue;
    neighbours.get(link.from)?.push(link.to);
    neighbours.get(link.to)?.push(link.from);
  }
  const place = new Map<string, number>();
  const number = (layer: readonly StrataNode[]) =>
    layer.forEach((node, index) => place.set(node.id, layer.length > 1 ? index / (layer.length - 1) : 0.5));
  layers.forEach(number);
  for (let sweep = 0; sweep < 4; sweep++) {
    const order = sweep % 2 === 0 ? layers : [...layers].reverse();
    for (const layer of order) {
      const own = new Set(layer.map((node) => node.id));
      const centre = new Map(
        layer.map((node) => {
          const others = (neighbours.get(node.id) ?? []).filter((other) => !own.has(other));
          const sum = others.reduce((total, other) => total + (place.get(other) as number), 0);
          return [node.id, others.length ? sum / others.length : (place.get(node.id) as number)];
        }),
      );
      layer.sort(
        (a, b) =>
          (centre.get(a.id) as number) - (centre.get(b.id) as number) ||
          a.group.localeCompare(b.group) ||
          a.label.localeCompare(b.label),
      );
      number(layer);
    }
  }
  const widest = Math.min(options.mostAcross, Math.max(1, ...layers.map((layer) => layer.length)));
  const stepX = options.cardWidth + options.gapX;
  const stepY = options.cardHeight + options.gapY;
  const width = options.margin + widest * stepX + options.gapX;
  const cards: PlacedCard[] = [];
  const strata: PlacedStratum[] = [];
  let y = 0;
  layers.forEach((layer, index) => {
    const info = STRATA[index];
    if (!layer.length || !info) return;
    const rows = Math.ceil(layer.length / options.mostAcross);
    const across = Math.ceil(layer.length / rows);
    const height = options.padding * 2 + rows * stepY - options.gapY;
    layer.forEach((node, position) => {
      const row = Math.floor(position / across);
      const inRow = Math.min(across, layer.length - row * across);
      const left = options.margin + ((widest - inRow) * stepX) / 2;
      cards.push({ id: node.id, x: left + (position % across) * stepX, y: y + options.padding + row * stepY });
    });
    strata.push({ id: info.id, label: info.label, y, height });
    y += height;
  });
  return { cards, strata, width, height: y };
}
