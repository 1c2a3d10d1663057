import { dayAndTime, spokenDuration } from "#core/time/windows";
import type { Answer } from "#server/pages/registry";
import { useShell } from "../../shell/window";
import { KeepLink } from "../KeepLink";
import { PlainTable } from "../PlainTable";
import { ProofWord, RunStateWord } from "../RunState";

type Page = Answer<"runbooks">;

/** Runbooks with how their runs went. */
export function RunbookTable({ runbooks }: Pick<Page, "runbooks">) {
  return (
    <PlainTable>
      <thead>
        <tr>
          <th scope="col">Name</th>
          <th scope="col">Purpose</th>
          <th scope="col">For</th>
          <th scope="col">State</th>
          <th scope="col" className="num">
            Runs
          </th>
          <th scope="col" className="num">
            Proved
          </th>
          <th scope="col" className="num">
            To proof
          </th>
        </tr>
      </thead>
      <tbody>
        {runbooks.map((runbook) => (
          <tr key={runbook.id}>
            <td className="line">
              <KeepLink to={`/runbooks/${runbook.id}`}>{runbook.name}</KeepLink>
            </td>
            <td>{runbook.purpose}</td>
            <td>{runbook.kinds.join(", ")}</td>
            <td className="line">
              {runbook.state}
              {runbook.draft === null ? null : (
                <>
                  {", "}
                  <KeepLink
                    to={`/runbooks/${runbook.id}?version=${runbook.draft}`}
                  >{`draft ${runbook.draft}`}</KeepLink>
                </>
              )}
            </td>
            <td className="num">{runbook.figures.runs || "–"}</td>
            <td className="num">
              {runbook.figures.watched ? `${runbook.figures.proved} of ${runbook.figures.watched}` : "–"}
            </td>
            <td className="num">
              {runbook.figures.toProofMs === null ? "–" : spokenDuration(runbook.figures.toProofMs)}
            </td>
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}

/** Runs, newest first. */
export function RunTable({ runs }: Pick<Page, "runs">) {
  const { window: now } = useShell();
  return (
    <PlainTable>
      <thead>
        <tr>
          <th scope="col">Run</th>
          <th scope="col">Runbook</th>
          <th scope="col">Target</th>
          <th scope="col">State</th>
          <th scope="col">Proof</th>
          <th scope="col">Started</th>
          <th scope="col">Duration</th>
          <th scope="col">By</th>
          <th scope="col">Incident</th>
        </tr>
      </thead>
      <tbody>
        {runs.map((run) => (
          <tr key={run.id}>
            <td>
              <KeepLink to={`/runs/${run.id}`}>{run.id}</KeepLink>
            </td>
            <td>{run.runbook}</td>
            <td>
              <KeepLink to={`/estate/${run.component_id}`}>{run.component}</KeepLink>
            </td>
            <td>
              <RunStateWord state={run.state} />
            </td>
            <td>{run.proof ? <ProofWord proof={run.proof} /> : "–"}</td>
            <td>{dayAndTime(run.started_at, now.nowMs, true)}</td>
            <td>{spokenDuration((run.ended_at ?? now.nowMs) - run.started_at)}</td>
            <td>{run.started_by}</td>
            <td>
              {run.incident_id ? <KeepLink to={`/incidents/${run.incident_id}`}>{run.incident_id}</KeepLink> : "–"}
            </td>
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}
