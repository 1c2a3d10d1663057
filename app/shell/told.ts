import { useSnackbar } from "notistack";
import { createElement, useCallback, useEffect, useRef } from "react";
import type { LiveEvent } from "#server/events";
import { playSound } from "./sounds";

export type ToldEvent = Extract<LiveEvent, { topic: "told" }>;

/** Shows a message to whoever looks, or tells the system and counts in the title until somebody looks. */
export function useTold(): (event: ToldEvent) => void {
  const { enqueueSnackbar } = useSnackbar();
  const missed = useRef(0);
  useEffect(() => {
    const seen = () => {
      if (document.visibilityState !== "visible" || missed.current === 0) return;
      missed.current = 0;
      document.title = document.title.replace(/^\(\d+\) /, "");
    };
    document.addEventListener("visibilitychange", seen);
    return () => document.removeEventListener("visibilitychange", seen);
  }, []);
  return useCallback(
    ({ title, text, address, sound }) => {
      playSound(sound);
      enqueueSnackbar(createElement("a", { className: "hx-link", href: address }, title), { autoHideDuration: 15_000 });
      if (document.visibilityState === "visible") return;
      missed.current++;
      document.title = `(${missed.current}) ${document.title.replace(/^\(\d+\) /, "")}`;
      if (!("Notification" in window) || Notification.permission !== "granted") return;
      const shown = new Notification(title, { body: text, tag: address });
      shown.addEventListener("click", () => {
        window.focus();
        window.location.assign(address);
      });
    },
    [enqueueSnackbar],
  );
}
