import { dayAndTime } from "#core/time/windows";
import { formatValue } from "#core/units/format";
import { useShell } from "../../shell/window";
import { KeepLink } from "../KeepLink";
import { PlainTable } from "../PlainTable";
import { Rows } from "../Rows";
import type { TracesData } from "./page";

/** Traces through an operation, each to be opened or ticked for a comparison. */
export function TraceList({
  traces,
  compared,
  onTick,
}: {
  traces: TracesData["traces"];
  compared: readonly string[];
  onTick: (traceId: string, on: boolean) => void;
}) {
  const { window: now } = useShell();
  return (
    <PlainTable aria-label="Traces">
      <thead>
        <tr>
          <th scope="col">Select</th>
          <th scope="col">Start</th>
          <th scope="col" className="num">
            Duration
          </th>
          <th scope="col">Outcome</th>
          <th scope="col">Trace</th>
        </tr>
      </thead>
      <tbody>
        <Rows rows={traces} columns={5}>
          {(trace) => (
            <tr key={`${trace.traceId}${trace.startMs}`}>
              <td>
                <input
                  type="checkbox"
                  aria-label={`Compare the trace of ${dayAndTime(trace.startMs, now.nowMs, true)}`}
                  checked={compared.includes(trace.traceId)}
                  onChange={(event) => onTick(trace.traceId, event.target.checked)}
                />
              </td>
              <td className="line">{dayAndTime(trace.startMs, now.nowMs, true)}</td>
              <td className="num line">{formatValue(trace.durationMs, "ms")}</td>
              <td>
                {trace.failed ? (
                  <strong style={{ color: "var(--hx-major)" }}>
                    failed{trace.message ? `: ${trace.message}` : ""}
                  </strong>
                ) : (
                  "fine"
                )}
              </td>
              <td>
                <KeepLink to={`/signals/traces/${trace.traceId}`}>{trace.traceId.slice(0, 16)}…</KeepLink>
              </td>
            </tr>
          )}
        </Rows>
      </tbody>
    </PlainTable>
  );
}
