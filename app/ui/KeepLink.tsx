import Link, { type LinkProps } from "@mui/material/Link";
import { Link as RouterLink } from "react-router";
import { useKeep } from "../shell/window";

/** A link inside the application that takes the window along. */
export function KeepLink({ to, ...rest }: { to: string } & Omit<LinkProps, "href">) {
  const keep = useKeep();
  return <Link component={RouterLink} to={keep(to)} {...rest} />;
}
