import Button, { type ButtonProps } from "@mui/material/Button";
import type { MouseEvent } from "react";
import { whyNotMe, type Right } from "#core/people/rights";
import { useShell } from "../shell/window";

/** Why whoever is signed in may not do something, or undefined where they may. */
export function useWhyNot(right: Right): string | undefined {
  return whyNotMe(useShell().who.rights, right);
}

/**
 * A button for something that takes a right. Whoever lacks it sees the button and is told why: it stays in the order of
 * the keyboard, and its title says the reason.
 */
export function RightButton({ right, onClick, children, ...props }: ButtonProps & { right: Right }) {
  const reason = useWhyNot(right);
  if (reason === undefined)
    return (
      <Button {...props} {...(onClick ? { onClick } : {})}>
        {children}
      </Button>
    );
  const { name: _name, value: _value, type: _type, startIcon, variant, sx } = props;
  return (
    <Button
      {...(startIcon ? { startIcon } : {})}
      {...(variant ? { variant } : {})}
      {...(sx ? { sx } : {})}
      type="button"
      color="inherit"
      aria-disabled
      className="hx-may-not"
      title={reason}
      aria-label={typeof props["aria-label"] === "string" ? `${props["aria-label"]}. ${reason}` : undefined}
      aria-description={reason}
      onClick={(event: MouseEvent) => event.preventDefault()}
    >
      {children}
    </Button>
  );
}
