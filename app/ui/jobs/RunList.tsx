import { dayAndTime, MINUTE_MS, spokenDuration } from "#core/time/windows";
import type { Answer } from "#server/pages/registry";
import { KeepLink } from "../KeepLink";
import { Section } from "../Page";
import { PlainTable } from "../PlainTable";

type Chosen = NonNullable<Answer<"jobs">["chosen"]>;
const OUTCOMES = { running: "running", done: "done", failed: "failed", unknown: "end not told" } as const;

/** What its component was at while a run went on. */
const windowOf = ({ startedMs, endedMs }: Chosen["runs"][number], atMs: number): string =>
  new URLSearchParams({
    from: new Date(startedMs - 5 * MINUTE_MS).toISOString(),
    to: new Date(Math.min(atMs, (endedMs ?? atMs) + 5 * MINUTE_MS)).toISOString(),
  }).toString();

/** The runs of one job, each with the way to its charts. */
export function RunList({ job, atMs }: { job: Chosen; atMs: number }) {
  return (
    <Section title={`Runs of ${job.name} on ${job.component}`} pad={false}>
      <PlainTable>
        <thead>
          <tr>
            <th scope="col">Started</th>
            <th scope="col">Ended</th>
            <th scope="col" className="num">
              Took
            </th>
            <th scope="col">Outcome</th>
            <th scope="col">While it ran</th>
          </tr>
        </thead>
        <tbody>
          {job.runs.map((run) => (
            <tr key={run.startedMs}>
              <td className="line">{dayAndTime(run.startedMs, atMs, true)}</td>
              <td className="line">{run.endedMs === null ? "" : dayAndTime(run.endedMs, atMs, true)}</td>
              <td className="num">
                {run.outcome === "unknown" ? "" : spokenDuration((run.endedMs ?? atMs) - run.startedMs)}
              </td>
              <td>{OUTCOMES[run.outcome]}</td>
              <td>
                {run.outcome === "unknown" ? null : (
                  <KeepLink
                    to={`/estate/${job.componentId}?${windowOf(run, atMs)}`}
                    label={`Charts while the run of ${dayAndTime(run.startedMs, atMs)} went on`}
                  >
                    Charts
                  </KeepLink>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </PlainTable>
    </Section>
  );
}
