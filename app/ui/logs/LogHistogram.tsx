import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import type { LogLevel } from "#core/telemetry/log-levels";
import { tickLabel, timeTicks } from "#core/time/ticks";
import { clockTime, dayAndTime } from "#core/time/windows";
import { useDragRange } from "../charts/drag-range";
import { LEVEL_COLOUR } from "./LogLevelWord";

const HEIGHT = 84;
/** Drawn from the bottom up: what is worst stands lowest, where it is seen first. */
const ORDER: readonly LogLevel[] = ["fatal", "error", "warning", "info", "debug", "not given"];

/** How many records came when, by severity; dragging over it moves the window. */
export function LogHistogram({
  bars,
  stepMs,
  fromMs,
  toMs,
  onZoom,
}: {
  bars: readonly { atMs: number; counts: Partial<Record<LogLevel, number>> }[];
  stepMs: number;
  fromMs: number;
  toMs: number;
  onZoom: (fromMs: number, toMs: number) => void;
}) {
  const span = toMs - fromMs;
  const { drag, hovered, box, handlers } = useDragRange((share) => fromMs + share * span, onZoom);
  const totalOf = (counts: Partial<Record<LogLevel, number>>) =>
    Object.values(counts).reduce((sum, count) => sum + count, 0);
  const most = Math.max(1, ...bars.map((bar) => totalOf(bar.counts)));
  const x = (atMs: number) => ((atMs - fromMs) / span) * 1000;
  const outlines = outlinesOf(bars, x, stepMs, most);
  const under = hovered === null ? undefined : bars.find((bar) => hovered >= bar.atMs && hovered < bar.atMs + stepMs);
  const spoken = under
    ? `${dayAndTime(under.atMs)} to ${clockTime(under.atMs + stepMs)}: ${ORDER.filter((level) => under.counts[level])
        .map((level) => `${under.counts[level]?.toLocaleString("en-GB")} ${level}`)
        .join(", ")}`
    : `Most in one bar: ${most.toLocaleString("en-GB")}. Drag over the bars to narrow the window.`;
  return (
    <Box sx={{ mb: 1 }}>
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
        <svg
          viewBox={`0 0 1000 ${HEIGHT}`}
          preserveAspectRatio="none"
          width="100%"
          height={HEIGHT}
          role="img"
          aria-label={`Records by time and severity, ${bars.length} bars. ${spoken}`}
          style={{ display: "block" }}
        >
          {ORDER.map((level) => (
            <path
              key={level}
              d={outlines[level]}
              fill={LEVEL_COLOUR[level]}
              opacity={level === "debug" || level === "not given" ? 0.35 : level === "info" ? 0.55 : 1}
            />
          ))}
        </svg>
        {drag ? (
          <Dragged from={(Math.min(drag.from, drag.to) - fromMs) / span} part={Math.abs(drag.to - drag.from) / span} />
        ) : null}
      </Box>
      <Times fromMs={fromMs} toMs={toMs} />
      <Typography variant="caption" component="p" sx={{ color: "text.secondary", minHeight: 18 }}>
        {spoken}
      </Typography>
    </Box>
  );
}

/** What is dragged over, as parts of the whole width. */
function Dragged({ from, part }: { from: number; part: number }) {
  return (
    <Box
      sx={{
        position: "absolute",
        inset: "0 auto 0 auto",
        left: `${from * 100}%`,
        width: `${part * 100}%`,
        bgcolor: "color-mix(in srgb, var(--mui-palette-primary-main) 18%, transparent)",
        borderInline: "1px solid var(--mui-palette-primary-main)",
        pointerEvents: "none",
      }}
    />
  );
}

function Times({ fromMs, toMs }: { fromMs: number; toMs: number }) {
  const span = toMs - fromMs;
  return (
    <Box aria-hidden="true" sx={{ position: "relative", height: 16, fontSize: 11, color: "text.secondary" }}>
      {timeTicks(fromMs, toMs, 9).map((at) => (
        <span
          key={at}
          style={{
            position: "absolute",
            left: `${((at - fromMs) / span) * 100}%`,
            transform: "translateX(-50%)",
            whiteSpace: "nowrap",
          }}
        >
          {(at - fromMs) / span > 0.02 && (toMs - at) / span > 0.02 ? tickLabel(at, span) : ""}
        </span>
      ))}
    </Box>
  );
}

/** Outline of all bars of a level, by level; the loudest stand at the bottom. */
function outlinesOf(
  bars: readonly { atMs: number; counts: Partial<Record<LogLevel, number>> }[],
  x: (atMs: number) => number,
  stepMs: number,
  most: number,
): Partial<Record<LogLevel, string>> {
  const outlines: Partial<Record<LogLevel, string>> = {};
  const tenth = (value: number) => Math.round(value * 10) / 10;
  for (const { atMs, counts } of bars) {
    let y = HEIGHT;
    const left = Math.max(0, x(atMs));
    const width = tenth(Math.max(1, Math.min(1000, x(atMs + stepMs)) - left - 1));
    for (const level of ORDER) {
      const count = counts[level];
      if (!count) continue;
      const height = Math.max(1.5, (count / most) * (HEIGHT - 6));
      outlines[level] = `${outlines[level] ?? ""}M${tenth(left)} ${tenth(y)}h${width}v${-tenth(height)}h${-width}z`;
      y -= height;
    }
  }
  return outlines;
}
