import { useState, type KeyboardEvent, type PointerEvent, type RefObject } from "react";
import { DAY_MS, dayAndTime, MINUTE_MS, spokenDuration } from "#core/time/windows";
import { useMoveWindow, useShell } from "./window";

const SHORTEST_MS = 5 * MINUTE_MS;

type Grip = "from" | "to" | "all";

/**
 * The window as it stands on the ribbon, and how hands and keys move it: from either end, as a whole, or by a click.
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
  const begin = (grip: Grip) => (event: PointerEvent) => {
    event.preventDefault();
    event.stopPropagation();
    (event.currentTarget as Element).setPointerCapture(event.pointerId);
    setDrag({ grip, startX: event.clientX, fromMs: now.fromMs, toMs: now.toMs });
  };
  const during = (event: PointerEvent) => {
    if (!drag || !strip.current) return;
    const width = strip.current.getBoundingClientRect().width;
    const by = ((event.clientX - drag.startX) / width) * reach;
    let fromMs = now.fromMs;
    let toMs = now.toMs;
    if (drag.grip !== "to") fromMs += by;
    if (drag.grip !== "from") toMs += by;
    if (drag.grip === "from") fromMs = Math.max(ribbon.fromMs, Math.min(fromMs, toMs - SHORTEST_MS));
    if (drag.grip === "to") toMs = Math.min(ribbon.toMs, Math.max(toMs, fromMs + SHORTEST_MS));
    if (drag.grip === "all" && toMs > ribbon.toMs) {
      fromMs -= toMs - ribbon.toMs;
      toMs = ribbon.toMs;
    }
    setDrag({ ...drag, fromMs, toMs });
  };
  const end = () => {
    if (!drag) return;
    if (Math.abs(drag.fromMs - now.fromMs) > 1000 || Math.abs(drag.toMs - now.toMs) > 1000)
      settle(drag.fromMs, drag.toMs);
    setDrag(null);
  };
  const pick = (event: PointerEvent) => {
    const box = strip.current?.getBoundingClientRect();
    if (!box || drag) return;
    const at = ribbon.fromMs + ((event.clientX - box.left) / box.width) * reach;
    const toMs = Math.min(ribbon.toMs, at + spanMs / 2);
    settle(toMs - spanMs, toMs);
  };
  const byKey = (grip: Grip) => (event: KeyboardEvent) => {
    const step = event.key === "ArrowLeft" ? -1 : event.key === "ArrowRight" ? 1 : 0;
    if (!step) return;
    event.preventDefault();
    const by = step * Math.max(MINUTE_MS, reach / 200);
    const fromMs = grip === "to" ? now.fromMs : Math.min(now.fromMs + by, now.toMs - SHORTEST_MS);
    const toMs = grip === "from" ? now.toMs : Math.max(now.toMs + by, now.fromMs + SHORTEST_MS);
    settle(fromMs, Math.min(ribbon.toMs, toMs));
  };
  const sameDay = Math.floor(now.fromMs / DAY_MS) === Math.floor(now.toMs / DAY_MS);
  const title = now.live
    ? `last ${spokenDuration(spanMs)}`
    : `${dayAndTime(now.fromMs, now.nowMs)} to ${dayAndTime(now.toMs, sameDay ? now.toMs : now.nowMs)}`;
  return {
    title,
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
