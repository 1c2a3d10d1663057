import { dayAndTime } from "#core/time/windows";
import type { Answer } from "#server/pages/registry";
import { useShell } from "../../shell/window";
import { KeepLink } from "../KeepLink";
import { Caption, Empty, Section } from "../Page";
import { PlainTable } from "../PlainTable";
import { SeverityLabel } from "../SeverityMark";

type Line = Answer<"shift">["open"][number];

/** "likeliest cause …", or what it was. */
export const causeWords = ({ cause, isConfirmed }: Pick<Line, "cause" | "isConfirmed">): string =>
  cause ? `${isConfirmed ? "it was" : "likeliest cause"} ${cause}` : "";

/** What is open at the end of the shift, and whose it is. */
export function OpenIncidents({ open }: { open: readonly Line[] }) {
  const { window: now } = useShell();
  return (
    <Section title={`Open: ${open.length}`} pad={false}>
      {open.length ? (
        <PlainTable>
          <thead>
            <tr>
              <th scope="col">Severity</th>
              <th scope="col" className="num">
                Priority
              </th>
              <th scope="col">Incident</th>
              <th scope="col">Since</th>
              <th scope="col">With</th>
              <th scope="col">Waiting for</th>
            </tr>
          </thead>
          <tbody>
            {open.map((one) => (
              <tr key={one.id}>
                <td>
                  <SeverityLabel severity={one.severity === "cleared" ? one.worst : one.severity} />
                </td>
                <td className="num">{one.priority}</td>
                <td>
                  <KeepLink to={`/incidents/${one.id}`}>{`${one.id} · ${one.title}`}</KeepLink>
                  <Caption>{causeWords(one)}</Caption>
                </td>
                <td>{dayAndTime(one.openedMs, now.nowMs)}</td>
                <td>{one.takenBy ?? "nobody"}</td>
                <td>{one.waitingFor || "–"}</td>
              </tr>
            ))}
          </tbody>
        </PlainTable>
      ) : (
        <div className="hx-pad">
          <Empty>Nothing is open.</Empty>
        </div>
      )}
    </Section>
  );
}
