import Box from "@mui/material/Box";
import Paper from "@mui/material/Paper";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { formatValue } from "#core/units/format";
import type { DrawnLine } from "#server/pages/metrics";
import { useMoveWindow } from "../../shell/window";
import { KeepLink } from "../KeepLink";
import { LineChart } from "./LineChart";
import { LineSwatch } from "./line-style";
import { pointAt } from "./points";
import { PlainTable } from "../PlainTable";

interface LinesCardProps {
  title: string;
  /** What stands beside the title. */
  note: string;
  /** The same lines on the page of metrics. */
  selection: string;
  lines: readonly DrawnLine[];
  stepMs: number;
  fromMs: number;
  toMs: number;
}

/**
 * A few lines of one metric, each of its own component, with a short legend; the same manner as the page of metrics.
 */
export function LinesCard({ title, note, selection, lines, stepMs, fromMs, toMs }: LinesCardProps) {
  const move = useMoveWindow();
  const [lifted, setLifted] = useState<string | null>(null);
  const [pointMs, setPointMs] = useState<number | null>(null);
  return (
    <Paper variant="outlined" component="figure" sx={{ m: 0, minWidth: 0 }}>
      <Stack direction="row" sx={{ alignItems: "baseline", px: 1.25, pt: 0.5, gap: 1 }}>
        <Typography variant="h3" component="figcaption" noWrap sx={{ flex: 1, minWidth: 0 }}>
          <KeepLink to={`/signals/metrics?line=${encodeURIComponent(selection)}`} text>
            {title}
          </KeepLink>
        </Typography>
        <Typography variant="caption" sx={{ color: "text.secondary", whiteSpace: "nowrap" }}>
          {note}
        </Typography>
      </Stack>
      <Box sx={{ px: 0.75 }}>
        <LineChart
          lines={lines}
          fromMs={fromMs}
          toMs={toMs}
          stepMs={stepMs}
          height={128}
          lowest={lines[0]?.unit === "%" ? 0 : null}
          highest={lines[0]?.unit === "%" && lines.every((line) => (line.legend.max ?? 0) <= 100) ? 100 : null}
          lifted={lifted}
          onLift={setLifted}
          onPoint={setPointMs}
          onZoom={move.fix}
        />
      </Box>
      <PlainTable aria-label={`Legend of ${title}`}>
        <tbody>
          {lines.map((line, index) => {
            const pointed = pointMs === null ? undefined : pointAt(line, pointMs, stepMs);
            return (
              <tr
                key={line.key}
                onPointerEnter={() => setLifted(line.key)}
                onPointerLeave={() => setLifted(null)}
                style={lifted === line.key ? { background: "var(--mui-palette-action-hover)" } : undefined}
              >
                <td style={{ width: 34 }}>
                  <LineSwatch index={index} />
                </td>
                <td
                  style={{
                    maxWidth: 0,
                    width: "100%",
                    overflow: "hidden",
                    textOverflow: "ellipsis",
                    whiteSpace: "nowrap",
                  }}
                  title={line.label}
                >
                  {line.componentId === null ? (
                    ownerOf(line)
                  ) : (
                    <KeepLink to={`/estate/${line.componentId}`}>{ownerOf(line)}</KeepLink>
                  )}
                </td>
                <td className="num line">
                  {pointMs === null
                    ? formatValue(line.legend.last, line.unit)
                    : formatValue(pointed?.[2] ?? null, line.unit)}
                </td>
              </tr>
            );
          })}
        </tbody>
      </PlainTable>
    </Paper>
  );
}

const ownerOf = (line: DrawnLine) => line.label.split(" · ").slice(1).join(" · ") || line.label;
