import { useEffect } from "react";
import { useLocation } from "react-router";
import type { TrailStep } from "#server/store/drills";

const key = (attempt: number) => `hx-trail-${attempt}`;
const MOST = 400;

export function readTrail(attempt: number): TrailStep[] {
  try {
    return JSON.parse(sessionStorage.getItem(key(attempt)) ?? "[]") as TrailStep[];
  } catch {
    return [];
  }
}

/** Notes every page that is opened while somebody is at a blind drill, with the instant of the estate's clock. */
export function useTrail(attempt: number | null, nowMs: number): void {
  const { pathname } = useLocation();
  useEffect(() => {
    if (attempt === null) return;
    const steps = readTrail(attempt);
    if (steps.at(-1)?.path === pathname || steps.length >= MOST) return;
    try {
      sessionStorage.setItem(key(attempt), JSON.stringify([...steps, { atMs: nowMs, path: pathname }]));
    } catch {
      // No room, or not allowed: the attempt is scored without its pages.
    }
    // The instant is that of the page; a later one of the same page is no new step.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [attempt, pathname]);
}
