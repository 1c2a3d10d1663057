import {
  BarController,
  BarElement,
  CategoryScale,
  Chart as ChartJs,
  LinearScale,
  LineController,
  LineElement,
  PointElement,
  Tooltip,
  type ChartOptions,
} from "chart.js";
import { Chart } from "react-chartjs-2";
import Skeleton from "@mui/material/Skeleton";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useMemo } from "react";
import { formatValue } from "#core/units/format";
import type { DayVolume } from "#server/pages/charts";
import { roundAxis, useMounted, useTokens } from "./HouseChart";

ChartJs.register(
  BarController,
  BarElement,
  LineController,
  LineElement,
  PointElement,
  CategoryScale,
  LinearScale,
  Tooltip,
);

const HEIGHT = 190;
const two = (hour: number) => String(hour).padStart(2, "0");

/** Bars of today's hours and a stepped line of what the same hours brought before. */
export function VolumeChart({ volume }: { volume: DayVolume }) {
  const tokens = useTokens();
  const mounted = useMounted();
  const data = useMemo(
    () => ({
      labels: volume.hours.map((hour) => two(hour.hour)),
      datasets: [
        {
          type: "line" as const,
          label: volume.usualOf ?? "usual",
          data: volume.hours.map((hour) => hour.usual),
          borderColor: tokens.usual,
          borderWidth: 1.5,
          borderDash: [4, 3],
          stepped: "middle" as const,
          pointRadius: 0,
        },
        {
          type: "bar" as const,
          label: "today",
          data: volume.hours.map((hour) => hour.today),
          backgroundColor: tokens.chartLine,
          categoryPercentage: 0.86,
          barPercentage: 0.8,
        },
      ],
    }),
    [volume, tokens],
  );
  const options = useMemo(
    (): ChartOptions => ({
      animation: false,
      responsive: true,
      maintainAspectRatio: false,
      interaction: { mode: "index", intersect: false },
      scales: {
        x: {
          grid: { display: false },
          border: { color: tokens.line },
          ticks: { color: tokens.quiet, font: { size: 10.5 }, maxRotation: 0 },
        },
        y: {
          border: { display: false },
          grid: { color: tokens.line, lineWidth: 0.5 },
          ticks: { color: tokens.quiet, font: { size: 11 } },
          ...roundAxis(
            0,
            Math.max(...volume.hours.flatMap((hour) => [hour.today ?? 0, hour.usual ?? 0])),
            volume.unit,
            5,
          ),
        },
      },
      plugins: {
        legend: { display: false },
        tooltip: {
          animation: false,
          callbacks: {
            title: (items) => `${items[0]?.label ?? ""}:00 to ${items[0]?.label ?? ""}:59`,
            label: (item) => `${item.dataset.label}: ${formatValue(item.parsed.y, volume.unit)}`,
          },
        },
      },
    }),
    [tokens, volume.unit, volume.hours],
  );
  if (!mounted) return <Skeleton variant="rectangular" height={HEIGHT + 18} animation={false} />;
  const now = volume.hours.filter((hour) => hour.today !== null).at(-1);
  return (
    <>
      <div style={{ height: HEIGHT, position: "relative" }}>
        <Chart
          type="bar"
          data={data as never}
          options={options}
          role="img"
          aria-label={`${volume.label} by hour. ${now ? `In hour ${two(now.hour)}: ${formatValue(now.today, volume.unit)}, usual ${formatValue(now.usual, volume.unit)}.` : "No figures today yet."}`}
        />
      </div>
      <Stack direction="row" sx={{ gap: 2, justifyContent: "flex-end" }}>
        <Typography variant="caption" sx={{ color: "text.secondary" }}>
          <span
            aria-hidden="true"
            style={{ display: "inline-block", width: 10, height: 10, background: tokens.chartLine, marginRight: 6 }}
          />
          today
        </Typography>
        <Typography variant="caption" sx={{ color: "text.secondary" }}>
          <span
            aria-hidden="true"
            style={{
              display: "inline-block",
              width: 16,
              borderTop: `2px dashed ${tokens.usual}`,
              marginRight: 6,
              verticalAlign: "middle",
            }}
          />
          {volume.usualOf ?? "usual"}
        </Typography>
      </Stack>
    </>
  );
}
