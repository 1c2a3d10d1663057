import "@xyflow/react/dist/style.css";
import {
  Background,
  Controls,
  getBezierPath,
  getSmoothStepPath,
  Position,
  ReactFlow,
  ViewportPortal,
  type Node,
  type NodeProps,
} from "@xyflow/react";
import Box from "@mui/material/Box";
import { memo, useMemo, useState } from "react";
import { useNavigate } from "react-router";
import type { mapPage, MapCard } from "#server/pages/map";
import { useKeep } from "../shell/window";
import { KindGlyph } from "./KindGlyph";
import { SeverityMark } from "./SeverityMark";
import { useMounted } from "./HouseChart";

export type MapData = ReturnType<typeof mapPage>;

const CARD_WIDTH = 172;
const CARD_HEIGHT = 62;

/** Middle of a side of a card. */
function middle(card: MapCard, side: Position): { x: number; y: number } {
  return {
    x: card.x + (side === Position.Left ? 0 : side === Position.Right ? CARD_WIDTH : CARD_WIDTH / 2),
    y: card.y + (side === Position.Top ? 0 : side === Position.Bottom ? CARD_HEIGHT : CARD_HEIGHT / 2),
  };
}

/** The sides of two cards that face each other; cards far apart in one row are joined below, so that no line runs through those between. */
function facing(from: MapCard, to: MapCard): [from: Position, to: Position, stepped: boolean] {
  if (to.y > from.y) return [Position.Bottom, Position.Top, false];
  if (to.y < from.y) return [Position.Top, Position.Bottom, false];
  if (Math.abs(to.x - from.x) > CARD_WIDTH * 1.5) return [Position.Bottom, Position.Bottom, true];
  return to.x > from.x ? [Position.Right, Position.Left, false] : [Position.Left, Position.Right, false];
}

function pathOf(from: MapCard, to: MapCard): string {
  const [sourcePosition, targetPosition, stepped] = facing(from, to);
  const source = middle(from, sourcePosition);
  const target = middle(to, targetPosition);
  const ends = {
    sourceX: source.x,
    sourceY: source.y,
    sourcePosition,
    targetX: target.x,
    targetY: target.y,
    targetPosition,
  };
  return (stepped ? getSmoothStepPath(ends) : getBezierPath(ends))[0];
}

type CardNode = Node<{ card: MapCard; faded: boolean; chosen: boolean }, "card">;
type BandNode = Node<{ label: string; width: number; height: number; odd: boolean }, "band">;

const CARD_SIZE = { width: CARD_WIDTH, height: CARD_HEIGHT };

const Card = memo(function Card({ data: { card, faded, chosen } }: NodeProps<CardNode>) {
  const well = card.severity === "cleared";
  return (
    <div
      className={`hx-node${faded ? " hx-faded" : ""}${chosen ? " hx-node-chosen" : ""}`}
      title={`${card.kindLabel} ${card.name}${card.sub ? `, ${card.sub}` : ""}${card.reason ? `. ${card.reason}` : ""}`}
      style={{ ...CARD_SIZE, ...(well ? {} : { border: `2px solid var(--hx-${card.severity})` }) }}
    >
      <div className="hx-row">
        <KindGlyph kind={card.kind} />
        <b className="hx-clip">{card.name}</b>
        <SeverityMark severity={card.severity} size={16} />
      </div>
      <span className="hx-clip hx-quiet">{card.sub}</span>
      <span className={well ? "hx-clip" : "hx-clip hx-strong"}>{card.figure || "\u00a0"}</span>
    </div>
  );
});

const Band = memo(function Band({ data }: NodeProps<BandNode>) {
  return (
    <div className={data.odd ? "hx-band hx-odd" : "hx-band"} style={{ width: data.width, height: data.height }}>
      <span>{data.label}</span>
    </div>
  );
});

const NODE_TYPES = { card: Card, band: Band };

const DASHES: Readonly<Partial<Record<MapData["links"][number]["type"], string>>> = {
  "runs-on": "2 4",
  "wired-to": "2 4",
  "part-of": "7 4",
  "relies-on": "7 4",
};

/** All lines of the map in one drawing beneath its cards: quiet, thicker with traffic, coloured towards what is unwell. */
const Lines = memo(function Lines({ map, hovered }: { map: MapData; hovered: string | null }) {
  const cardOf = useMemo(() => new Map(map.cards.map((card) => [card.id, card])), [map.cards]);
  const paths = useMemo(
    () =>
      map.links.flatMap((link) => {
        const from = cardOf.get(link.from);
        const to = cardOf.get(link.to);
        if (!from || !to) return [];
        const failing = link.type === "talks-to" && to.severity !== "cleared" && to.severity !== "warning";
        return [{ link, path: pathOf(from, to), failing, severity: to.severity }];
      }),
    [map.links, cardOf],
  );
  return (
    <svg className="hx-lines" width={1} height={1} aria-hidden="true">
      <marker
        id="hx-arrow"
        viewBox="0 0 10 10"
        refX="9"
        refY="5"
        markerWidth="9"
        markerHeight="9"
        orient="auto-start-reverse"
        markerUnits="userSpaceOnUse"
      >
        <path d="M1 1L9 5L1 9" fill="none" stroke="context-stroke" />
      </marker>
      {paths.map(({ link, path, failing, severity }) => {
        const lit = hovered !== null && (link.from === hovered || link.to === hovered);
        const directed = link.type === "talks-to" || link.type === "relies-on";
        return (
          <path
            key={link.id}
            d={path}
            stroke={failing ? `var(--hx-${severity})` : "var(--mui-palette-text-secondary)"}
            strokeWidth={link.type === "talks-to" ? Math.min(3.5, 0.9 + Math.log2(1 + link.connections) * 0.55) : 0.8}
            strokeDasharray={DASHES[link.type]}
            opacity={hovered ? (lit ? 0.95 : 0.06) : failing ? 0.9 : 0.34}
            markerEnd={directed ? "url(#hx-arrow)" : undefined}
          />
        );
      })}
    </svg>
  );
});

/** The map in strata: layers from people down to the network, cards with health, quiet lines that thicken with traffic. */
export function StrataMap({ map, height, highlight }: { map: MapData; height: number | string; highlight?: string }) {
  const navigate = useNavigate();
  const keep = useKeep();
  const mounted = useMounted();
  const [hovered, setHovered] = useState<string | null>(null);
  const near = useMemo(() => {
    if (!hovered) return null;
    const set = new Set([hovered]);
    for (const link of map.links) {
      if (link.from === hovered) set.add(link.to);
      if (link.to === hovered) set.add(link.from);
    }
    return set;
  }, [hovered, map.links]);
  const nodes = useMemo(
    (): (CardNode | BandNode)[] => [
      ...map.strata.map((stratum, index): BandNode => ({
        id: `band-${stratum.id}`,
        type: "band",
        position: { x: 0, y: stratum.y },
        measured: { width: map.width, height: stratum.height },
        data: { label: stratum.label, width: map.width, height: stratum.height, odd: index % 2 === 1 },
        selectable: false,
        focusable: false,
        draggable: false,
        zIndex: -1,
      })),
      ...map.cards.map((card): CardNode => ({
        id: card.id,
        type: "card",
        position: { x: card.x, y: card.y },
        ...CARD_SIZE,
        measured: CARD_SIZE,
        data: { card, faded: near !== null && !near.has(card.id), chosen: card.id === highlight },
        ariaLabel: `${card.kindLabel} ${card.name} ${card.sub}, ${card.severity === "cleared" ? "well" : card.severity}${card.figure ? `, ${card.figure}` : ""}. Press Enter to open.`,
        draggable: false,
      })),
    ],
    [map, near, highlight],
  );
  const open = (id: string) => {
    const card = map.cards.find((one) => one.id === id);
    if (!card) return;
    if (card.componentId !== null) void navigate(keep(`/estate/${card.componentId}`));
    else {
      const service = map.services.find((one) => one.name === card.name);
      if (service) void navigate(keep(`/services/${service.uid}`));
    }
  };
  if (!mounted) return <Box sx={{ height, bgcolor: "background.paper", border: 1, borderColor: "divider" }} />;
  return (
    <Box
      sx={{
        height,
        border: 1,
        borderColor: "divider",
        bgcolor: "background.default",
        "& .react-flow__node-band": { pointerEvents: "none" },
        // Lines lie on the bands and beneath the cards.
        "& .react-flow__viewport-portal": { position: "absolute", zIndex: -1, pointerEvents: "none" },
        "& .react-flow__controls-button": {
          bgcolor: "background.paper",
          color: "text.primary",
          borderColor: "divider",
          fill: "currentColor",
        },
        "& .react-flow__controls": { boxShadow: "none", border: 1, borderColor: "divider" },
        "& .react-flow__node:focus-visible": {
          outline: "2px solid var(--mui-palette-primary-main)",
          outlineOffset: 2,
          borderRadius: 1,
        },
        "& .react-flow__attribution": { bgcolor: "transparent" },
      }}
      onKeyDown={(event) => {
        if (event.key !== "Enter") return;
        const id = (event.target as HTMLElement).closest(".react-flow__node")?.getAttribute("data-id");
        if (id) open(id);
      }}
    >
      <ReactFlow
        nodes={nodes}
        nodeTypes={NODE_TYPES}
        fitView
        fitViewOptions={{ padding: 0.04, maxZoom: 1 }}
        minZoom={0.15}
        maxZoom={1.8}
        nodesDraggable={false}
        nodesConnectable={false}
        elementsSelectable={false}
        nodesFocusable
        edgesFocusable={false}
        zoomOnDoubleClick={false}
        onNodeClick={(_event, node) => open(node.id)}
        onNodeMouseEnter={(_event, node) => (node.type === "card" ? setHovered(node.id) : undefined)}
        onNodeMouseLeave={() => setHovered(null)}
        onlyRenderVisibleElements={map.cards.length > 150}
        proOptions={{ hideAttribution: true }}
        aria-label="Map in strata"
      >
        <ViewportPortal>
          <Lines map={map} hovered={hovered} />
        </ViewportPortal>
        <Background gap={16} size={0.6} color="var(--mui-palette-divider)" />
        <Controls showInteractive={false} position="bottom-right" />
      </ReactFlow>
    </Box>
  );
}
