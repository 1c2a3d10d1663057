import { memo, useEffect, useMemo, useState } from "react";
import { whenIdle } from "../idle";
import { lineGroups, lineTargets, type LineGroup, type LineTarget } from "./lines";
import type { MapData } from "./StrataMap";

const Group = ({ group, dashed }: { group: LineGroup; dashed: boolean }) => {
  const { severity, width, dash, line, heads } = group;
  return (
    <g strokeWidth={width} style={severity ? { stroke: `var(--hx-${severity})`, strokeOpacity: 0.9 } : undefined}>
      <path d={line} strokeDasharray={dashed ? dash : undefined} />
      {heads ? <path d={heads} strokeWidth={1} /> : null}
    </g>
  );
};

interface MapLinesProps {
  map: MapData;
  hovered: number | null;
  /** Dashes are left out where the map is too small for them. */
  dashed: boolean;
  /** Least scale at which what is drawn can be read. */
  level: number;
  /** Called with the key of a relation that was chosen. */
  onChoose?: ((key: string) => void) | undefined;
  chosen?: string | undefined;
}

/**
 * All lines of the map in one drawing beneath its cards; while a card is pointed at, its own stand out from the
 * others. A line can be chosen; by keyboard the panel of a card leads to its relations.
 */
export const MapLines = memo(function MapLines({ map, hovered, dashed, level, onChoose, chosen }: MapLinesProps) {
  const targets = useMemo(() => lineTargets(map.cards, map.links), [map.cards, map.links]);
  const failing = targets.filter((one) => one.failing);
  const picked = chosen === undefined ? undefined : targets.find((one) => one.key === chosen);
  return (
    <svg className="hx-lines" width={map.width} height={map.height} aria-hidden="true">
      <AllLines map={map} dim={hovered !== null || picked !== undefined} dashed={dashed} />
      {picked ? (
        <g className="hx-lit">
          <g strokeWidth={3}>
            <path d={picked.line} />
          </g>
        </g>
      ) : null}
      {hovered === null ? null : (
        <g className="hx-lit">
          {lineGroups(map.cards, map.links, hovered).map((group, index) => (
            <Group key={index} group={group} dashed={dashed} />
          ))}
        </g>
      )}
      {onChoose ? <Hits targets={targets} onChoose={onChoose} /> : null}
      {failing.map(({ key, tip: [x, y], failing: words }) => (
        <text key={key} className="hx-fails" x={x + 6} y={y - 8} style={{ fontSize: Math.max(11.5, 11 / level) }}>
          {words}
        </text>
      ))}
    </svg>
  );
});

/** What is pointed at to choose a line: drawn once the map is painted, and not again while the pointer moves. */
const Hits = memo(function Hits({
  targets,
  onChoose,
}: {
  targets: readonly LineTarget[];
  onChoose: (key: string) => void;
}) {
  const [drawn, setDrawn] = useState(false);
  useEffect(() => whenIdle(() => setDrawn(true)), []);
  if (!drawn) return null;
  return targets.map(({ key, line, title }) => (
    <path key={key} className="hx-hit" d={line} data-link={key} onClick={() => onChoose(key)}>
      <title>{title}</title>
    </path>
  ));
});

const AllLines = memo(function AllLines({
  map,
  dim,
  dashed,
}: Pick<MapLinesProps, "map" | "dashed"> & { dim: boolean }) {
  return (
    <g className={dim ? "hx-dim" : undefined}>
      {lineGroups(map.cards, map.links).map((group, index) => (
        <Group key={index} group={group} dashed={dashed} />
      ))}
    </g>
  );
});
