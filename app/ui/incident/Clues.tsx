import { clockTime, dayAndTime, spokenDuration } from "#core/time/windows";
import { formatValue } from "#core/units/format";
import { logLevel } from "#core/telemetry/log-levels";
import { useShell } from "../../shell/window";
import { KeepLink } from "../KeepLink";
import { Caption, Section } from "../Page";
import { PlainTable } from "../PlainTable";
import { spanOf, type IncidentData } from "./page";

/** Log patterns of what takes part that are new, or much more frequent than before; each opens its records. */
export function LoudLogs({ page }: { page: IncidentData }) {
  if (!page.logs.length) return null;
  return (
    <Section title="Logs: new or much more frequent" pad={false}>
      <PlainTable>
        <tbody>
          {page.logs.map((one) => (
            <tr key={`${one.patternId} ${one.componentId}`}>
              <td className="top" style={{ whiteSpace: "nowrap" }}>
                {one.isNew ? "new" : `${one.count} × (${one.before} before)`}
                <Caption>since {clockTime(one.firstMs)}</Caption>
              </td>
              <td>
                <KeepLink to={`/signals/logs?pattern=${one.patternId}&component=${one.componentId}&${spanOf(page)}`}>
                  {one.text}
                </KeepLink>
                <Caption>
                  {one.component}, {logLevel(one.severity)}
                  {one.isNew ? `, ${one.count} ${one.count === 1 ? "record" : "records"}` : ""}
                </Caption>
              </td>
            </tr>
          ))}
        </tbody>
      </PlainTable>
    </Section>
  );
}

/** Changes just before on what takes part, those without a ticket first. */
export function ChangesBefore({ page }: { page: IncidentData }) {
  if (!page.changes.length) return null;
  return (
    <Section title="Changes just before" pad={false}>
      <PlainTable>
        <tbody>
          {page.changes.map((one) => (
            <tr key={one.id}>
              <td className="top" style={{ whiteSpace: "nowrap" }}>
                {one.at > page.incident.opened_at
                  ? `${spokenDuration(one.at - page.incident.opened_at)} after`
                  : `${spokenDuration(page.incident.opened_at - one.at)} before`}
                <Caption>{clockTime(one.at, true)}</Caption>
              </td>
              <td>
                {one.component_id === null ? (
                  one.summary
                ) : (
                  <KeepLink to={`/estate/${one.component_id}?${spanOf(page)}`}>{one.summary}</KeepLink>
                )}
                <Caption>
                  {one.standing === "none" ? "without a ticket" : (one.ref ?? "no ticket needed")} · {one.by_whom}
                </Caption>
              </td>
            </tr>
          ))}
        </tbody>
      </PlainTable>
    </Section>
  );
}

/** Past incidents that looked like it, with what they turned out to be. */
export function Similar({ page }: { page: IncidentData }) {
  const { window: now } = useShell();
  if (!page.similar.length) return null;
  return (
    <Section title="Similar incidents" pad={false}>
      <PlainTable>
        <tbody>
          {page.similar.map((one) => (
            <tr key={one.id}>
              <td className="num top" style={{ whiteSpace: "nowrap" }}>
                {Math.round(one.alike * 100)} %
              </td>
              <td>
                <KeepLink to={`/incidents/${one.id}`}>{one.title}</KeepLink>
                <Caption>
                  {dayAndTime(one.openedMs, now.nowMs)}
                  {one.cause ? `: ${one.isConfirmed ? "it was" : "probably"} ${one.cause}` : ""}
                  {one.remark ? `, ${one.remark}` : ""}
                </Caption>
              </td>
            </tr>
          ))}
        </tbody>
      </PlainTable>
    </Section>
  );
}

/** Requests that failed or took long, each beside a healthy one of the same operation: what differs is one click away. */
export function BadTraces({ page }: { page: IncidentData }) {
  if (!page.traces.length) return null;
  return (
    <Section title="Requests beside healthy ones" pad={false}>
      <PlainTable>
        <tbody>
          {page.traces.map((one) => (
            <tr key={one.traceId + one.operation}>
              <td className="top" style={{ whiteSpace: "nowrap" }}>
                {one.failed ? "failed" : "slow"}
                <Caption>{formatValue(one.ms, "ms")}</Caption>
              </td>
              <td>
                <KeepLink to={`/signals/traces/${one.traceId}${one.healthy ? `?with=${one.healthy.traceId}` : ""}`}>
                  {one.operation}
                </KeepLink>
                <Caption>
                  {one.component}
                  {one.healthy
                    ? `; beside one of ${formatValue(one.healthy.ms, "ms")} before`
                    : "; none healthy is kept"}
                </Caption>
              </td>
            </tr>
          ))}
        </tbody>
      </PlainTable>
    </Section>
  );
}
