import Box from "@mui/material/Box";
import LinearProgress from "@mui/material/LinearProgress";
import type { CsvSeries } from "#core/telemetry/csv-map";
import { KeepLink } from "../KeepLink";
import type { ImportProgress } from "./csv-file";

/** How far an import is, what was skipped and why, and where to see what was imported. */
export function ImportState({
  progress,
  bytes,
  series,
}: {
  progress: ImportProgress;
  /** Size of the file. */
  bytes: number;
  series: readonly CsvSeries[];
}) {
  const lines = series.slice(0, 6).map((one) => `line=metric~${encodeURIComponent(one.metric)}`);
  return (
    <Box sx={{ mb: 1.5 }}>
      {progress.done ? null : (
        <LinearProgress
          variant="determinate"
          value={Math.min(100, (progress.read / Math.max(1, bytes)) * 100)}
          aria-label="File read"
          sx={{ mb: 1 }}
        />
      )}
      <Reasons reasons={progress.reasons} />
      {progress.done && progress.samples > 0 && lines.length ? (
        <p className="hx-small">
          <KeepLink to={`/signals/metrics?last=P7D&${lines.join("&")}`}>Show in Metrics</KeepLink>
        </p>
      ) : null}
    </Box>
  );
}

/** Why rows were skipped, a line each. */
export const Reasons = ({ reasons }: { reasons: readonly string[] }) =>
  reasons.map((reason) => (
    <p key={reason} className="hx-small">
      {reason}
    </p>
  ));
