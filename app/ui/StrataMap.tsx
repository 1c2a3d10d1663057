import "@xyflow/react/dist/style.css";
import {
  Background,
  Controls,
  Handle,
  MarkerType,
  Position,
  ReactFlow,
  type Edge,
  type Node,
  type NodeProps,
} from "@xyflow/react";
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
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

const SIDES = [
  { id: "top", position: Position.Top },
  { id: "right", position: Position.Right },
  { id: "bottom", position: Position.Bottom },
  { id: "left", position: Position.Left },
] as const;
type Side = (typeof SIDES)[number]["id"];

/** The sides of two cards that face each other; cards far apart in one row are joined below, so that no line runs through those between. */
function facing(
  from: MapCard,
  to: MapCard,
): { sourceHandle: Side; targetHandle: Side; type: "default" | "smoothstep" } {
  if (to.y > from.y) return { sourceHandle: "bottom", targetHandle: "top", type: "default" };
  if (to.y < from.y) return { sourceHandle: "top", targetHandle: "bottom", type: "default" };
  if (Math.abs(to.x - from.x) > CARD_WIDTH * 1.5)
    return { sourceHandle: "bottom", targetHandle: "bottom", type: "smoothstep" };
  return to.x > from.x
    ? { sourceHandle: "right", targetHandle: "left", type: "default" }
    : { sourceHandle: "left", targetHandle: "right", type: "default" };
}

type CardNode = Node<{ card: MapCard; faded: boolean; chosen: boolean }, "card">;
type BandNode = Node<{ label: string; width: number; height: number; odd: boolean }, "band">;

const Card = memo(function Card({ data: { card, faded, chosen } }: NodeProps<CardNode>) {
  return (
    <Box
      title={`${card.kindLabel} ${card.name}${card.sub ? `, ${card.sub}` : ""}${card.reason ? `. ${card.reason}` : ""}`}
      sx={{
        width: CARD_WIDTH,
        height: CARD_HEIGHT,
        bgcolor: "background.paper",
        border: "1px solid",
        borderWidth: card.severity === "cleared" ? 1 : 2,
        borderColor: card.severity === "cleared" ? "divider" : `var(--hx-${card.severity})`,
        borderRadius: 1,
        px: 0.75,
        py: 0.5,
        display: "flex",
        flexDirection: "column",
        opacity: faded ? 0.35 : 1,
        outline: chosen ? "2px solid var(--mui-palette-primary-main)" : "none",
        cursor: "pointer",
      }}
    >
      {SIDES.map(({ id, position }) => (
        <Handle
          key={`in-${id}`}
          id={id}
          type="target"
          position={position}
          style={{ opacity: 0 }}
          isConnectable={false}
        />
      ))}
      <Box sx={{ display: "flex", alignItems: "center", gap: 0.5 }}>
        <KindGlyph kind={card.kind} sx={{ fontSize: 14, color: "text.secondary", flex: "none" }} />
        <Typography
          component="span"
          noWrap
          sx={{ fontSize: 13.5, fontWeight: 600, flex: 1, minWidth: 0, lineHeight: 1.3 }}
        >
          {card.name}
        </Typography>
        <SeverityMark severity={card.severity} size={16} />
      </Box>
      <Typography component="span" noWrap sx={{ fontSize: 12, color: "text.secondary", lineHeight: 1.35 }}>
        {card.sub}
      </Typography>
      <Typography
        component="span"
        noWrap
        sx={{ fontSize: 12, lineHeight: 1.35, fontWeight: card.severity === "cleared" ? 400 : 600 }}
      >
        {card.figure || "\u00a0"}
      </Typography>
      {SIDES.map(({ id, position }) => (
        <Handle
          key={`out-${id}`}
          id={id}
          type="source"
          position={position}
          style={{ opacity: 0 }}
          isConnectable={false}
        />
      ))}
    </Box>
  );
});

const Band = memo(function Band({ data }: NodeProps<BandNode>) {
  return (
    <Box
      sx={{
        width: data.width,
        height: data.height,
        borderTop: "1px solid",
        borderColor: "divider",
        bgcolor: data.odd ? "background.paper" : "transparent",
        pointerEvents: "none",
      }}
    >
      <Typography
        component="span"
        sx={{
          fontSize: 12.5,
          color: "text.secondary",
          position: "absolute",
          left: 6,
          top: 8,
          width: 86,
          lineHeight: 1.25,
        }}
      >
        {data.label}
      </Typography>
    </Box>
  );
});

const NODE_TYPES = { card: Card, band: Band };

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
  const cardOf = useMemo(() => new Map(map.cards.map((card) => [card.id, card])), [map.cards]);
  const nodes = useMemo(
    (): (CardNode | BandNode)[] => [
      ...map.strata.map((stratum, index): BandNode => ({
        id: `band-${stratum.id}`,
        type: "band",
        position: { x: 0, y: stratum.y },
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
        width: CARD_WIDTH,
        height: CARD_HEIGHT,
        data: { card, faded: near !== null && !near.has(card.id), chosen: card.id === highlight },
        ariaLabel: `${card.kindLabel} ${card.name} ${card.sub}, ${card.severity === "cleared" ? "well" : card.severity}${card.figure ? `, ${card.figure}` : ""}. Press Enter to open.`,
        draggable: false,
      })),
    ],
    [map, near, highlight],
  );
  const edges = useMemo(
    (): Edge[] =>
      map.links.flatMap((link) => {
        const from = cardOf.get(link.from);
        const to = cardOf.get(link.to);
        if (!from || !to) return [];
        const ill = to.severity;
        const failing = link.type === "talks-to" && ill !== "cleared" && ill !== "warning";
        const lit = hovered !== null && (link.from === hovered || link.to === hovered);
        return {
          id: link.id,
          source: link.from,
          target: link.to,
          ...facing(from, to),
          focusable: false,
          animated: false,
          style: {
            stroke: failing ? `var(--hx-${ill})` : "var(--mui-palette-text-secondary)",
            strokeWidth: link.type === "talks-to" ? Math.min(3.5, 0.9 + Math.log2(1 + link.connections) * 0.55) : 0.8,
            strokeDasharray:
              link.type === "runs-on" || link.type === "wired-to"
                ? "2 4"
                : link.type === "part-of" || link.type === "relies-on"
                  ? "7 4"
                  : undefined,
            opacity: hovered ? (lit ? 0.95 : 0.06) : failing ? 0.9 : 0.34,
          },
          ...(link.type === "talks-to" || link.type === "relies-on"
            ? { markerEnd: { type: MarkerType.Arrow, width: 12, height: 12 } }
            : {}),
        };
      }),
    [map.links, hovered, cardOf],
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
        edges={edges}
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
        <Background gap={16} size={0.6} color="var(--mui-palette-divider)" />
        <Controls showInteractive={false} position="bottom-right" />
      </ReactFlow>
    </Box>
  );
}
