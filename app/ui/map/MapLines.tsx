import { memo } from "react";
import { lineGroups, type LineGroup } from "./lines";
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
}

/**
 * All lines of the map in one drawing beneath its cards; while a card is pointed at, its own stand out from the
 * others.
 */
export const MapLines = memo(function MapLines({ map, hovered, dashed }: MapLinesProps) {
  return (
    <svg className="hx-lines" width={map.width} height={map.height} aria-hidden="true">
      <AllLines map={map} dim={hovered !== null} dashed={dashed} />
      {hovered === null ? null : (
        <g className="hx-lit">
          {lineGroups(map.cards, map.links, hovered).map((group, index) => (
            <Group key={index} group={group} dashed={dashed} />
          ))}
        </g>
      )}
    </svg>
  );
});

const AllLines = memo(function AllLines({ map, dim, dashed }: Omit<MapLinesProps, "hovered"> & { dim: boolean }) {
  return (
    <g className={dim ? "hx-dim" : undefined}>
      {lineGroups(map.cards, map.links).map((group, index) => (
        <Group key={index} group={group} dashed={dashed} />
      ))}
    </g>
  );
});
