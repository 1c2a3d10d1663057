import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { formatValue } from "#core/units/format";
import { useDragRange } from "./charts/drag-range";

const HEIGHT = 96;

interface Bar {
  fromMs: number;
  toMs: number;
  count: number;
}

/** How long calls took, on a logarithmic axis; dragging over the bars chooses a range of durations. */
export function DurationBars({
  bars,
  least,
  most,
  onRange,
}: {
  bars: readonly Bar[];
  least: number | null;
  most: number | null;
  onRange: (least: number, most: number) => void;
}) {
  const first = bars[0];
  const last = bars.at(-1);
  const low = Math.log(first?.fromMs ?? 1);
  const span = Math.log(last?.toMs ?? 10) - low;
  const { drag, hovered, box, handlers } = useDragRange((share) => Math.exp(low + share * span), onRange);
  if (!first || !last) return null;
  const x = (value: number) => ((Math.log(Math.max(value, first.fromMs)) - low) / span) * 100;
  const under = hovered === null ? undefined : bars.find((bar) => hovered >= bar.fromMs && hovered < bar.toMs);
  const range =
    drag ?? (least !== null || most !== null ? { from: least ?? first.fromMs, to: most ?? last.toMs } : null);
  return (
    <Box>
      <Box
        ref={box}
        sx={{
          position: "relative",
          height: HEIGHT,
          cursor: "crosshair",
          touchAction: "none",
          userSelect: "none",
          borderBottom: 1,
          borderColor: "divider",
        }}
        {...handlers}
      >
        <Bars bars={bars} x={x} range={range} />
        {drag ? (
          <Box
            sx={{
              position: "absolute",
              top: 0,
              bottom: 0,
              left: `${x(Math.min(drag.from, drag.to))}%`,
              width: `${Math.abs(x(drag.to) - x(drag.from))}%`,
              bgcolor: "color-mix(in srgb, var(--mui-palette-primary-main) 18%, transparent)",
              borderInline: "1px solid var(--mui-palette-primary-main)",
              pointerEvents: "none",
            }}
          />
        ) : null}
      </Box>
      <Ticks x={x} from={first.fromMs} to={last.toMs} />
      <Typography variant="caption" component="p" sx={{ color: "text.secondary", minHeight: 18 }}>
        {under
          ? `${under.count.toLocaleString("en-GB")} took ${formatValue(under.fromMs, "ms")} to ${formatValue(under.toMs, "ms")}`
          : "Durations are within 1 % of what was measured. Drag over the bars to filter traces by duration."}
      </Typography>
    </Box>
  );
}

/** @param x place of a duration across the drawing, percent */
function Bars({
  bars,
  x,
  range,
}: {
  bars: readonly Bar[];
  x: (value: number) => number;
  range: { from: number; to: number } | null;
}) {
  const highest = Math.max(...bars.map((bar) => bar.count));
  const [least, most] = range ? [Math.min(range.from, range.to), Math.max(range.from, range.to)] : [0, Infinity];
  return (
    <svg
      viewBox={`0 0 100 ${HEIGHT}`}
      preserveAspectRatio="none"
      width="100%"
      height={HEIGHT}
      role="img"
      aria-label={`Calls by duration, from ${formatValue(bars[0]?.fromMs ?? 0, "ms")} to ${formatValue(bars.at(-1)?.toMs ?? 0, "ms")}`}
      style={{ display: "block" }}
    >
      {bars
        .filter((bar) => bar.count > 0)
        .map((bar) => {
          const height = Math.max(1.5, (bar.count / highest) * (HEIGHT - 6));
          return (
            <rect
              key={bar.fromMs}
              x={x(bar.fromMs)}
              width={Math.max(0.2, x(bar.toMs) - x(bar.fromMs) - 0.15)}
              y={HEIGHT - height}
              height={height}
              fill="var(--hx-chart)"
              opacity={bar.toMs < least || bar.fromMs > most ? 0.3 : 0.85}
            />
          );
        })}
    </svg>
  );
}

/** Powers of ten within a range of durations, ms. */
function Ticks({ x, from, to }: { x: (value: number) => number; from: number; to: number }) {
  const ticks: number[] = [];
  for (let power = Math.ceil(Math.log10(from)); 10 ** power <= to; power++) ticks.push(10 ** power);
  return (
    <Box aria-hidden="true" sx={{ position: "relative", height: 16, fontSize: 11, color: "text.secondary" }}>
      {ticks.map((tick) => (
        <span
          key={tick}
          style={{
            position: "absolute",
            left: `${x(tick)}%`,
            transform: x(tick) > 96 ? "translateX(-100%)" : x(tick) < 4 ? "none" : "translateX(-50%)",
            whiteSpace: "nowrap",
          }}
        >
          {formatValue(tick, "ms")}
        </span>
      ))}
    </Box>
  );
}
