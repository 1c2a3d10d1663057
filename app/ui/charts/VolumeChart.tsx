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
import { useMemo } from "react";
import { formatValue } from "#core/units/format";
import type { DayVolume } from "#server/pages/charts";
import type { Tokens } from "#core/drawing/tokens";
import { roundAxis } from "#core/drawing/axes";
import { InSight } from "./InSight";
import { useTokens } from "./use-tokens";

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

function volumeData(volume: DayVolume, tokens: Tokens) {
  return {
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
  };
}

function volumeOptions(volume: DayVolume, tokens: Tokens): ChartOptions {
  const highest = Math.max(...volume.hours.flatMap((hour) => [hour.today ?? 0, hour.usual ?? 0]));
  return {
    animation: false,
    responsive: true,
    maintainAspectRatio: false,
    interaction: { mode: "index", intersect: false },
    scales: {
      x: {
        grid: { display: false },
        border: { color: tokens.line },
        ticks: { color: tokens.quiet, font: { size: 11 }, maxRotation: 0 },
      },
      y: {
        border: { display: false },
        grid: { color: tokens.line, lineWidth: 0.5 },
        ticks: { color: tokens.quiet, font: { size: 11 } },
        ...roundAxis(0, highest, volume.unit, 5),
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
  };
}

/** Bars of today's hours and a stepped line of what the same hours brought before. */
export function VolumeChart({ volume }: { volume: DayVolume }) {
  const tokens = useTokens();
  const data = useMemo(() => volumeData(volume, tokens), [volume, tokens]);
  const options = useMemo(() => volumeOptions(volume, tokens), [volume, tokens]);
  const now = volume.hours.filter((hour) => hour.today !== null).at(-1);
  const said = now
    ? `In hour ${two(now.hour)}: ${formatValue(now.today, volume.unit)}, usual ${formatValue(now.usual, volume.unit)}.`
    : "No figures today yet.";
  const label = `${volume.label} by hour. ${said}`;
  return (
    <>
      <InSight height={HEIGHT} label={label}>
        <div style={{ height: HEIGHT, position: "relative" }}>
          <Chart type="bar" data={data as never} options={options} role="img" aria-label={label} />
        </div>
      </InSight>
      <p className="hx-caption hx-legend">
        <span>
          <i aria-hidden="true" style={{ width: 10, height: 10, background: "var(--hx-chart)" }} />
          today
        </span>
        <span>
          <i aria-hidden="true" style={{ width: 16, borderTop: "2px dashed var(--hx-usual)" }} />
          {volume.usualOf ?? "usual"}
        </span>
      </p>
    </>
  );
}
