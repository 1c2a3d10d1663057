import Link, { type LinkProps } from "@mui/material/Link";
import { Link as RouterLink } from "react-router";
import { useKeep } from "../shell/window";

/** A link inside the application that takes the window along. Most have no looks of their own: those are plain, for there are hundreds of them. */
export function KeepLink({ to, children, ...looks }: { to: string } & Omit<LinkProps, "href">) {
  const keep = useKeep();
  if (Object.keys(looks).length === 0)
    return (
      <RouterLink to={keep(to)} className="hx-link">
        {children}
      </RouterLink>
    );
  return (
    <Link component={RouterLink} to={keep(to)} {...looks}>
      {children}
    </Link>
  );
}
