import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import Stack from "@mui/material/Stack";
import { useState } from "react";
import { dayAndTime } from "#core/time/windows";
import { formatValue } from "#core/units/format";
import type { DrawnLine } from "#server/pages/metrics";
import { useShell } from "../../shell/window";
import { KeepLink } from "../KeepLink";
import { LineSwatch } from "./line-style";
import { pointAt } from "./points";
import { PlainTable } from "../PlainTable";

const COLUMNS = ["min", "mean", "max", "last"] as const;
type Column = (typeof COLUMNS)[number];
type Sort = { column: Column | "label"; down: boolean } | null;

/** Lines with their places among the colours, in the order asked for. */
function sorted(lines: readonly DrawnLine[], sort: Sort): { line: DrawnLine; index: number }[] {
  const order = lines.map((line, index) => ({ line, index }));
  if (!sort) return order;
  const { column, down } = sort;
  const sign = down ? -1 : 1;
  const figure = (line: DrawnLine) => (column === "label" ? null : line.legend[column]) ?? Number.NEGATIVE_INFINITY;
  return order.sort(
    (a, b) =>
      sign *
      (column === "label"
        ? a.line.label.localeCompare(b.line.label, "en", { numeric: true })
        : figure(a.line) - figure(b.line)),
  );
}

/** The legend: what each line is, its figures, and its value under the pointer. Pointing at a row lifts its line. */
export function LineLegend({
  lines,
  stepMs,
  pointMs,
  lifted,
  onLift,
}: {
  lines: readonly DrawnLine[];
  stepMs: number;
  pointMs: number | null;
  lifted: string | null;
  onLift: (key: string | null) => void;
}) {
  const { window: now } = useShell();
  const [shown, setShown] = useState<readonly Column[]>(COLUMNS);
  const [sort, setSort] = useState<Sort>(null);
  const order = sorted(lines, sort);
  return (
    <>
      <ColumnChoice shown={shown} onChange={setShown} />
      <PlainTable aria-label="Legend">
        <thead>
          <tr>
            <Head column="label" text="Line" sort={sort} onSort={setSort} />
            <th scope="col" className="num" style={{ minWidth: 110 }}>
              {pointMs === null ? "at pointer" : dayAndTime(pointMs, now.nowMs, stepMs < 60_000)}
            </th>
            {shown.map((column) => (
              <Head key={column} column={column} text={column} sort={sort} onSort={setSort} />
            ))}
          </tr>
        </thead>
        <tbody>
          {order.map(({ line, index }) => (
            <LegendRow
              key={line.key}
              line={line}
              index={index}
              point={pointMs === null ? undefined : pointAt(line, pointMs, stepMs)}
              columns={shown}
              lifted={lifted === line.key}
              onLift={onLift}
            />
          ))}
        </tbody>
      </PlainTable>
    </>
  );
}

/** Which figures the legend shows. */
function ColumnChoice({
  shown,
  onChange: setShown,
}: {
  shown: readonly Column[];
  onChange: (shown: readonly Column[]) => void;
}) {
  return (
    <Stack direction="row" role="group" aria-label="Columns of the legend" sx={{ justifyContent: "flex-end", mt: 0.5 }}>
      {COLUMNS.map((column) => (
        <FormControlLabel
          key={column}
          control={
            <Checkbox
              size="small"
              checked={shown.includes(column)}
              onChange={(_event, checked) =>
                setShown(COLUMNS.filter((one) => (one === column ? checked : shown.includes(one))))
              }
              sx={{ p: 0.25 }}
            />
          }
          label={column}
          slotProps={{ typography: { variant: "caption" } }}
        />
      ))}
    </Stack>
  );
}

/** Head of a column: sorts down, then up, then not. */
function Head({
  column,
  text,
  sort,
  onSort,
}: {
  column: Column | "label";
  text: string;
  sort: Sort;
  onSort: (sort: Sort) => void;
}) {
  const down = sort?.column === column ? sort.down : undefined;
  return (
    <th
      scope="col"
      className={column === "label" ? "" : "num"}
      aria-sort={down === undefined ? "none" : down ? "descending" : "ascending"}
    >
      <button
        type="button"
        className="hx-sort"
        onClick={() => onSort(down === undefined ? { column, down: true } : down ? { column, down: false } : null)}
      >
        {text}
        {down === undefined ? "" : down ? " ↓" : " ↑"}
      </button>
    </th>
  );
}

function LegendRow({
  line,
  index,
  point,
  columns,
  lifted,
  onLift,
}: {
  line: DrawnLine;
  index: number;
  /** What it was under the pointer. */
  point: DrawnLine["points"][number] | undefined;
  columns: readonly Column[];
  lifted: boolean;
  onLift: (key: string | null) => void;
}) {
  return (
    <tr
      onMouseEnter={() => onLift(line.key)}
      onMouseLeave={() => onLift(null)}
      onFocus={() => onLift(line.key)}
      onBlur={() => onLift(null)}
      style={lifted ? { background: "var(--hx-raised)" } : {}}
    >
      <td>
        <span style={{ display: "flex", alignItems: "center", gap: 8 }}>
          <LineSwatch index={index} />
          {line.componentId === null ? (
            <span>{line.label}</span>
          ) : (
            <KeepLink to={`/estate/${line.componentId}`}>{line.label}</KeepLink>
          )}
          {line.axis === "right" ? (
            <span style={{ color: "var(--mui-palette-text-secondary)" }}>right axis</span>
          ) : null}
        </span>
      </td>
      <td className="num line">{point ? formatValue(point[2], line.unit) : ""}</td>
      {columns.map((column) => (
        <td key={column} className="num line">
          {formatValue(line.legend[column], line.unit)}
        </td>
      ))}
    </tr>
  );
}
