import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { clockTime } from "#core/time/windows";
import { KeepLink } from "../KeepLink";
import { Caption, Empty, Section } from "../Page";
import { ProofWord, RunStateWord } from "../RunState";
import { Rulings } from "../repair/Rulings";
import { prefilled, type IncidentData } from "./page";

const MOST_SHOWN = 4;

/** What policies say, runbooks that may help, and what was run. */
export function Repair({ page }: { page: IncidentData }) {
  const fitting = page.runbooks.filter((one) => one.fits).slice(0, MOST_SHOWN);
  const others = page.runbooks.filter((one) => !fitting.includes(one));
  const acts = page.acts.filter((act) => act.run_id === null);
  const said = (list: typeof acts) => list.map((act) => <PolicyAct key={act.id} act={act} page={page} />);
  return (
    <Section title="Repair">
      <Stack sx={{ gap: 0.75 }}>
        {said(acts.filter((act) => act.did === "proposed"))}
        {fitting.map((runbook) => (
          <div key={runbook.id}>
            <KeepLink to={prefilled(page, runbook)} strong={runbook.tried === null}>
              {runbook.name}
            </KeepLink>
            <Caption>
              {runbook.purpose}
              {runbook.tried ? ` Run here at ${clockTime(runbook.tried.atMs)}: ${runbook.tried.outcome}.` : ""}
            </Caption>
          </div>
        ))}
        {said(acts.filter((act) => act.did !== "proposed"))}
        {others.length > 0 ? (
          <details>
            <summary>
              {others.length} more {others.length === 1 ? "runbook" : "runbooks"}
            </summary>
            {others.map((runbook) => (
              <div key={runbook.id}>
                <KeepLink to={prefilled(page, runbook)}>{runbook.name}</KeepLink>
              </div>
            ))}
          </details>
        ) : null}
        {page.runbooks.length > 0 ? null : page.isSilent ? (
          <Empty>{`${page.host?.name ?? "It"} does not respond, so nothing can be run on it. See to its power, its line and its hypervisor first.`}</Empty>
        ) : (
          <Empty>No runbook for this kind of component.</Empty>
        )}
        <Typography variant="body2" sx={{ borderTop: 1, borderColor: "divider", pt: 0.75 }}>
          <KeepLink to={`/incidents/${page.incident.id}/prevention`}>What would make the next one shorter</KeepLink>
        </Typography>
        {page.runs.map((run) => (
          <Typography key={run.id} variant="body2" sx={{ borderTop: 1, borderColor: "divider", pt: 0.75 }}>
            <KeepLink to={`/runs/${run.id}`}>{`Run ${run.id}: ${run.runbook}`}</KeepLink>{" "}
            <RunStateWord state={run.state} />
            {run.proof ? (
              <>
                {", "}
                <ProofWord proof={run.proof} />
              </>
            ) : null}
            , by {run.started_by} {clockTime(run.started_at)}
          </Typography>
        ))}
      </Stack>
    </Section>
  );
}

type Act = IncidentData["acts"][number];

/** What a policy proposes, would have done or was held back from. */
function PolicyAct({ act, page }: { act: Act; page: IncidentData }) {
  const what = act.runbook?.name ?? "a runbook";
  const to = act.runbook
    ? prefilled(page, {
        ...act.runbook,
        purpose: "",
        fits: true,
        tried: null,
        rank: 0,
        targetId: act.component_id,
        args: act.args,
      })
    : undefined;
  return (
    <div className="hx-remark">
      <KeepLink to={`/runbooks/policies/${act.policy_id}`}>{act.policy}</KeepLink>
      {act.did === "proposed" ? " proposes: " : act.did === "held" ? " is held back from: " : " would run: "}
      {to && act.did !== "would" ? (
        <KeepLink to={to} strong>{`${what} on ${act.component}`}</KeepLink>
      ) : (
        `${what} on ${act.component}`
      )}
      <Caption>{act.why}.</Caption>
      {act.did === "held" ? <Rulings rulings={act.rulings} warnOnly /> : null}
    </div>
  );
}
