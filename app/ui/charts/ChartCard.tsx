import Box from "@mui/material/Box";
import { styled } from "@mui/material/styles";
import { useState } from "react";
import { Link as RouterLink } from "react-router";
import { dayAndTime } from "#core/time/windows";
import { formatValue } from "#core/units/format";
import type { ChartData } from "#core/drawing/chart";
import { usePin } from "../../shell/tray";
import { useKeep } from "../../shell/window";
import { HouseChart } from "./HouseChart";
import { PlainTable } from "../PlainTable";
import { TraceLinks } from "../TraceLinks";
import { useWhyNot } from "../RightButton";

/**
 * The frame of a chart. A page has a dozen of them, so what is inside is plain elements: drawing them costs next to
 * nothing.
 */
const Card = styled("figure")({
  margin: 0,
  minWidth: 0,
  backgroundColor: "var(--mui-palette-background-paper)",
  border: "1px solid var(--mui-palette-divider)",
  borderRadius: 4,
  "& .head": { display: "flex", alignItems: "center", gap: 2, padding: "2px 4px 0 10px" },
  "& figcaption": {
    flex: 1,
    minWidth: 0,
    overflow: "hidden",
    textOverflow: "ellipsis",
    whiteSpace: "nowrap",
    fontSize: "0.875rem",
    fontWeight: 600,
  },
  "& figcaption a": { color: "inherit", textDecoration: "none" },
  "& figcaption a:hover": { textDecoration: "underline" },
  "& .last": { fontSize: "0.84rem", fontWeight: 600, marginRight: 4, whiteSpace: "nowrap" },
  "& .do": {
    display: "inline-flex",
    padding: 5,
    border: 0,
    borderRadius: "50%",
    background: "none",
    color: "var(--mui-palette-text-secondary)",
    cursor: "pointer",
    lineHeight: 0,
  },
  "& .do:hover": { backgroundColor: "var(--mui-palette-action-hover)", color: "var(--mui-palette-text-primary)" },
  "& .do svg": {
    width: 16,
    height: 16,
    fill: "none",
    stroke: "currentColor",
    strokeWidth: 1.5,
    strokeLinecap: "round",
    strokeLinejoin: "round",
  },
  "& .body": { padding: "0 6px 4px" },
  "& .range": {
    margin: 0,
    padding: "0 4px",
    fontSize: "0.76rem",
    lineHeight: 1.66,
    color: "var(--mui-palette-text-secondary)",
    whiteSpace: "nowrap",
    overflow: "hidden",
    textOverflow: "ellipsis",
  },
});

/** Rows of a table; an arrow down onto a line; a pin. */
const SIGNS = {
  table: "M2 3h12v10H2zM2 6.3h12M2 9.7h12",
  save: "M8 2v8M4.7 7 8 10.3 11.3 7M3 13.5h10",
  pin: "M5.5 2h5M6.5 2v4.5L4.5 9h7l-2-2.5V2M8 9v5",
} as const;

const Sign = ({ of }: { of: keyof typeof SIGNS }) => (
  <svg viewBox="0 0 16 16" aria-hidden="true">
    <path d={SIGNS[of]} />
  </svg>
);

/** A chart with its figures: last value and extremes, a table of the points, CSV, and a pin for the evidence tray. */
export function ChartCard({
  chart,
  height,
  incidentId,
  showOwner = false,
}: {
  chart: ChartData;
  height?: number;
  incidentId?: number;
  showOwner?: boolean;
}) {
  const [asTable, setAsTable] = useState(false);
  const pin = usePin();
  const mayNotPin = useWhyNot("respond");
  const keep = useKeep();
  const name = showOwner && chart.owner ? `${chart.title} · ${chart.owner}` : chart.title;
  const window = `from=${new Date(chart.fromMs).toISOString()}&to=${new Date(chart.toMs).toISOString()}`;
  return (
    <Card>
      <div className="head">
        <figcaption title={name}>
          <RouterLink to={keep(`/signals/metrics?line=series~${chart.seriesId}&${window}`)}>{name}</RouterLink>
        </figcaption>
        <span className="last">{formatValue(chart.legend.last, chart.unit)}</span>
        <button
          type="button"
          className="do"
          onClick={() => setAsTable(!asTable)}
          title={asTable ? "Show the chart" : "Show the figures"}
          aria-label={`${asTable ? "Chart" : "Figures"} of ${name}`}
          aria-pressed={asTable}
        >
          <Sign of="table" />
        </button>
        <a
          className="do"
          href={`/series/${chart.seriesId}/figures.csv?${window}`}
          download
          title="Every sample as CSV"
          aria-label={`CSV of ${name}`}
        >
          <Sign of="save" />
        </a>
        <button
          type="button"
          className="do"
          title={mayNotPin ?? (incidentId ? "Pin to this incident" : "Pin to the evidence tray")}
          aria-disabled={mayNotPin !== undefined}
          onClick={() =>
            pin({
              kind: "chart",
              title: `${chart.title}${chart.owner ? ` of ${chart.owner}` : ""}`,
              detail: `series:${chart.seriesId}`,
              fromMs: chart.fromMs,
              toMs: chart.toMs,
              ...(incidentId ? { incidentId } : {}),
            })
          }
          aria-label={`Pin ${name}`}
        >
          <Sign of="pin" />
        </button>
      </div>
      <div className="body">
        {asTable && chart.exemplars.length ? (
          <TraceLinks exemplars={chart.exemplars} unit={chart.unit} nowMs={chart.toMs} />
        ) : null}
        {asTable ? (
          <Figures chart={chart} height={(height ?? 132) + 20} />
        ) : (
          <HouseChart chart={chart} {...(height ? { height } : {})} />
        )}
        {asTable ? null : <p className="range">{rangeOf(chart)}</p>}
      </div>
    </Card>
  );
}

function rangeOf({ legend, unit }: ChartData): string {
  if (!legend.count) return "no samples in this window";
  if (unit === "0/1") return `${formatValue((legend.mean ?? 0) * 100, "%")} of ${legend.count} polls answered`;
  return `min ${formatValue(legend.min, unit)} · mean ${formatValue(legend.mean, unit)} · max ${formatValue(legend.max, unit)}`;
}

function Figures({ chart, height }: { chart: ChartData; height: number }) {
  const rows = chart.points.filter((point) => point[2] !== null).reverse();
  return (
    <Box sx={{ height, overflow: "auto" }} tabIndex={0} role="region" aria-label={`Figures of ${chart.title}`}>
      <PlainTable pinned>
        <thead>
          <tr>
            <th scope="col">from (UTC)</th>
            <th scope="col" className="num">
              lowest
            </th>
            <th scope="col" className="num">
              mean
            </th>
            <th scope="col" className="num">
              highest
            </th>
          </tr>
        </thead>
        <tbody>
          {rows.map((point) => (
            <tr key={point[0]}>
              <td>{dayAndTime(point[0], undefined, true)}</td>
              <td className="num">{formatValue(point[1], chart.unit)}</td>
              <td className="num">{formatValue(point[2], chart.unit)}</td>
              <td className="num">{formatValue(point[3], chart.unit)}</td>
            </tr>
          ))}
        </tbody>
      </PlainTable>
    </Box>
  );
}
