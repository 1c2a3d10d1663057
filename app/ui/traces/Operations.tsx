import { formatValue } from "#core/units/format";
import { KeepLink } from "../KeepLink";
import { Empty, Section, WordButton } from "../Page";
import { PlainTable } from "../PlainTable";
import { percent, whole, type Change, type TracesData } from "./page";

/** Every operation with how often it was called, how often it failed and how long it took. */
export function Operations({ page, onChange: change }: { page: TracesData; onChange: Change }) {
  const { asked } = page;
  return (
    <Section title="Operations" pad={false}>
      <PlainTable>
        <thead>
          <tr>
            <th scope="col">Operation</th>
            <th scope="col">Component</th>
            <th scope="col">Kind</th>
            <th scope="col" className="num">
              Calls
            </th>
            <th scope="col" className="num">
              Failed
            </th>
            <th scope="col" className="num">
              p50
            </th>
            <th scope="col" className="num">
              p95
            </th>
            <th scope="col" className="num">
              p99
            </th>
          </tr>
        </thead>
        <tbody>
          {page.operations.map((one) => (
            <tr key={one.id} style={one.id === asked.operation ? { background: "var(--hx-raised)" } : {}}>
              <td>
                <WordButton onClick={() => change({ operation: String(one.id), least: "", most: "" })}>
                  {one.name}
                </WordButton>
              </td>
              <td>
                {one.componentId === null ? (
                  one.sender
                ) : (
                  <KeepLink to={`/estate/${one.componentId}`}>{one.sender}</KeepLink>
                )}
              </td>
              <td>{one.kind}</td>
              <td className="num">{whole(one.calls)}</td>
              <td
                className="num"
                style={one.failed / one.calls > 0.05 ? { color: "var(--hx-major)", fontWeight: 650 } : {}}
              >
                {percent(one.failed, one.calls)}
              </td>
              <td className="num line">{formatValue(one.p50, "ms")}</td>
              <td className="num line">{formatValue(one.p95, "ms")}</td>
              <td className="num line">{formatValue(one.p99, "ms")}</td>
            </tr>
          ))}
        </tbody>
      </PlainTable>
      {page.operationCount > page.operations.length ? (
        <div className="hx-pad">
          <Empty>
            The {page.operations.length} most called of {whole(page.operationCount)} are shown. Search above for
            another.
          </Empty>
        </div>
      ) : null}
    </Section>
  );
}
