import { useEffect, useLayoutEffect, useRef, useState, type ReactNode } from "react";
import { useMounted } from "../mounted";

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

const Room = ({ height, label, box }: Omit<InSightProps, "children"> & { box?: React.Ref<HTMLDivElement> }) => (
  <div ref={box} role="img" aria-label={label} style={{ height, background: "var(--mui-palette-action-hover)" }} />
);

function WhenSeen({ children, ...room }: InSightProps) {
  const box = useRef<HTMLDivElement>(null);
  const [seen, setSeen] = useState(false);
  // What is in sight from the beginning is drawn in the same frame; what is near it, right after.
  useLayoutEffect(() => {
    const rect = box.current?.getBoundingClientRect();
    if (rect && rect.top < window.innerHeight && rect.bottom > 0) setSeen(true);
  }, []);
  useEffect(() => {
    if (seen || !box.current) return;
    const show = () => setSeen(true);
    const observer = new IntersectionObserver((entries) => entries.some((one) => one.isIntersecting) && show(), {
      rootMargin: `${AHEAD}px`,
    });
    observer.observe(box.current);
    // On paper everything is in sight.
    window.addEventListener("beforeprint", show);
    return () => {
      observer.disconnect();
      window.removeEventListener("beforeprint", show);
    };
  }, [seen]);
  return seen ? children : <Room {...room} box={box} />;
}
