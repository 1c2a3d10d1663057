import { select } from "d3-selection";
import { zoom, zoomIdentity, zoomTransform, type ZoomBehavior } from "d3-zoom";
import { useLayoutEffect, useMemo, useRef, useState, type RefObject } from "react";

const LEAST_SCALE = 0.15;
const MOST_SCALE = 1.8;
/** Room left round a map that is shown whole, as a share of the frame. */
const MARGIN = 0.04;
/** A key moves the map by this much of the frame. */
const STEP = 0.2;

/** How much of a card can be read: all of it, its name or what fits of it, or only how it is. */
export type Detail = "full" | "name" | "mark";

/** Scales at which what is drawn changes, so that no text is under 11 pixels on the screen. */
const LEVELS = [0.92, 0.75, 0.6, 0.5, 0.42, 0.33, 0.25, LEAST_SCALE] as const;

/** The level of a scale: the largest bound it reaches. */
export const levelOf = (k: number): number => LEVELS.find((bound) => k >= bound) ?? LEAST_SCALE;

/** From this scale on there is room for three lines of text on a card. */
const FULL = 0.75;

export const detailOf = (level: number): Detail => (level >= FULL ? "full" : level === LEAST_SCALE ? "mark" : "name");

/** Share of the window's height a map takes on its own page. */
const ABOUT = 0.67;

interface Size {
  width: number;
  height: number;
}

/** Where a drawing lies in its frame: scale, and the place of its upper left corner. */
interface Place {
  k: number;
  x: number;
  y: number;
}

/** The drawing whole and in the middle of the frame, never larger than life. */
export function wholeIn(frame: Size, drawing: Size): Place {
  const room = 1 - 2 * MARGIN;
  const fit = Math.min((frame.width * room) / drawing.width, (frame.height * room) / drawing.height, 1);
  const k = Math.max(LEAST_SCALE, fit);
  return { k, x: (frame.width - drawing.width * k) / 2, y: (frame.height - drawing.height * k) / 2 };
}

/** Room at the lower edge of the frame for the legend, in pixels. */
const LEGEND = 36;
/** Scale at which names can still be read. */
const READABLE = 0.62;

/**
 * How a drawing is shown at first: whole where it can be read so, else as wide as the frame from its upper edge on.
 */
export function firstIn(frame: Size, drawing: Size): Place {
  const whole = wholeIn(frame, drawing);
  const room = 1 - 2 * MARGIN;
  const k = Math.max(whole.k, Math.min((frame.width * room) / drawing.width, READABLE));
  if (k === whole.k) return whole;
  return { k, x: (frame.width - drawing.width * k) / 2, y: frame.height * MARGIN };
}

export interface MapView {
  frame: RefObject<HTMLDivElement | null>;
  drawing: RefObject<HTMLDivElement | null>;
  /** Least scale at which what is drawn now can be read. */
  level: number;
  zoomBy: (factor: number) => void;
  /** Moves the map under the frame, in shares of the frame. */
  moveBy: (across: number, down: number) => void;
  whole: () => void;
  /** As it is shown at first. */
  first: () => void;
  /** Brings a card into the frame, if it is outside. */
  show: (card: { x: number; y: number }) => void;
}

/**
 * Zooming and moving a drawing inside its frame by wheel, drag and keys; the drawing itself is not made anew for it.
 */
export function useMapView(size: Size): MapView {
  const frame = useRef<HTMLDivElement>(null);
  const drawing = useRef<HTMLDivElement>(null);
  const behaviour = useRef<ZoomBehavior<HTMLDivElement, unknown> | null>(null);
  const extent = useRef(size);
  extent.current = size;
  // Until the frame is measured the window says about how large it is, so that cards are mostly made once.
  const [level, setLevel] = useState(() =>
    levelOf(firstIn({ width: window.innerWidth, height: window.innerHeight * ABOUT }, size).k),
  );
  const view = useMemo(() => {
    const change = (act: (zooming: ZoomBehavior<HTMLDivElement, unknown>, box: HTMLDivElement) => void) => {
      if (behaviour.current && frame.current) act(behaviour.current, frame.current);
    };
    const lay = (how: typeof wholeIn) =>
      change((zooming, box) => {
        const { k, x, y } = how({ width: box.clientWidth, height: box.clientHeight - LEGEND }, extent.current);
        zooming.transform(select(box), zoomIdentity.translate(x, y).scale(k));
      });
    return {
      zoomBy: (factor: number) => change((zooming, box) => zooming.scaleBy(select(box), factor)),
      moveBy: (across: number, down: number) =>
        change((zooming, box) => {
          const { k } = zoomTransform(box);
          zooming.translateBy(select(box), (across * STEP * box.clientWidth) / k, (down * STEP * box.clientHeight) / k);
        }),
      whole: () => lay(wholeIn),
      first: () => lay(firstIn),
      show: ({ x, y }: { x: number; y: number }) =>
        change((zooming, box) => {
          const place = zoomTransform(box);
          const [left, top] = [x * place.k + place.x, y * place.k + place.y];
          const inside = left > 0 && top > 0 && left < box.clientWidth - 40 && top < box.clientHeight - 40;
          if (!inside) zooming.translateTo(select(box), x, y);
        }),
    };
  }, []);
  useLayoutEffect(() => {
    const box = frame.current;
    if (!box) return;
    const zooming = zoom<HTMLDivElement, unknown>()
      .scaleExtent([LEAST_SCALE, MOST_SCALE])
      .clickDistance(4)
      .on("zoom", ({ transform }: { transform: Place }) => {
        if (drawing.current) place(drawing.current, transform);
        setLevel(levelOf(transform.k));
      });
    behaviour.current = zooming;
    select(box).call(zooming).on("dblclick.zoom", null);
    return () => void select(box).on(".zoom", null);
  }, []);
  // Shown whole when it opens; groups that open or close and what is measured anew leave the view alone.
  useLayoutEffect(() => view.first(), [view]);
  return { frame, drawing, level, ...view };
}

/** Puts the drawing in its place; the names of its layers stay at the edge of the frame in their own size. */
function place(drawing: HTMLDivElement, { k, x, y }: Place): void {
  drawing.style.transform = `translate(${x}px, ${y}px) scale(${k})`;
  for (const name of drawing.querySelectorAll<HTMLElement>(".hx-band > span"))
    name.style.transform = `translate(${-x / k}px) scale(${1 / k})`;
}
