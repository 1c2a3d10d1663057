import { createContext, useContext, useEffect, useRef, useState, type ReactNode } from "react";
import { useFetchers, useLocation, useNavigation, useRevalidator } from "react-router";
import type { LiveEvent } from "#server/events";
import { useTold } from "./told";
import { useShell } from "./window";

interface Live {
  connected: boolean;
  problem: string | null;
}

const LiveContext = createContext<Live>({ connected: false, problem: null });
export const useLive = () => useContext(LiveContext);

/** Least machine time between two looks that only a tick asks for. */
const TICK_PAUSE_MS = 10_000;

/** Listens to the server and has the page load anew when something it shows may have changed. */
export function LiveUpdates({ children }: { children: ReactNode }) {
  const [live, setLive] = useState<Live>({ connected: false, problem: null });
  const { revalidate } = useRevalidator();
  const { pathname } = useLocation();
  const shell = useShell();
  const told = useTold();
  const navigation = useNavigation();
  const fetchers = useFetchers();
  const busy = navigation.state !== "idle" || fetchers.some((fetcher) => fetcher.state !== "idle");
  const state = useRef({ pathname, isLive: shell.window.live, busy, lastMs: 0 });
  state.current.pathname = pathname;
  state.current.isLive = shell.window.live;
  state.current.busy = busy;

  useEffect(() => {
    let timer: ReturnType<typeof setTimeout> | undefined;
    // What the page holds was loaded just now.
    state.current.lastMs = Date.now();
    const soon = (waitMs: number) => {
      if (timer) return;
      timer = setTimeout(() => {
        timer = undefined;
        // Loading anew would cut off what a person has just asked for, so that goes first.
        if (state.current.busy) return soon(200);
        state.current.lastMs = Date.now();
        if (document.visibilityState === "visible") void revalidate();
      }, waitMs);
    };
    const concerns = (event: LiveEvent): number | undefined => {
      const { pathname: path, isLive, lastMs } = state.current;
      switch (event.topic) {
        case "tick":
          return isLive && Date.now() - lastMs > TICK_PAUSE_MS ? 0 : undefined;
        case "alarms":
        case "estate":
          return isLive ? 300 : undefined;
        case "incident":
          return isLive || path.startsWith("/incidents") ? 300 : undefined;
        case "run":
          return path.startsWith("/runs/") || path.startsWith("/incidents/") || path.startsWith("/runbooks")
            ? 200
            : undefined;
        case "sweep":
          return path.startsWith("/discover") ? 250 : undefined;
        default:
          return undefined;
      }
    };
    const source = new EventSource("/live");
    let lost = false;
    source.onopen = () => {
      setLive((now) => ({ ...now, connected: true }));
      // What happened while the line was down is fetched at once.
      if (lost) soon(0);
      lost = false;
    };
    source.onerror = () => {
      lost = true;
      setLive((now) => ({ ...now, connected: false }));
      // Refused, not only lost: the session has ended, and loading anew leads to the sign-in.
      if (source.readyState === EventSource.CLOSED) soon(1000);
    };
    source.onmessage = ({ data }) => {
      const event = JSON.parse(data as string) as LiveEvent;
      if (event.topic === "told") told(event);
      if (event.topic === "problem") setLive((now) => ({ ...now, problem: event.message }));
      const wait = concerns(event);
      if (wait !== undefined) soon(wait);
    };
    return () => {
      clearTimeout(timer);
      source.close();
    };
  }, [revalidate, told]);

  return <LiveContext.Provider value={live}>{children}</LiveContext.Provider>;
}
