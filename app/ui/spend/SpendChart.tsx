import {
  BarController,
  BarElement,
  CategoryScale,
  Chart as ChartJs,
  LinearScale,
  Tooltip,
  type ChartOptions,
} from "chart.js";
import { useMemo } from "react";
import { Bar } from "react-chartjs-2";
import { dayAndMonth, formatMoney } from "#core/units/money";
import type { Tokens } from "#core/drawing/tokens";
import { InSight } from "../charts/InSight";
import { useTokens } from "../charts/use-tokens";

ChartJs.register(BarController, BarElement, CategoryScale, LinearScale, Tooltip);

const HEIGHT = 200;
const DAY_MS = 86_400_000;

export interface SpendDays {
  fromMs: number;
  days: number;
  parts: readonly { label: string; values: readonly number[] }[];
}

const colourOf = (tokens: Tokens, index: number, count: number, label: string) =>
  index === count - 1 && label === "All others" ? tokens.usual : (tokens.lines[index % 7] as string);

function optionsOf(days: SpendDays, currency: string, tokens: Tokens): ChartOptions<"bar"> {
  const at = (index: number) => days.fromMs + index * DAY_MS;
  return {
    animation: false,
    responsive: true,
    maintainAspectRatio: false,
    interaction: { mode: "index", intersect: false },
    scales: {
      x: {
        stacked: true,
        grid: { display: false },
        border: { color: tokens.line },
        ticks: {
          color: tokens.quiet,
          font: { size: 11 },
          maxRotation: 0,
          autoSkip: false,
          // Mondays.
          callback: (_value, index) =>
            new Date(at(index)).getUTCDay() === 1 ? dayAndMonth(at(index)).replace(/(?<= ...).*/, "") : "",
        },
      },
      y: {
        stacked: true,
        border: { display: false },
        grid: { color: tokens.line, lineWidth: 0.5 },
        ticks: {
          color: tokens.quiet,
          font: { size: 11 },
          maxTicksLimit: 5,
          callback: (value) => formatMoney(Number(value), currency).replace(/\.00$/, ""),
        },
      },
    },
    plugins: {
      legend: { display: false },
      tooltip: {
        animation: false,
        callbacks: {
          title: (items) => dayAndMonth(at(items[0]?.dataIndex ?? 0)),
          label: (item) => `${item.dataset.label}: ${formatMoney(item.parsed.y ?? 0, currency)}`,
          footer: (items) =>
            items.length > 1
              ? `Together: ${formatMoney(
                  items.reduce((sum, one) => sum + (one.parsed.y ?? 0), 0),
                  currency,
                )}`
              : "",
        },
      },
    },
  };
}

/** What each day cost, a bar a day, in parts. */
export function SpendChart({ days, currency }: { days: SpendDays; currency: string }) {
  const tokens = useTokens();
  const data = useMemo(
    () => ({
      labels: Array.from({ length: days.days }, (_, index) => index),
      datasets: days.parts.map((part, index) => ({
        label: part.label,
        data: [...part.values],
        backgroundColor: colourOf(tokens, index, days.parts.length, part.label),
        categoryPercentage: 0.92,
        barPercentage: 0.94,
      })),
    }),
    [days, tokens],
  );
  const options = useMemo(() => optionsOf(days, currency, tokens), [days, currency, tokens]);
  const last = days.parts.reduce((sum, part) => sum + (part.values.at(-1) ?? 0), 0);
  const label = `Spend a day from ${dayAndMonth(days.fromMs)} for ${days.days} days. On the last one: ${formatMoney(last, currency)}.`;
  return (
    <>
      <InSight height={HEIGHT} label={label}>
        <div style={{ height: HEIGHT, position: "relative" }}>
          <Bar data={data} options={options} role="img" aria-label={label} />
        </div>
      </InSight>
      <p className="hx-caption hx-legend">
        {days.parts.map((part, index) => (
          <span key={part.label}>
            <i
              aria-hidden="true"
              style={{
                width: 10,
                height: 10,
                background: colourOf(tokens, index, days.parts.length, part.label),
              }}
            />
            {part.label}
          </span>
        ))}
      </p>
    </>
  );
}
