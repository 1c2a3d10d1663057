import { formatValue } from "#core/units/format";
import type { Answer } from "#server/pages/registry";
import { KeepLink } from "./KeepLink";
import { Row, Section } from "./Page";
import { PlainTable } from "./PlainTable";
import { SeverityMark } from "./SeverityMark";

type GuestRows = NonNullable<Answer<"component">>["guests"];

/** The virtual machines of a hypervisor, the one that takes most first. */
export function Guests({ title, rows }: { title: string; rows: GuestRows }) {
  const total = rows.reduce((sum, row) => sum + (row.processorsUsed ?? 0), 0);
  return (
    <Section title={title} aside={<span>in use now: {total.toFixed(1)} vCPUs</span>} pad={false}>
      <PlainTable>
        <thead>
          <tr>
            <th scope="col">Machine</th>
            <th scope="col">State</th>
            <th scope="col" className="num">
              vCPUs
            </th>
            <th scope="col" className="num">
              In use
            </th>
            <th scope="col" className="num">
              CPU usage
            </th>
            <th scope="col" className="num">
              CPU usage inside
            </th>
            <th scope="col" className="num">
              Memory allotted
            </th>
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => (
            <tr key={row.id}>
              <td>
                <Row>
                  <SeverityMark severity={row.severity} size={15} />
                  <KeepLink to={`/estate/${row.id}`}>{row.name}</KeepLink>
                </Row>
              </td>
              <td>{row.running ? "running" : "powered off"}</td>
              <td className="num">{row.processors ?? "–"}</td>
              <td className="num">{row.processorsUsed === null ? "–" : `${row.processorsUsed.toFixed(1)} vCPUs`}</td>
              <td className="num">{formatValue(row.usedPercent, "%")}</td>
              <td className="num">{!row.isPolled ? "not polled" : formatValue(row.ownPercent, "%")}</td>
              <td className="num">{formatValue(row.memoryBytes, "By")}</td>
            </tr>
          ))}
        </tbody>
      </PlainTable>
    </Section>
  );
}
