import Box from "@mui/material/Box";
import { formatValue } from "#core/units/format";
import type { DrawnLine } from "#server/pages/metrics";
import { KeepLink } from "./KeepLink";
import { Section } from "./Page";
import { PlainTable } from "./PlainTable";

/** Lines compared over the whole window: a bar to the mean, a thin rule from the lowest to the highest value. */
export function LineBars({ lines }: { lines: readonly DrawnLine[] }) {
  const top = new Map<string, number>();
  for (const line of lines)
    top.set(line.unit, Math.max(top.get(line.unit) ?? 0, line.unit === "%" ? 100 : 0, line.legend.max ?? 0));
  const share = (value: number | null, unit: string) =>
    `${Math.max(0, Math.min(100, ((value ?? 0) / (top.get(unit) || 1)) * 100))}%`;
  return (
    <Section title="Mean over the window, with minimum and maximum" pad={false}>
      <PlainTable>
        <thead>
          <tr>
            <th scope="col">Line</th>
            <th scope="col" style={{ width: "38%" }}>
              mean, from lowest to highest
            </th>
            <th scope="col" className="num">
              min
            </th>
            <th scope="col" className="num">
              mean
            </th>
            <th scope="col" className="num">
              max
            </th>
            <th scope="col" className="num">
              last
            </th>
          </tr>
        </thead>
        <tbody>
          {lines.map((line) => (
            <tr key={line.key}>
              <td>
                {line.componentId === null ? (
                  line.label
                ) : (
                  <KeepLink to={`/estate/${line.componentId}`}>{line.label}</KeepLink>
                )}
              </td>
              <td>
                <Bar legend={line.legend} share={(value) => share(value, line.unit)} />
              </td>
              <td className="num line">{formatValue(line.legend.min, line.unit)}</td>
              <td className="num line">
                <strong>{formatValue(line.legend.mean, line.unit)}</strong>
              </td>
              <td className="num line">{formatValue(line.legend.max, line.unit)}</td>
              <td className="num line">{formatValue(line.legend.last, line.unit)}</td>
            </tr>
          ))}
        </tbody>
      </PlainTable>
    </Section>
  );
}

/** From nothing to the mean, with a rule from the lowest to the highest value. */
function Bar({ legend, share }: { legend: DrawnLine["legend"]; share: (value: number | null) => string }) {
  return (
    <Box aria-hidden="true" sx={{ position: "relative", height: 18, bgcolor: "var(--hx-raised)" }}>
      <Box
        sx={{
          position: "absolute",
          inset: "3px auto 3px 0",
          width: share(legend.mean),
          bgcolor: "var(--hx-chart)",
        }}
      />
      <Box
        sx={{
          position: "absolute",
          top: 8,
          height: 2,
          left: share(legend.min),
          width: `calc(${share(legend.max)} - ${share(legend.min)})`,
          bgcolor: "secondary.main",
        }}
      />
      {[legend.min, legend.max].map((value, end) => (
        <Box
          key={end}
          sx={{
            position: "absolute",
            top: 4,
            height: 10,
            width: 2,
            left: share(value),
            bgcolor: "secondary.main",
          }}
        />
      ))}
    </Box>
  );
}
