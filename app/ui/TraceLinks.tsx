import Typography from "@mui/material/Typography";
import { useNavigate } from "react-router";
import { dayAndTime } from "#core/time/windows";
import { formatValue } from "#core/units/format";
import type { Exemplar } from "#core/drawing/chart";
import { useKeep } from "../shell/window";
import { KeepLink } from "./KeepLink";

/** Opens the trace of a measurement. */
export function useOpenTrace(): (exemplar: Exemplar | undefined) => void {
  const navigate = useNavigate();
  const keep = useKeep();
  return (exemplar) => exemplar && void navigate(keep(`/signals/traces/${exemplar.traceId}`));
}

const MOST = 8;

/** The highest single measurements of a drawing, each leading to its trace: what the lozenges on it are. */
export function TraceLinks({
  exemplars,
  unit,
  nowMs,
}: {
  exemplars: readonly Exemplar[];
  unit: string;
  nowMs: number;
}) {
  if (!exemplars.length) return null;
  const highest = [...exemplars].sort((a, b) => b.value - a.value).slice(0, MOST);
  return (
    <Typography variant="body2" component="p" sx={{ color: "text.secondary", m: 0, mt: 0.75 }}>
      Example traces:{" "}
      {highest.map((one, index) => (
        <span key={`${one.traceId}${one.atMs}`}>
          {index ? ", " : ""}
          <KeepLink to={`/signals/traces/${one.traceId}`}>{formatValue(one.value, unit)}</KeepLink> at{" "}
          {dayAndTime(one.atMs, nowMs, true)}
        </span>
      ))}
      .
    </Typography>
  );
}
