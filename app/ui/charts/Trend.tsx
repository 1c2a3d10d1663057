/** A line of the last hours without axes, for beside a figure. */
export function Trend({
  values,
  width = 96,
  height = 26,
}: {
  values: readonly number[];
  width?: number;
  height?: number;
}) {
  if (values.length < 2) return null;
  const low = Math.min(...values);
  const high = Math.max(...values);
  const reach = high - low || 1;
  const points = values
    .map(
      (value, index) =>
        `${((index / (values.length - 1)) * (width - 2) + 1).toFixed(1)},${(height - 2 - ((value - low) / reach) * (height - 4)).toFixed(1)}`,
    )
    .join(" ");
  return (
    <svg width={width} height={height} aria-hidden="true" style={{ display: "block" }}>
      <polyline points={points} fill="none" stroke="var(--hx-chart)" strokeWidth="1.3" />
    </svg>
  );
}
