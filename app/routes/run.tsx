import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { Form } from "react-router";
import { dayAndTime, spokenDuration } from "#core/time/windows";
import type { Route } from "./+types/run";
import { useAnswer } from "../shell/answer";
import { act, formOf, idFrom, missing } from "../shell/answers.server";
import { useShell } from "../shell/window";
import { KeepLink } from "../ui/KeepLink";
import { PageHead, Problem, Section } from "../ui/Page";
import { Rulings } from "../ui/repair/Rulings";
import { RunSteps } from "../ui/repair/RunSteps";
import { RightButton } from "../ui/RightButton";
import { ProofWord } from "../ui/RunState";

export const meta: Route.MetaFunction = ({ loaderData }) => [{ title: `Run ${loaderData?.run.id ?? ""} · Holotaxis` }];

export async function loader({ params, context }: Route.LoaderArgs) {
  const page = await context.ask("run", { id: idFrom(params.id, "run") });
  if (!page) throw missing("run", params.id);
  return page;
}

export async function action({ request, params, context }: Route.ActionArgs) {
  const id = idFrom(params.id, "run");
  const form = await formOf(request);
  const position = Number(form.get("position"));
  const intent = form.get("intent");
  const done =
    intent === "approve" || intent === "decline"
      ? await act(context, "run.answer", { id, position, approved: intent === "approve" })
      : intent === "look"
        ? await act(context, "run.look", { id, position })
        : intent === "rollback"
          ? await act(context, "run.rollback", { id })
          : await act(context, "run.stop", { id });
  return done.ok ? { ok: true as const } : done.refusal;
}

function sentenceOf({ run, steps }: Route.ComponentProps["loaderData"], nowMs: number): string {
  const took = spokenDuration((run.ended_at ?? nowMs) - run.started_at);
  if (run.state === "running") {
    const asking = steps.find((step) => step.state === "asking");
    const at = asking ?? steps.findLast((step) => step.state === "running");
    return asking
      ? `“${run.runbook}” on ${run.component} waits for approval: ${asking.title}.`
      : `“${run.runbook}” is running on ${run.component}${at ? `: ${at.title}` : ""}.`;
  }
  if (run.state === "passed") return `“${run.runbook}” succeeded on ${run.component} after ${took}.`;
  return `“${run.runbook}” ${run.state === "failed" ? "failed" : "was stopped"} on ${run.component}. ${run.message ?? ""}`;
}

export default function Run({ loaderData: page, actionData: answered }: Route.ComponentProps) {
  const { run, incident, rulings } = page;
  const { window: now } = useShell();
  const answer = useAnswer(answered);
  return (
    <>
      <PageHead
        name={`Runbooks › Run ${run.id}`}
        sentence={sentenceOf(page, now.nowMs)}
        actions={
          <Form method="post">
            <Stack direction="row" sx={{ gap: 1 }}>
              {page.canBeTakenBack ? (
                <RightButton right="repair" type="submit" name="intent" value="rollback" variant="outlined">
                  Roll back
                </RightButton>
              ) : null}
              {run.state === "running" ? (
                <RightButton right="repair" type="submit" name="intent" value="stop" variant="outlined" color="error">
                  Stop run
                </RightButton>
              ) : null}
            </Stack>
          </Form>
        }
      />
      <Problem>{answer && "problem" in answer ? answer.problem : null}</Problem>
      <Typography variant="body2" sx={{ mb: 1.5 }}>
        Started by <strong>{run.started_by}</strong> {dayAndTime(run.started_at, now.nowMs, true)} on{" "}
        <KeepLink to={`/estate/${run.component_id}`}>{run.component}</KeepLink>
        {Object.entries(run.args).map(([name, value]) => (
          <span key={name}>
            , {name} <code>{value}</code>
          </span>
        ))}
        {incident ? (
          <>
            , for <KeepLink to={`/incidents/${incident.id}`}>incident {incident.id}</KeepLink> (
            {incident.resolved_at === null ? "open" : "resolved"})
          </>
        ) : null}
        .{" "}
        <KeepLink
          to={`/runbooks/${run.runbook_id}`}
        >{`${run.runbook}${run.version ? `, version ${run.version}` : ""}`}</KeepLink>
        {run.policy_id === null ? null : (
          <>
            , by <KeepLink to={`/runbooks/policies/${run.policy_id}`}>{`policy ${run.policy}`}</KeepLink>
          </>
        )}
        .
      </Typography>
      {run.proof ? (
        <Typography sx={{ mb: 1.5 }} role="status">
          <ProofWord proof={run.proof} /> {run.proof_text}
          {run.proof === "proved" && run.policy_id === null ? (
            <>
              {" "}
              <KeepLink to={`/runbooks/policies/new?run=${run.id}`}>Make a policy of it</KeepLink>
            </>
          ) : null}
        </Typography>
      ) : null}
      <RunSteps page={page} />
      {rulings.length ? (
        <Section title={run.policy_id === null ? "What the guardrails said" : "Why this run was allowed"}>
          <Rulings rulings={rulings} />
        </Section>
      ) : null}
    </>
  );
}
