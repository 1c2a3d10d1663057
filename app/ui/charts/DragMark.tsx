/** The window being dragged over a drawing, in pixels from its left edge. */
export function DragMark({ from, to }: { from: number; to: number }) {
  if (Math.abs(to - from) <= 6) return null;
  return (
    <div
      style={{
        position: "absolute",
        top: 4,
        bottom: 24,
        left: Math.min(from, to),
        width: Math.abs(to - from),
        background: "color-mix(in srgb, var(--mui-palette-primary-main) 16%, transparent)",
        borderInline: "1px solid var(--mui-palette-primary-main)",
        pointerEvents: "none",
      }}
    />
  );
}
