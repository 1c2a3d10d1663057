import { useMemo } from "react";
import { useLocation, useRouteLoaderData, useSearchParams } from "react-router";
import { toIsoDuration } from "#core/time/windows";
import type { loader } from "../root";

/** Of somebody who is signed in: nobody else sees a frame. */
export type ShellData = Extract<Awaited<ReturnType<typeof loader>>, { who: object }>;

/** What the frame knows: clock, window, ribbon, who. */
export function useShell(): ShellData {
  return useRouteLoaderData<typeof loader>("root") as ShellData;
}

const KEPT = ["from", "to", "last", "span"] as const;

type Keep = (to: string) => string;

/** The last one made: a page has hundreds of links, and all of them keep the same window. */
let lastKeep: { search: string; keep: Keep } | undefined;

function keepOf(search: string): Keep {
  if (lastKeep?.search === search) return lastKeep.keep;
  const now = new URLSearchParams(search);
  const kept = KEPT.flatMap((name) => {
    const value = now.get(name);
    return value === null ? [] : [[name, value] as const];
  });
  const keep = (to: string) => {
    const [path = "", own = ""] = to.split("?");
    if (!own && kept.length === 0) return path;
    const params = new URLSearchParams(own);
    for (const [name, value] of kept)
      if (!params.has(name) && !(name === "last" && params.has("from"))) params.set(name, value);
    const text = params.toString();
    return text ? `${path}?${text}` : path;
  };
  lastKeep = { search, keep };
  return keep;
}

/** Puts the present window into a link, so that it rules the next page too. */
export function useKeep(): Keep {
  return keepOf(useLocation().search);
}

/** The half hour round an instant, as parts of an address: what is opened from there shows how it was then. */
export const around = (atMs: number): string =>
  new URLSearchParams({ from: iso(atMs - 15 * 60_000), to: iso(atMs + 15 * 60_000) }).toString();

export const iso = (ms: number) => new Date(ms).toISOString().replace(".000Z", "Z");

/** Moves the window: to a fixed span, or to the last so many milliseconds up to now. */
export function useMoveWindow(): {
  fix: (fromMs: number, toMs: number) => void;
  follow: (spanMs: number) => void;
  span: (duration: string) => void;
} {
  const [, setParams] = useSearchParams();
  return useMemo(
    () => ({
      fix: (fromMs, toMs) =>
        setParams((params) => {
          params.delete("last");
          params.set("from", iso(Math.round(fromMs / 1000) * 1000));
          params.set("to", iso(Math.round(toMs / 1000) * 1000));
          return params;
        }),
      follow: (spanMs) =>
        setParams((params) => {
          params.delete("from");
          params.delete("to");
          params.set("last", toIsoDuration(spanMs));
          return params;
        }),
      span: (duration) =>
        setParams((params) => {
          params.set("span", duration);
          return params;
        }),
    }),
    [setParams],
  );
}
