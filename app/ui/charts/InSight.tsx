import { useEffect, useRef, useState, type ReactNode } from "react";
import { whenIdle } from "../idle";
import { useMounted } from "../mounted";
import { drawSoon } from "./draw-queue";

/** So far outside the window, in pixels, a drawing is made already, to be there when it is scrolled to. */
const AHEAD = 300;

interface InSightProps {
  height: number;
  /** What the drawing shows, for those who do not see it. */
  label: string;
  children: ReactNode;
}

/** Keeps the room of a drawing, and makes the drawing when it comes into sight: a page may have dozens further down. */
export function InSight(props: InSightProps) {
  return useMounted() ? <WhenSeen {...props} /> : <Room {...props} />;
}

/** Room that is kept for a drawing. */
export const Room = ({ height, label, box }: Omit<InSightProps, "children"> & { box?: React.Ref<HTMLDivElement> }) => (
  <div
    ref={box}
    data-room=""
    role="img"
    aria-label={label}
    style={{ height, background: "var(--mui-palette-action-hover)" }}
  />
);

function WhenSeen({ children, ...room }: InSightProps) {
  const box = useRef<HTMLDivElement>(null);
  const [seen, setSeen] = useState(false);
  // What is in sight is drawn as soon as the page is painted; what is near it, in the next quiet moment.
  useEffect(() => {
    if (seen || !box.current) return;
    const show = () => setSeen(true);
    let cancel: (() => void) | undefined;
    const observer = new IntersectionObserver(
      (entries) => {
        const near = entries.findLast((one) => one.isIntersecting)?.boundingClientRect;
        if (!near) return;
        cancel?.();
        cancel = near.top < window.innerHeight && near.bottom > 0 ? drawSoon(show) : whenIdle(show);
      },
      { rootMargin: `${AHEAD}px` },
    );
    observer.observe(box.current);
    // On paper everything is in sight.
    window.addEventListener("beforeprint", show);
    return () => {
      cancel?.();
      observer.disconnect();
      window.removeEventListener("beforeprint", show);
    };
  }, [seen]);
  return seen ? children : <Room {...room} box={box} />;
}
