import { useEffect, useRef, type DOMAttributes } from "react";
import { onInstant, pointAtInstant } from "../charts/instant";

/** Points at the instant under the pointer, in everything that shares the axis. */
export function pointing(
  fromMs: number,
  toMs: number,
): Pick<DOMAttributes<HTMLDivElement>, "onPointerMove" | "onPointerLeave"> {
  return {
    onPointerMove({ clientX, currentTarget }) {
      const { left, width } = currentTarget.getBoundingClientRect();
      const share = Math.max(0, Math.min(1, (clientX - left) / Math.max(1, width)));
      pointAtInstant(fromMs + share * (toMs - fromMs));
    },
    onPointerLeave: () => pointAtInstant(null),
  };
}

/** The hairline of the shared instant, as the charts of the page draw it. */
export function Hairline({ fromMs, toMs }: { fromMs: number; toMs: number }) {
  const line = useRef<HTMLElement>(null);
  useEffect(
    () =>
      onInstant((atMs) => {
        const { style } = line.current ?? {};
        if (!style) return;
        const shown = atMs !== null && atMs >= fromMs && atMs <= toMs;
        style.display = shown ? "block" : "none";
        if (shown) style.left = `${(100 * (atMs - fromMs)) / Math.max(1, toMs - fromMs)}%`;
      }),
    [fromMs, toMs],
  );
  return <i ref={line} className="hx-hairline" />;
}
