import { useState, type KeyboardEvent, type PointerEvent, type RefObject } from "react";
import { DAY_MS, dayAndTime, MINUTE_MS, spokenDuration } from "#core/time/windows";
import { useMoveWindow, useShell } from "./window";

const SHORTEST_MS = 5 * MINUTE_MS;

/** An end of the window, all of it, or a new one that is drawn on the track. */
type Grip = "from" | "to" | "all" | "new";

/** A hand that moves less than this, in pixels, has clicked. */
const CLICK_PX = 4;

interface Span {
  fromMs: number;
  toMs: number;
}

/** A window of which an end, or all of it, is moved along the ribbon; it stays on it, and no shorter than may be. */
function movedBy(grip: Exclude<Grip, "new">, byMs: number, { fromMs, toMs }: Span, ribbon: Span): Span {
  if (grip === "from") return { fromMs: Math.max(ribbon.fromMs, Math.min(fromMs + byMs, toMs - SHORTEST_MS)), toMs };
  if (grip === "to") return { fromMs, toMs: Math.min(ribbon.toMs, Math.max(toMs + byMs, fromMs + SHORTEST_MS)) };
  const over = Math.max(0, toMs + byMs - ribbon.toMs);
  return { fromMs: fromMs + byMs - over, toMs: toMs + byMs - over };
}

/** The same by a key: its ends stay in order. */
const steppedBy = (grip: Exclude<Grip, "new">, byMs: number, { fromMs, toMs }: Span): Span => ({
  fromMs: grip === "to" ? fromMs : Math.min(fromMs + byMs, toMs - SHORTEST_MS),
  toMs: grip === "from" ? toMs : Math.max(toMs + byMs, fromMs + SHORTEST_MS),
});

/**
 * The window as it stands on the ribbon, and how hands and keys move it: from either end, as a whole, drawn anew on the
 * track, or by a click.
 */
export function useRibbonWindow(strip: RefObject<HTMLDivElement | null>) {
  const { ribbon, window: now } = useShell();
  const move = useMoveWindow();
  const [drag, setDrag] = useState<{ grip: Grip; startX: number; fromMs: number; toMs: number } | null>(null);
  const reach = ribbon.toMs - ribbon.fromMs;
  const spanMs = now.toMs - now.fromMs;
  const shown = drag ?? now;
  const share = (atMs: number) => Math.max(0, Math.min(100, ((atMs - ribbon.fromMs) / reach) * 100));

  const settle = (fromMs: number, toMs: number) => {
    // A window let go at the present follows it.
    if (toMs >= ribbon.toMs - Math.max(30_000, reach / 400)) move.follow(Math.max(SHORTEST_MS, toMs - fromMs));
    else move.fix(fromMs, toMs);
  };
  const at = (x: number, width: number) =>
    Math.max(ribbon.fromMs, Math.min(ribbon.toMs, ribbon.fromMs + (x / width) * reach));
  const begin = (grip: Grip) => (event: PointerEvent) => {
    event.preventDefault();
    event.stopPropagation();
    (event.currentTarget as Element).setPointerCapture(event.pointerId);
    setDrag({ grip, startX: event.clientX, fromMs: now.fromMs, toMs: now.toMs });
  };
  const during = (event: PointerEvent) => {
    if (!drag || !strip.current) return;
    const { width, left } = strip.current.getBoundingClientRect();
    if (drag.grip === "new") {
      const [one, other] = [at(drag.startX - left, width), at(event.clientX - left, width)];
      setDrag({ ...drag, fromMs: Math.min(one, other), toMs: Math.max(one, other) });
      return;
    }
    const byMs = ((event.clientX - drag.startX) / width) * reach;
    setDrag({ ...drag, ...movedBy(drag.grip, byMs, now, ribbon) });
  };
  const end = (event: PointerEvent) => {
    if (!drag) return;
    if (drag.grip === "new" && Math.abs(event.clientX - drag.startX) < CLICK_PX) centre(event);
    else if (Math.abs(drag.fromMs - now.fromMs) > 1000 || Math.abs(drag.toMs - now.toMs) > 1000)
      settle(drag.fromMs, Math.max(drag.toMs, drag.fromMs + SHORTEST_MS));
    setDrag(null);
  };
  /** Moves the window to where the track was clicked. */
  const centre = (event: PointerEvent) => {
    const box = strip.current?.getBoundingClientRect();
    if (!box) return;
    const toMs = Math.min(ribbon.toMs, at(event.clientX - box.left, box.width) + spanMs / 2);
    settle(toMs - spanMs, toMs);
  };
  /** A new window is drawn from here. */
  const pick = (event: PointerEvent) => {
    const box = strip.current?.getBoundingClientRect();
    if (!box || drag || event.button !== 0) return;
    event.preventDefault();
    event.currentTarget.setPointerCapture(event.pointerId);
    const atMs = at(event.clientX - box.left, box.width);
    setDrag({ grip: "new", startX: event.clientX, fromMs: atMs, toMs: atMs });
  };
  const byKey = (grip: Exclude<Grip, "new">) => (event: KeyboardEvent) => {
    const step = event.key === "ArrowLeft" ? -1 : event.key === "ArrowRight" ? 1 : 0;
    if (!step) return;
    event.preventDefault();
    const { fromMs, toMs } = steppedBy(grip, step * Math.max(MINUTE_MS, reach / 200), now);
    settle(fromMs, Math.min(ribbon.toMs, toMs));
  };
  return {
    title: titleOf(now),
    spanMs,
    shown,
    left: share(shown.fromMs),
    right: share(shown.toMs),
    dragged: drag?.grip,
    settle,
    begin,
    during,
    end,
    drop: () => setDrag(null),
    pick,
    byKey,
  };
}

export type RibbonWindow = ReturnType<typeof useRibbonWindow>;

/** The window in words. */
function titleOf(now: ReturnType<typeof useShell>["window"]): string {
  const sameDay = Math.floor(now.fromMs / DAY_MS) === Math.floor(now.toMs / DAY_MS);
  return now.live
    ? `last ${spokenDuration(now.toMs - now.fromMs)}`
    : `${dayAndTime(now.fromMs, now.nowMs)} to ${dayAndTime(now.toMs, sameDay ? now.toMs : now.nowMs)}`;
}
