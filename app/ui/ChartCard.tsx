import DownloadOutlined from "@mui/icons-material/DownloadOutlined";
import PushPinOutlined from "@mui/icons-material/PushPinOutlined";
import TableRowsOutlined from "@mui/icons-material/TableRowsOutlined";
import Box from "@mui/material/Box";
import IconButton from "@mui/material/IconButton";
import Paper from "@mui/material/Paper";
import Stack from "@mui/material/Stack";
import Tooltip from "@mui/material/Tooltip";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { dayAndTime } from "#core/time/windows";
import { formatValue } from "#core/units/format";
import type { ChartData } from "#server/pages/charts";
import { usePin } from "../shell/tray";
import { HouseChart } from "./HouseChart";
import { KeepLink } from "./KeepLink";
import { PlainTable } from "./PlainTable";
import { TraceLinks } from "./TraceLinks";

/** A chart with its figures: last value and extremes, a table of the points, CSV, and a pin for the evidence tray. */
export function ChartCard({ chart, height, incidentId, showOwner = false }: { chart: ChartData; height?: number; incidentId?: number; showOwner?: boolean }) {
  const [asTable, setAsTable] = useState(false);
  const pin = usePin();
  const name = showOwner && chart.owner ? `${chart.title} · ${chart.owner}` : chart.title;
  const csv = `/series/${chart.seriesId}/figures.csv?from=${new Date(chart.fromMs).toISOString()}&to=${new Date(chart.toMs).toISOString()}`;
  return (
    <Paper variant="outlined" component="figure" sx={{ m: 0, minWidth: 0 }}>
      <Stack direction="row" sx={{ alignItems: "center", pl: 1.25, pr: 0.5, pt: 0.25, gap: 0.25 }}>
        <Typography variant="h3" component="figcaption" noWrap title={name} sx={{ flex: 1, minWidth: 0 }}>
          <KeepLink to={`/signals/metrics?line=series~${chart.seriesId}&from=${new Date(chart.fromMs).toISOString()}&to=${new Date(chart.toMs).toISOString()}`} color="inherit" underline="hover">
            {name}
          </KeepLink>
        </Typography>
        <Typography variant="body2" sx={{ fontWeight: 600, mr: 0.5, whiteSpace: "nowrap" }}>
          {formatValue(chart.legend.last, chart.unit)}
        </Typography>
        <Tooltip title={asTable ? "Show the chart" : "Show the figures"}>
          <IconButton onClick={() => setAsTable(!asTable)} aria-label={`${asTable ? "Chart" : "Figures"} of ${name}`} aria-pressed={asTable}>
            <TableRowsOutlined sx={{ fontSize: 16 }} />
          </IconButton>
        </Tooltip>
        <Tooltip title="Every sample as CSV">
          <IconButton component="a" href={csv} download aria-label={`CSV of ${name}`}>
            <DownloadOutlined sx={{ fontSize: 16 }} />
          </IconButton>
        </Tooltip>
        <Tooltip title={incidentId ? "Pin into this incident" : "Pin to the evidence tray"}>
          <IconButton
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
            <PushPinOutlined sx={{ fontSize: 16 }} />
          </IconButton>
        </Tooltip>
      </Stack>
      <Box sx={{ px: 0.75, pb: 0.5 }}>
        {asTable && chart.exemplars.length ? <TraceLinks exemplars={chart.exemplars} unit={chart.unit} nowMs={chart.toMs} /> : null}
        {asTable ? <Figures chart={chart} height={(height ?? 132) + 20} /> : <HouseChart chart={chart} {...(height ? { height } : {})} />}
        {asTable ? null : (
          <Typography variant="caption" component="p" sx={{ color: "text.secondary", px: 0.5, whiteSpace: "nowrap", overflow: "hidden", textOverflow: "ellipsis" }}>
            {chart.legend.count ? chart.unit === "0/1" ? `${formatValue((chart.legend.mean ?? 0) * 100, "%")} of ${chart.legend.count} polls answered` : `min ${formatValue(chart.legend.min, chart.unit)} · mean ${formatValue(chart.legend.mean, chart.unit)} · max ${formatValue(chart.legend.max, chart.unit)}` : "no samples in this window"}
          </Typography>
        )}
      </Box>
    </Paper>
  );
}

function Figures({ chart, height }: { chart: ChartData; height: number }) {
  const rows = chart.points.filter((point) => point[2] !== null).reverse();
  return (
    <Box sx={{ height, overflow: "auto" }} tabIndex={0} role="region" aria-label={`Figures of ${chart.title}`}>
      <PlainTable pinned>
        <thead>
          <tr>
            <th scope="col">from (UTC)</th>
            <th scope="col" className="num">lowest</th>
            <th scope="col" className="num">mean</th>
            <th scope="col" className="num">highest</th>
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
