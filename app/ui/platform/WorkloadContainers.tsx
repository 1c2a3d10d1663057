import { formatValue } from "#core/units/format";
import type { Answer } from "#server/pages/registry";
import { KeepLink } from "../KeepLink";
import { Row, Section } from "../Page";
import { PlainTable } from "../PlainTable";
import { SeverityMark } from "../SeverityMark";

type Page = NonNullable<Answer<"component">>;

const cpus = (value: number | null) => (value === null ? "none" : `${Number(value.toFixed(3))} CPU`);
const bytes = (value: number | null) => (value === null ? "none" : formatValue(value, "By"));

/** Containers of a workload against what they ask for and are kept to, and what better limits would be. */
export function WorkloadContainers({ page }: { page: Page }) {
  const { containers, limits } = page;
  if (containers.length === 0) return null;
  return (
    <>
      <Section id="containers" title={`Containers: ${containers.length}`} pad={false}>
        <PlainTable aria-label="Containers">
          <thead>
            <tr>
              <th scope="col">Container</th>
              <th scope="col">State</th>
              <th scope="col" className="num">
                CPU in use
              </th>
              <th scope="col">CPU request, limit</th>
              <th scope="col" className="num">
                Throttled
              </th>
              <th scope="col" className="num">
                Memory in use
              </th>
              <th scope="col">Memory request, limit</th>
              <th scope="col" className="num">
                Restarts
              </th>
              <th scope="col">Last end</th>
            </tr>
          </thead>
          <tbody>
            {containers.map((one) => (
              <tr key={one.id}>
                <td className="line">
                  <Row>
                    <SeverityMark severity={one.severity} size={15} />
                    <KeepLink to={`/estate/${one.id}`}>{one.name}</KeepLink>
                  </Row>
                </td>
                <td>{one.state}</td>
                <td className="num line">{one.cpu === null ? "–" : cpus(one.cpu)}</td>
                <td className="line">
                  {cpus(one.cpuRequest)}, {cpus(one.cpuLimit)}
                </td>
                <td className="num">{one.throttled === null ? "–" : formatValue(one.throttled, "%")}</td>
                <td className="num line">{one.memory === null ? "–" : bytes(one.memory)}</td>
                <td className="line">
                  {bytes(one.memoryRequest)}, {bytes(one.memoryLimit)}
                </td>
                <td className="num">{one.restarts ?? "–"}</td>
                <td>{one.lastEnd || "–"}</td>
              </tr>
            ))}
          </tbody>
        </PlainTable>
      </Section>
      <Section id="limits" title="Better limits, from the last 7 days">
        <ul style={{ margin: 0, paddingLeft: 20 }}>
          {limits.map((one) => (
            <li key={one.label}>
              <b>{one.label}</b>: {sentence("CPU", cpus(one.cpuLimit), one.cpu, cpus)}{" "}
              {sentence("memory", bytes(one.memoryLimit), one.memory, bytes)}
            </li>
          ))}
        </ul>
      </Section>
    </>
  );
}

function sentence(
  what: string,
  now: string,
  advice: Page["limits"][number]["cpu"],
  format: (value: number) => string,
): string {
  if (!advice) return `Too little history for a ${what} limit.`;
  if (advice.atLeast)
    return `A ${what} limit of at least ${format(advice.value)} (now ${now}): it was throttled, so what it would use is not known.`;
  const covered = advice.covers === 100 ? "all of what it used" : `${advice.covers} % of what it used`;
  return `A ${what} limit of ${format(advice.value)} would cover ${covered}, with 15 % to spare (now ${now}).`;
}
