import Box from "@mui/material/Box";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { Form } from "react-router";
import { clockTime, dayAndTime, spokenDuration } from "#core/time/windows";
import type { Route } from "./+types/run";
import { act, idFrom, missing } from "../shell/answers.server";
import { useShell } from "../shell/window";
import { MONO } from "../theme/theme";
import { KeepLink } from "../ui/KeepLink";
import { PageHead, Section } from "../ui/Page";
import { RunStateWord } from "../ui/RunState";
import { RightButton } from "../ui/RightButton";

export const meta: Route.MetaFunction = ({ loaderData }) => [{ title: `Run ${loaderData?.run.id ?? ""} · Holotaxis` }];

export async function loader({ params, context }: Route.LoaderArgs) {
  const page = await context.ask("run", { id: idFrom(params.id, "run") });
  if (!page) throw missing("run", params.id);
  return page;
}

export async function action({ params, context }: Route.ActionArgs) {
  const done = await act(context, "run.stop", { id: idFrom(params.id, "run") });
  return done.ok ? { ok: done.value } : done.refusal;
}

export default function Run({ loaderData: { run, steps, incident } }: Route.ComponentProps) {
  const { window: now } = useShell();
  const running = run.state === "running";
  const at = steps.findIndex((step) => step.state === "running");
  const took = spokenDuration((run.ended_at ?? now.nowMs) - run.started_at);
  const sentence = running
    ? `“${run.runbook}” is running on ${run.component}${at >= 0 ? `: step ${at + 1} of ${steps.length}, ${steps[at]?.title}` : ""}.`
    : run.state === "passed"
      ? `“${run.runbook}” succeeded on ${run.component} after ${took}.`
      : `“${run.runbook}” ${run.state === "failed" ? "failed" : "was stopped"} on ${run.component}. ${run.message ?? ""}`;
  return (
    <>
      <PageHead
        name={`Runbooks › Run ${run.id}`}
        sentence={sentence}
        actions={
          running ? (
            <Form method="post">
              <RightButton right="repair" type="submit" variant="outlined" color="error">
                Stop run
              </RightButton>
            </Form>
          ) : null
        }
      />
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
        .
      </Typography>
      <Stack sx={{ gap: 1 }} aria-live="polite">
        {steps.map((step) => (
          <Section
            key={step.position}
            title={`${step.position + 1}. ${step.title}`}
            pad={Boolean(step.command || step.output || step.message)}
            aside={
              <Typography variant="body2" component="span" sx={{ display: "flex", gap: 1.5 }}>
                {step.started_at ? (
                  <span
                    style={{ color: "var(--mui-palette-text-secondary)" }}
                  >{`${clockTime(step.started_at, true)}${step.ended_at ? `, ${spokenDuration(step.ended_at - step.started_at)}` : ""}`}</span>
                ) : null}
                <RunStateWord state={step.state} />
              </Typography>
            }
          >
            {step.command ? (
              <Box sx={{ fontFamily: MONO, fontSize: "0.82rem", mb: step.output ? 0.5 : 0 }}>
                <span aria-hidden="true">$ </span>
                {step.command}
                {step.exit_code !== null ? (
                  <span style={{ color: "var(--mui-palette-text-secondary)" }}>{`   exit code ${step.exit_code}`}</span>
                ) : null}
              </Box>
            ) : null}
            {step.output ? (
              <Box
                component="pre"
                tabIndex={0}
                aria-label={`Output of step ${step.position + 1}`}
                sx={{
                  m: 0,
                  p: 1,
                  bgcolor: "background.default",
                  fontFamily: MONO,
                  fontSize: "0.78rem",
                  maxHeight: 240,
                  overflow: "auto",
                  whiteSpace: "pre-wrap",
                }}
              >
                {step.output}
              </Box>
            ) : null}
            {step.message ? <Typography variant="body2">{step.message}</Typography> : null}
          </Section>
        ))}
      </Stack>
    </>
  );
}
