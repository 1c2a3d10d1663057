import { OVERLAYS, type Overlay } from "#server/pages/overlay";
import { parseWindow, type WindowResult } from "#core/time/windows";

export interface PageWindow {
  fromMs: number;
  toMs: number;
  live: boolean;
  nowMs: number;
  /** Instant the page shows the state of: the end of the window, or now. */
  atMs: number;
  problem: string | null;
}

/** The window of a request; what cannot be read is answered with the usual window and a sentence. */
export function windowOf(request: Request, nowMs: number, defaultMs?: number): PageWindow {
  const result: WindowResult = parseWindow(new URL(request.url).searchParams, nowMs, defaultMs);
  const { window } = result;
  return {
    ...window,
    nowMs,
    atMs: window.live ? nowMs : Math.min(nowMs, window.toMs),
    problem: result.ok ? null : result.problem,
  };
}

/** What of another time an address asks to be laid over the drawings. */
export const overlayAsked = (request: Request): Overlay =>
  OVERLAYS.find((one) => one === new URL(request.url).searchParams.get("over")) ?? "none";
