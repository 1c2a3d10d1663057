import ArrowDownward from "@mui/icons-material/ArrowDownward";
import ArrowUpward from "@mui/icons-material/ArrowUpward";
import ButtonBase from "@mui/material/ButtonBase";
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
  const [sort, setSort] = useState<{ column: Column | "label"; down: boolean } | null>(null);
  const order = lines.map((line, index) => ({ line, index }));
  if (sort) {
    const sign = sort.down ? -1 : 1;
    order.sort((a, b) => {
      if (sort.column === "label") return sign * a.line.label.localeCompare(b.line.label, "en", { numeric: true });
      return (
        sign *
        ((a.line.legend[sort.column] ?? Number.NEGATIVE_INFINITY) -
          (b.line.legend[sort.column] ?? Number.NEGATIVE_INFINITY))
      );
    });
  }
  const head = (column: Column | "label", text: string) => (
    <th
      key={column}
      scope="col"
      className={column === "label" ? "" : "num"}
      aria-sort={sort?.column === column ? (sort.down ? "descending" : "ascending") : "none"}
    >
      <ButtonBase
        onClick={() =>
          setSort(sort?.column === column ? (sort.down ? { column, down: false } : null) : { column, down: true })
        }
        sx={{ font: "inherit", gap: 0.5 }}
      >
        {text}
        {sort?.column === column ? (
          sort.down ? (
            <ArrowDownward sx={{ fontSize: 14 }} />
          ) : (
            <ArrowUpward sx={{ fontSize: 14 }} />
          )
        ) : null}
      </ButtonBase>
    </th>
  );
  return (
    <>
      <Stack
        direction="row"
        role="group"
        aria-label="Columns of the legend"
        sx={{ justifyContent: "flex-end", mt: 0.5 }}
      >
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
      <PlainTable aria-label="Legend">
        <thead>
          <tr>
            {head("label", "Line")}
            <th scope="col" className="num" style={{ minWidth: 110 }}>
              {pointMs === null ? "at pointer" : dayAndTime(pointMs, now.nowMs, stepMs < 60_000)}
            </th>
            {shown.map((column) => head(column, column))}
          </tr>
        </thead>
        <tbody>
          {order.map(({ line, index }) => {
            const point = pointMs === null ? undefined : pointAt(line, pointMs, stepMs);
            return (
              <tr
                key={line.key}
                onMouseEnter={() => onLift(line.key)}
                onMouseLeave={() => onLift(null)}
                onFocus={() => onLift(line.key)}
                onBlur={() => onLift(null)}
                style={lifted === line.key ? { background: "var(--hx-raised)" } : {}}
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
                {shown.map((column) => (
                  <td key={column} className="num line">
                    {formatValue(line.legend[column], line.unit)}
                  </td>
                ))}
              </tr>
            );
          })}
        </tbody>
      </PlainTable>
    </>
  );
}
