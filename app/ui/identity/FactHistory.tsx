import { dayAndTime } from "#core/time/windows";
import { useShell } from "../../shell/window";
import { Empty, Section } from "../Page";
import { PlainTable } from "../PlainTable";
import type { IdentityData } from "./page";

/** What was told of a component over time, fact by fact, the latest first. */
export function FactHistory({ page }: { page: IdentityData }) {
  const { window: now } = useShell();
  return (
    <Section title="Facts over time" pad={false}>
      {page.history.length === 0 ? (
        <div style={{ padding: 12 }}>
          <Empty>Nothing was told of it yet.</Empty>
        </div>
      ) : (
        <PlainTable>
          <thead>
            <tr>
              <th scope="col">Fact</th>
              <th scope="col">Value</th>
              <th scope="col">From</th>
              <th scope="col">Until</th>
            </tr>
          </thead>
          <tbody>
            {page.history.map(({ name, spans }) =>
              spans.map((span, index) => (
                <tr key={`${name} ${span.fromMs}`}>
                  {index === 0 ? (
                    <th scope="rowgroup" rowSpan={spans.length} className="top">
                      {name}
                    </th>
                  ) : null}
                  <td>{span.value}</td>
                  <td className="line">{dayAndTime(span.fromMs, now.nowMs)}</td>
                  <td className="line">{span.toMs === null ? "now" : dayAndTime(span.toMs, now.nowMs)}</td>
                </tr>
              )),
            )}
          </tbody>
        </PlainTable>
      )}
    </Section>
  );
}
