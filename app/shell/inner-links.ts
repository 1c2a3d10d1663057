import { useEffect } from "react";
import { useNavigate } from "react-router";

/** Lets plain links of the application (`hx-link`) move inside it: one listener instead of one component each. */
export function useInnerLinks(): void {
  const navigate = useNavigate();
  useEffect(() => {
    const onClick = (event: MouseEvent) => {
      if (event.defaultPrevented || event.button !== 0) return;
      if (event.metaKey || event.ctrlKey || event.shiftKey || event.altKey) return;
      const link = event.target instanceof Element ? event.target.closest("a.hx-link") : null;
      const address = link?.getAttribute("href");
      if (!link || !address?.startsWith("/") || link.hasAttribute("target") || link.hasAttribute("download")) return;
      event.preventDefault();
      void navigate(address);
    };
    document.addEventListener("click", onClick);
    return () => document.removeEventListener("click", onClick);
  }, [navigate]);
}
