import { formatValue } from "#core/units/format";
import { verbOf } from "#core/topology/words";
import type { MapCard, MapLink, MapLinks } from "#server/pages/map/page";

/** Size of a card, in pixels of the map. */
export const CARD_WIDTH = 172;
export const CARD_HEIGHT = 62;
/** Room between rows and columns, where lines run that would cross cards else. */
const LANE_Y = 13;
const LANE_X = 14;
/** How far the corners of a line are rounded, and the length of an arrow head. */
const ROUND = 4;
const HEAD = 7;
/** Lines to different cards run so far apart in one lane. */
const APART = 2.5;

/** Outline of a line as SVG path data, with the head of its arrow and the place beside it where words fit. */
export interface Outline {
  line: string;
  head: string;
  tip: [x: number, y: number];
}

type Placed = Pick<MapCard, "x" | "y">;
type Point = readonly [x: number, y: number];

/** Whether nothing stands in a column of the map between two heights. */
export type IsFree = (x: number, top: number, bottom: number) => boolean;

/** Tells of some cards where lines can pass without crossing one. */
export function freeColumns(cards: readonly Placed[]): IsFree {
  const columns = new Map<number, number[]>();
  for (const { x, y } of cards) columns.set(x, [...(columns.get(x) ?? []), y]);
  return (x, top, bottom) => (columns.get(x) ?? []).every((y) => y + CARD_HEIGHT <= top || y >= bottom);
}

/**
 * The line between two cards of one grid, from and to the sides that face each other. It runs in the lanes between
 * rows and columns, so that it crosses no card; lines to one card share its lanes.
 * @param lane which of the lines in a lane it is
 */
export function lineBetween(from: Placed, to: Placed, isFree: IsFree = () => true, lane = 0): Outline {
  const shift = ((lane % 5) - 2) * APART;
  const [fromX, toX] = [from.x + CARD_WIDTH / 2, to.x + CARD_WIDTH / 2];
  if (to.y === from.y) return beside(from, to, shift);
  const down = to.y > from.y;
  const [start, end] = down ? [from.y + CARD_HEIGHT, to.y] : [from.y, to.y + CARD_HEIGHT];
  const way = down ? 1 : -1;
  const [leave, arrive] = [start + way * (LANE_Y + shift), end - way * (LANE_Y + shift)];
  const free = (x: number) => (down ? isFree(x, from.y + CARD_HEIGHT, to.y) : isFree(x, to.y + CARD_HEIGHT, from.y));
  const middle: Point[] = free(to.x)
    ? [
        [fromX, leave],
        [toX, leave],
      ]
    : free(from.x)
      ? [
          [fromX, arrive],
          [toX, arrive],
        ]
      : aroundCards(from, to, leave, arrive, shift);
  return {
    line: rounded([[fromX, start], ...middle, [toX, end]]),
    head: `M${toX} ${end}${down ? HEADS.down : HEADS.up}`,
    tip: [toX, end],
  };
}

/** Along the lane between two columns, on the side of the target that faces the source. */
function aroundCards(from: Placed, to: Placed, leave: number, arrive: number, shift: number): Point[] {
  const x = (to.x > from.x ? to.x - LANE_X : to.x + CARD_WIDTH + LANE_X) + shift;
  return [
    [from.x + CARD_WIDTH / 2, leave],
    [x, leave],
    [x, arrive],
    [to.x + CARD_WIDTH / 2, arrive],
  ];
}

/** Between cards of one row: straight between neighbours, else beneath those between. */
function beside(from: Placed, to: Placed, shift: number): Outline {
  const right = to.x > from.x;
  if (Math.abs(to.x - from.x) <= CARD_WIDTH * 1.5) {
    const y = from.y + CARD_HEIGHT / 2;
    const [start, end] = right ? [from.x + CARD_WIDTH, to.x] : [from.x, to.x + CARD_WIDTH];
    return { line: `M${start} ${y}H${end}`, head: `M${end} ${y}${right ? HEADS.right : HEADS.left}`, tip: [end, y] };
  }
  const low = from.y + CARD_HEIGHT;
  const [fromX, toX] = [from.x + CARD_WIDTH / 2, to.x + CARD_WIDTH / 2];
  return {
    line: rounded([
      [fromX, low],
      [fromX, low + LANE_Y + shift],
      [toX, low + LANE_Y + shift],
      [toX, low],
    ]),
    head: `M${toX} ${low}${HEADS.up}`,
    tip: [toX, low],
  };
}

const HEADS = {
  down: `m-${HEAD / 2} -${HEAD}l${HEAD / 2} ${HEAD}l${HEAD / 2} -${HEAD}`,
  up: `m-${HEAD / 2} ${HEAD}l${HEAD / 2} -${HEAD}l${HEAD / 2} ${HEAD}`,
  right: `m-${HEAD} -${HEAD / 2}l${HEAD} ${HEAD / 2}l-${HEAD} ${HEAD / 2}`,
  left: `m${HEAD} -${HEAD / 2}l-${HEAD} ${HEAD / 2}l${HEAD} ${HEAD / 2}`,
} as const;

/** A path through points, straight along the axes, with its corners rounded as far as there is room. */
function rounded(points: readonly Point[]): string {
  const kept = points.filter(([x, y], place) => {
    const before = points[place - 1];
    return !before || before[0] !== x || before[1] !== y;
  });
  let path = `M${kept[0]?.[0]} ${kept[0]?.[1]}`;
  for (let place = 1; place < kept.length; place++) {
    const [x, y] = kept[place] as Point;
    const [beforeX, beforeY] = kept[place - 1] as Point;
    const next = kept[place + 1];
    const turns = next && (beforeX === x) !== (next[0] === x);
    if (!turns) {
      path += `L${x} ${y}`;
      continue;
    }
    const length = Math.abs(x - beforeX) + Math.abs(y - beforeY);
    const after = Math.abs(next[0] - x) + Math.abs(next[1] - y);
    const round = Math.min(ROUND, length / 2, after / 2);
    const short = (a: number, b: number) => b - Math.sign(b - a) * round;
    path += `L${short(beforeX, x)} ${short(beforeY, y)}Q${x} ${y} ${short(next[0], x)} ${short(next[1], y)}`;
  }
  return path;
}

/** Lines that look alike, drawn as one outline. */
export interface LineGroup {
  /** Set where calls over it fail, or where it is unknown and what it leads to is unwell. */
  severity: string | null;
  width: number;
  dash: string | undefined;
  line: string;
  heads: string;
}

const DASHES: Readonly<Record<string, string>> = {
  "runs-on": "2 4",
  "wired-to": "8 2 2 2",
  "hosted-by": "2 4",
  "part-of": "2 4",
  "entered-by": "7 4",
  "relies-on": "7 4",
};
const DIRECTED: ReadonlySet<string> = new Set(["talks-to", "relies-on"]);

/** Thicker with traffic, in steps, so that few looks serve for all. */
const widthOf = (type: string, [, , connections, calls, , , traffic]: MapLink): number => {
  if (type === "wired-to") return traffic > 0 ? stepped(Math.log10(1 + traffic / MEGABIT)) : THIN;
  return type === "talks-to" ? stepped(Math.log2(1 + (calls || connections)) * 0.35) : THIN;
};

const THIN = 0.8;
const MEGABIT = 1_000_000;
const stepped = (more: number) => Math.min(3.5, Math.round((0.9 + more) * 2) / 2);

/** A relation fails where so many calls do, and so large a share of them. */
const LEAST_FAILED = 3;
const LEAST_SHARE = 0.01;
const ALARMING_SHARE = 0.2;

/** How a relation does: by its calls where they are known. */
export function severityOf(type: string, [, , , calls, failed]: MapLink, target: MapCard): string | null {
  if (type !== "talks-to") return null;
  if (calls > 0)
    return failed >= LEAST_FAILED && failed / calls >= LEAST_SHARE
      ? failed / calls >= ALARMING_SHARE
        ? "critical"
        : "major"
      : null;
  return target.severity === "critical" || target.severity === "major" ? target.severity : null;
}

/** What stands beside a relation that fails: "12 % of calls fail". */
export const failingText = (calls: number, failed: number): string => {
  const share = (failed / calls) * 100;
  return `${share < 10 ? share.toFixed(1) : Math.round(share)} % of calls fail`;
};

/**
 * All lines of a map, gathered by their looks: quiet, thicker with traffic, coloured where calls fail.
 * @param only place of a card: its own lines and no others
 */
export function lineGroups(cards: readonly MapCard[], links: readonly MapLinks[], only?: number): LineGroup[] {
  const groups = new Map<string, LineGroup>();
  const isFree = freeColumns(cards);
  for (const { type, ends } of links)
    for (const end of ends) {
      const [from, to] = end;
      if (only !== undefined && from !== only && to !== only) continue;
      const [source, target] = [cards[from], cards[to]];
      if (!source || !target) continue;
      const severity = severityOf(type, end, target);
      const width = widthOf(type, end);
      const key = `${type} ${severity} ${width}`;
      const group = groups.get(key) ?? { severity, width, dash: DASHES[type], line: "", heads: "" };
      groups.set(key, group);
      const { line, head } = lineBetween(source, target, isFree, to);
      group.line += line;
      if (DIRECTED.has(type)) group.heads += head;
    }
  return [...groups.values()];
}

/** A relation by itself, to be pointed at: its address for the panel, its outline, and its words where it fails. */
export interface LineTarget {
  key: string;
  line: string;
  tip: [number, number];
  failing: string | null;
  title: string;
}

export function lineTargets(cards: readonly MapCard[], links: readonly MapLinks[]): LineTarget[] {
  const isFree = freeColumns(cards);
  return links.flatMap(({ type, ends }) =>
    ends.flatMap((end) => {
      const [from, to, , calls, failed, , traffic] = end;
      const [source, target] = [cards[from], cards[to]];
      if (!source || !target) return [];
      const { line, tip } = lineBetween(source, target, isFree, to);
      const failing = calls > 0 && severityOf(type, end, target) ? failingText(calls, failed) : null;
      return [
        {
          key: `r~${type}~${source.id}~${target.id}`,
          line,
          tip,
          failing,
          title: `${source.name} ${verbOf(type)} ${target.name}${calls ? `, ${calls.toLocaleString("en-GB")} calls` : ""}${traffic ? `, ${formatValue(traffic, "bit/s")}` : ""}${failing ? `, ${failing}` : ""}`,
        },
      ];
    }),
  );
}
