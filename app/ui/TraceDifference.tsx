import { compareTraces } from "#core/telemetry/compare-traces";
import { formatValue } from "#core/units/format";
import type { DrawnSpan } from "#server/pages/traces";
import { PlainTable } from "./PlainTable";

const outcome = (span: DrawnSpan | undefined) => (span === undefined ? "absent" : span.failed ? "failed" : "fine");

/** Two traces step by step: the time spent in each, and where one failed, or went a way the other did not. */
export function TraceDifference({ one, other }: { one: readonly DrawnSpan[]; other: readonly DrawnSpan[] }) {
  const rows = compareTraces(one, other);
  const most = Math.max(...rows.map((row) => Math.abs(row.differenceMs)));
  return (
    <PlainTable aria-label="Differences of two traces">
      <thead>
        <tr>
          <th scope="col">Step</th>
          <th scope="col" className="num">
            This, self time
          </th>
          <th scope="col" className="num">
            Other, self time
          </th>
          <th scope="col" className="num">
            Difference
          </th>
          <th scope="col">Outcome here</th>
          <th scope="col">Outcome there</th>
        </tr>
      </thead>
      <tbody>
        {rows.map((row) => {
          const differs = outcome(row.one) !== outcome(row.other);
          const loud = differs || (most > 0 && Math.abs(row.differenceMs) === most);
          return (
            <tr key={row.path} style={loud ? { background: "var(--hx-raised)", fontWeight: 600 } : {}}>
              <td style={{ paddingLeft: 8 + row.depth * 14 }}>{row.path.split("\n").at(-1)}</td>
              <td className="num line">{row.one ? formatValue(row.one.ownMs, "ms") : "–"}</td>
              <td className="num line">{row.other ? formatValue(row.other.ownMs, "ms") : "–"}</td>
              <td className="num line">
                {row.differenceMs > 0 ? "+" : "−"}
                {formatValue(Math.abs(row.differenceMs), "ms")}
              </td>
              <td style={row.one?.failed ? { color: "var(--hx-major)" } : {}}>{outcome(row.one)}</td>
              <td style={row.other?.failed ? { color: "var(--hx-major)" } : {}}>{outcome(row.other)}</td>
            </tr>
          );
        })}
      </tbody>
    </PlainTable>
  );
}
