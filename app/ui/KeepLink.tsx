import type { ReactNode } from "react";
import { useKeep } from "../shell/window";

/**
 * A link inside the application that takes the window along. A plain element, for a page has hundreds of them; the
 * frame hears their clicks (`useInnerLinks`).
 */
export function KeepLink({
  to,
  children,
  text = false,
  strong = false,
  clip = false,
  label,
}: {
  to: string;
  children: ReactNode;
  /** In the colour of the text round it. */
  text?: boolean;
  strong?: boolean;
  /** One line, cut off where the room ends. */
  clip?: boolean;
  /** What it is called where its words alone do not tell it from others. */
  label?: string;
}) {
  const keep = useKeep();
  return (
    <a
      href={keep(to)}
      aria-label={label}
      className={`hx-link${text ? " hx-link-text" : ""}${strong ? " hx-strong" : ""}${clip ? " hx-clip" : ""}`}
    >
      {children}
    </a>
  );
}
