import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import { useMemo, useState } from "react";
import type { SqlLine } from "#core/telemetry/sql-chart";
import type { DrawnLine } from "#server/pages/metrics";
import { LineChart } from "../charts/LineChart";
import { LineLegend } from "../charts/LineLegend";
import { PlainTable } from "../PlainTable";

type Cell = string | number | null;

/** The rows of a statement, as a table or, where they have a time and numbers, as lines. */
export function SqlResult({
  columns,
  rows,
  lines,
}: {
  columns: readonly string[];
  rows: readonly (readonly Cell[])[];
  lines: readonly SqlLine[] | undefined;
}) {
  const [view, setView] = useState<"table" | "chart">("table");
  const asChart = view === "chart" && lines !== undefined;
  return (
    <Stack sx={{ gap: 1, minWidth: 0 }}>
      {lines ? (
        <Stack direction="row" role="group" aria-label="Show" sx={{ gap: 0.5 }}>
          {(["table", "chart"] as const).map((one) => (
            <Button
              key={one}
              variant={view === one ? "outlined" : "text"}
              color="inherit"
              aria-pressed={view === one}
              onClick={() => setView(one)}
            >
              {one}
            </Button>
          ))}
        </Stack>
      ) : null}
      {asChart ? <Drawn lines={lines} /> : null}
      {asChart ? null : (
        <Box
          sx={{ maxHeight: 460, overflow: "auto", bgcolor: "background.paper", border: 1, borderColor: "divider" }}
          tabIndex={0}
          role="region"
          aria-label="Rows"
        >
          <PlainTable pinned>
            <thead>
              <tr>
                {columns.map((column, index) => (
                  <th
                    key={`${column}${index}`}
                    scope="col"
                    className={rows.some((row) => typeof row[index] === "number") ? "num" : ""}
                  >
                    {column}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {rows.map((row, index) => (
                <tr key={index}>
                  {row.map((cell, column) => (
                    <td
                      key={column}
                      className={typeof cell === "number" ? "num" : ""}
                      style={{
                        maxWidth: 420,
                        overflowWrap: "anywhere",
                        ...(cell === null ? { color: "var(--mui-palette-text-secondary)" } : {}),
                      }}
                    >
                      {cell === null ? "none" : typeof cell === "number" ? Number(cell.toPrecision(12)) : cell}
                    </td>
                  ))}
                </tr>
              ))}
            </tbody>
          </PlainTable>
        </Box>
      )}
    </Stack>
  );
}

function Drawn({ lines }: { lines: readonly SqlLine[] }) {
  const [lifted, setLifted] = useState<string | null>(null);
  const [pointMs, setPointMs] = useState<number | null>(null);
  const [zoom, setZoom] = useState<[number, number] | null>(null);
  const { drawn, fromMs, toMs, stepMs } = useMemo(() => {
    const instants = lines.flatMap((line) => line.points.map(([at]) => at));
    const from = instants.reduce((least, at) => Math.min(least, at), Number.POSITIVE_INFINITY);
    const to = instants.reduce((most, at) => Math.max(most, at), 0);
    const longest = Math.max(...lines.map((line) => line.points.length));
    const list = lines.map((line, index): DrawnLine => {
      const values = line.points.map(([, value]) => value);
      const sum = values.reduce((total, value) => total + value, 0);
      return {
        selection: index,
        key: line.label,
        label: line.label,
        unit: "1",
        axis: "left",
        componentId: null,
        seriesId: null,
        series: 1,
        points: line.points.map(([at, value]) => [at, value, value, value]),
        over: [],
        exemplars: [],
        legend: {
          min: values.reduce((a, b) => Math.min(a, b), Number.POSITIVE_INFINITY),
          mean: sum / values.length,
          max: values.reduce((a, b) => Math.max(a, b), Number.NEGATIVE_INFINITY),
          last: values.at(-1) ?? null,
          count: values.length,
        },
      };
    });
    return {
      drawn: list,
      fromMs: from,
      toMs: Math.max(to, from + 1000),
      stepMs: Math.max(1000, (to - from) / Math.max(1, longest - 1)),
    };
  }, [lines]);
  return (
    <>
      <LineChart
        lines={drawn}
        fromMs={zoom?.[0] ?? fromMs}
        toMs={zoom?.[1] ?? toMs}
        stepMs={stepMs}
        height={300}
        lowest={null}
        highest={null}
        lifted={lifted}
        onLift={setLifted}
        onPoint={setPointMs}
        onZoom={(from, to) => setZoom([from, to])}
      />
      {zoom ? (
        <Button onClick={() => setZoom(null)} sx={{ alignSelf: "flex-start" }}>
          All columns
        </Button>
      ) : null}
      <LineLegend lines={drawn} stepMs={stepMs} pointMs={pointMs} lifted={lifted} onLift={setLifted} />
    </>
  );
}
