import { clockTime, dayAndTime } from "#core/time/windows";
import type { Answer } from "#server/pages/registry";
import { useShell } from "../../shell/window";
import { KeepLink } from "../KeepLink";
import { Caption, Empty, Section } from "../Page";
import { PlainTable } from "../PlainTable";
import { causeWords } from "./OpenIncidents";

type Page = Answer<"shift">;

/** What came in during the shift. */
export function CameIn({ cameIn }: Pick<Page, "cameIn">) {
  const { window: now } = useShell();
  return (
    <Section title={`Came in: ${cameIn.length}`} pad={cameIn.length === 0}>
      {cameIn.length ? (
        <PlainTable>
          <tbody>
            {cameIn.map((one) => (
              <tr key={one.id}>
                <td>{dayAndTime(one.openedMs, now.nowMs)}</td>
                <td>
                  <KeepLink to={`/incidents/${one.id}`}>{`${one.id} · ${one.title}`}</KeepLink>
                  <Caption>{causeWords(one)}</Caption>
                </td>
                <td>{one.resolvedMs === null ? "open" : `resolved ${clockTime(one.resolvedMs)}`}</td>
                <td>{one.takenBy ?? "nobody"}</td>
              </tr>
            ))}
          </tbody>
        </PlainTable>
      ) : (
        <Empty>Nothing came in.</Empty>
      )}
    </Section>
  );
}

/** What people did during the shift. */
export function DoneByPeople({ acts, runs }: Pick<Page, "acts" | "runs">) {
  return (
    <Section title={`Done by people: ${acts.length + runs.length}`} pad={acts.length + runs.length === 0}>
      {acts.length + runs.length ? (
        <PlainTable>
          <tbody>
            {acts.map((one, index) => (
              <tr key={`${one.incident} ${one.atMs} ${index}`}>
                <td>{clockTime(one.atMs, true)}</td>
                <td>
                  <KeepLink to={`/incidents/${one.incident}`}>{`Incident ${one.incident}`}</KeepLink>: {one.text}
                </td>
                <td>{one.by}</td>
              </tr>
            ))}
            {runs.map((one) => (
              <tr key={`run ${one.id}`}>
                <td>{clockTime(one.atMs, true)}</td>
                <td>
                  <KeepLink to={`/runs/${one.id}`}>{`Run ${one.id}: ${one.runbook}`}</KeepLink>, {one.state}
                </td>
                <td>{one.by}</td>
              </tr>
            ))}
          </tbody>
        </PlainTable>
      ) : (
        <Empty>Nothing was done.</Empty>
      )}
    </Section>
  );
}

/** What is planned for the hours ahead. */
export function PlannedWork({ planned }: Pick<Page, "planned">) {
  const { window: now } = useShell();
  return (
    <Section title={`Planned work in the next 12 h: ${planned.length}`} pad={planned.length === 0}>
      {planned.length ? (
        <PlainTable>
          <tbody>
            {planned.map((one) => (
              <tr key={one.ref}>
                <td>
                  {dayAndTime(one.fromMs ?? 0, now.nowMs)} to {clockTime(one.toMs ?? 0)}
                </td>
                <td>
                  {one.ref}: {one.title}
                </td>
                <td>{one.person}</td>
              </tr>
            ))}
          </tbody>
        </PlainTable>
      ) : (
        <Empty>Nothing is planned.</Empty>
      )}
    </Section>
  );
}
