import type { ReactNode } from "react";

/** A button of the frame: a plain element, for it is drawn with every page. Its title tells on pointing. */
export function PlainButton({
  children,
  onClick,
  label,
  title,
  className = "",
  disabled = false,
  pressed,
  expanded,
}: {
  children: ReactNode;
  onClick: (event: React.MouseEvent<HTMLButtonElement>) => void;
  /** Name for those who do not see the picture. */
  label?: string;
  title?: string;
  className?: string;
  disabled?: boolean;
  pressed?: boolean;
  expanded?: boolean;
}) {
  return (
    <button
      type="button"
      className={`hx-button ${className}`}
      onClick={onClick}
      aria-label={label}
      title={title}
      disabled={disabled}
      aria-pressed={pressed}
      aria-expanded={expanded}
    >
      {children}
    </button>
  );
}
