/**
 * Orders cards inside their layers by the mean place of their neighbours in other layers (the barycentre heuristic of
 * Sugiyama, Tagawa and Toda 1981), swept down and up four times, so that lines cross little. Ties stay in the order
 * given: the same layers always come out the same. Cards count by their place, not by its share of the layer, since
 * layers begin at the same column.
 * @param isFixed layers whose order stays
 */
export function orderLayers(
  layers: readonly (readonly string[])[],
  links: readonly { from: string; to: string }[],
  isFixed: (layer: number) => boolean = () => false,
): string[][] {
  const result = layers.map((layer) => [...layer]);
  const layerOf = new Map(result.flatMap((layer, index) => layer.map((id) => [id, index] as const)));
  const neighbours = new Map<string, string[]>();
  const join = (id: string, other: string) => {
    const list = neighbours.get(id);
    if (list) list.push(other);
    else neighbours.set(id, [other]);
  };
  for (const { from, to } of links) {
    if (layerOf.get(from) === layerOf.get(to) || !layerOf.has(from) || !layerOf.has(to)) continue;
    join(from, to);
    join(to, from);
  }
  const place = new Map(result.flatMap((layer) => layer.map((id, index) => [id, index] as const)));
  for (let sweep = 0; sweep < 4; sweep++) {
    const order = result.map((_layer, index) => index);
    for (const index of sweep % 2 === 0 ? order : order.reverse()) {
      if (isFixed(index)) continue;
      const layer = result[index] as string[];
      const centre = new Map(
        layer.map((id) => {
          const others = neighbours.get(id) ?? [];
          const sum = others.reduce((total, other) => total + (place.get(other) as number), 0);
          return [id, others.length ? sum / others.length : (place.get(id) as number)];
        }),
      );
      layer.sort((a, b) => (centre.get(a) as number) - (centre.get(b) as number));
      layer.forEach((id, at) => place.set(id, at));
    }
  }
  return result;
}
