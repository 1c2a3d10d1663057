import type { MapCard, MapLinks } from "#server/pages/map";

/** Size of a card, in pixels of the map. */
export const CARD_WIDTH = 172;
export const CARD_HEIGHT = 62;
/** Depth of the line that joins two cards of one row below them, and how far its corners are rounded. */
const UNDER = 14;
const ROUND = 4;
/** Length of an arrow head. */
const HEAD = 7;

/** Outline of a line as SVG path data, with the head of its arrow where it ends. */
export interface Outline {
  line: string;
  head: string;
}

/** Direction in which a line ends. */
type Way = "down" | "up" | "left" | "right";

const HEADS: Readonly<Record<Way, string>> = {
  down: `m-${HEAD / 2} -${HEAD}l${HEAD / 2} ${HEAD}l${HEAD / 2} -${HEAD}`,
  up: `m-${HEAD / 2} ${HEAD}l${HEAD / 2} -${HEAD}l${HEAD / 2} ${HEAD}`,
  right: `m-${HEAD} -${HEAD / 2}l${HEAD} ${HEAD / 2}l-${HEAD} ${HEAD / 2}`,
  left: `m${HEAD} -${HEAD / 2}l-${HEAD} ${HEAD / 2}l${HEAD} ${HEAD / 2}`,
};

type Placed = Pick<MapCard, "x" | "y">;

/**
 * The line between two cards, from and to the sides that face each other. Cards far apart in one row are joined below,
 * so that no line runs through those between.
 */
export function lineBetween(from: Placed, to: Placed): Outline {
  const end = (line: string, x: number, y: number, way: Way): Outline => ({ line, head: `M${x} ${y}${HEADS[way]}` });
  const [fromX, toX] = [from.x + CARD_WIDTH / 2, to.x + CARD_WIDTH / 2];
  if (to.y !== from.y) {
    const down = to.y > from.y;
    const [fromY, toY] = down ? [from.y + CARD_HEIGHT, to.y] : [from.y, to.y + CARD_HEIGHT];
    const half = (fromY + toY) / 2;
    return end(`M${fromX} ${fromY}C${fromX} ${half} ${toX} ${half} ${toX} ${toY}`, toX, toY, down ? "down" : "up");
  }
  const right = to.x > from.x;
  if (Math.abs(to.x - from.x) <= CARD_WIDTH * 1.5) {
    const y = from.y + CARD_HEIGHT / 2;
    const [start, stop] = right ? [from.x + CARD_WIDTH, to.x] : [from.x, to.x + CARD_WIDTH];
    return end(`M${start} ${y}H${stop}`, stop, y, right ? "right" : "left");
  }
  const low = from.y + CARD_HEIGHT;
  const turn = right ? ROUND : -ROUND;
  return end(
    `M${fromX} ${low}v${UNDER - ROUND}q0 ${ROUND} ${turn} ${ROUND}H${toX - turn}q${turn} 0 ${turn} -${ROUND}v-${UNDER - ROUND}`,
    toX,
    low,
    "up",
  );
}

/** Lines that look alike, drawn as one outline. */
export interface LineGroup {
  /** Severity of what they lead to, where that is unwell. */
  severity: string | null;
  width: number;
  dash: string | undefined;
  line: string;
  heads: string;
}

const DASHES: Readonly<Record<string, string>> = {
  "runs-on": "2 4",
  "wired-to": "2 4",
  "part-of": "7 4",
  "relies-on": "7 4",
};
const DIRECTED: ReadonlySet<string> = new Set(["talks-to", "relies-on"]);

/** Thicker with traffic, in steps, so that few looks serve for all. */
const widthOf = (type: string, connections: number): number =>
  type === "talks-to" ? Math.min(3.5, Math.round((0.9 + Math.log2(1 + connections) * 0.55) * 2) / 2) : 0.8;

/**
 * All lines of a map, gathered by their looks: quiet, thicker with traffic, coloured towards what is unwell.
 * @param only place of a card: its own lines and no others
 */
export function lineGroups(cards: readonly MapCard[], links: readonly MapLinks[], only?: number): LineGroup[] {
  const groups = new Map<string, LineGroup>();
  for (const { type, ends } of links)
    for (const [from, to, connections] of ends) {
      if (only !== undefined && from !== only && to !== only) continue;
      const [source, target] = [cards[from], cards[to]];
      if (!source || !target) continue;
      const failing = type === "talks-to" && target.severity !== "cleared" && target.severity !== "warning";
      const severity = failing ? target.severity : null;
      const width = widthOf(type, connections);
      const key = `${type} ${severity} ${width}`;
      const group = groups.get(key) ?? { severity, width, dash: DASHES[type], line: "", heads: "" };
      groups.set(key, group);
      const { line, head } = lineBetween(source, target);
      group.line += line;
      if (DIRECTED.has(type)) group.heads += head;
    }
  return [...groups.values()];
}
