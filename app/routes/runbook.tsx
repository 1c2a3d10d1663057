import Autocomplete from "@mui/material/Autocomplete";
import Box from "@mui/material/Box";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Form, redirect, useNavigation, useSearchParams } from "react-router";
import { z } from "zod";
import { commandLine, type Step } from "#core/repair/runbook";
import { metricTitle } from "#core/catalogue/metrics";
import type { Route } from "./+types/runbook";
import { useAnswer } from "../shell/answer";
import { act, idFrom, missing, readForm, formOf } from "../shell/answers.server";
import { KeepLink } from "../ui/KeepLink";
import { PageHead, Problem, Section } from "../ui/Page";
import { RightButton } from "../ui/RightButton";

export const meta: Route.MetaFunction = ({ loaderData }) => [
  { title: `${loaderData?.runbook.name ?? "Runbook"} · Holotaxis` },
];

export async function loader({ params, context }: Route.LoaderArgs) {
  const page = await context.ask("runbook", { id: idFrom(params.id, "runbook") });
  if (!page) throw missing("runbook", params.id);
  return page;
}

const schema = z
  .object({
    target: z.coerce.number("Choose a component to run it on.").int().min(1, "Choose a component to run it on."),
    incident: z.union([z.literal(""), z.coerce.number().int().min(1)]),
  })
  .loose();

export async function action({ request, params, context }: Route.ActionArgs) {
  const form = readForm(await formOf(request), schema);
  if (!form.ok) return form.refusal;
  const { target, incident, ...rest } = form.value;
  const args = Object.fromEntries(
    Object.entries(rest).flatMap(([name, value]) =>
      name.startsWith("arg.") ? [[name.slice(4), String(value).trim()]] : [],
    ),
  );
  const started = await act(context, "run.start", {
    runbookId: idFrom(params.id, "runbook"),
    componentId: target,
    incidentId: incident === "" ? null : incident,
    args,
  });
  return started.ok ? redirect(`/runs/${started.value}`) : started.refusal;
}

export default function RunbookPage({ loaderData: { runbook, targets }, actionData: answered }: Route.ComponentProps) {
  const actionData = useAnswer(answered);
  const [params] = useSearchParams();
  const busy = useNavigation().state !== "idle";
  const incident = params.get("incident") ?? "";
  const [target, setTarget] = useState(targets.find((one) => String(one.id) === params.get("target")) ?? null);
  const [args, setArgs] = useState<Record<string, string>>(
    Object.fromEntries(
      runbook.definition.parameters.map((parameter) => [parameter.name, params.get(`arg.${parameter.name}`) ?? ""]),
    ),
  );
  const answer = actionData && "problem" in actionData ? actionData : undefined;
  return (
    <Box sx={{ display: "grid", gap: 1.5, gridTemplateColumns: "minmax(0, 1fr) 380px", alignItems: "start" }}>
      <Box sx={{ minWidth: 0 }}>
        <PageHead
          name={`Runbooks${incident ? ` · for incident ${incident}` : ""}`}
          sentence={`${runbook.name}: ${runbook.definition.purpose}`}
        />
        <Section title="Steps" pad={false}>
          <Box component="ol" sx={{ m: 0, p: 0, listStyle: "none" }}>
            {runbook.definition.steps.map((step, index) => (
              <Box
                component="li"
                key={`${step.title}${index}`}
                sx={{
                  display: "grid",
                  gridTemplateColumns: "28px 80px minmax(0, 1fr)",
                  gap: 1,
                  px: 1.5,
                  py: 1,
                  borderTop: index ? 1 : 0,
                  borderColor: "divider",
                }}
              >
                <Typography variant="body2">{index + 1}</Typography>
                <Typography variant="body2" sx={{ color: "text.secondary" }}>
                  {step.type}
                </Typography>
                <Box>
                  <Typography variant="body2" sx={{ fontWeight: 600 }}>
                    {step.title}
                  </Typography>
                  <Typography variant="body2" sx={{ color: "text.secondary" }}>
                    <StepWords step={step} args={args} />
                  </Typography>
                </Box>
              </Box>
            ))}
          </Box>
        </Section>
      </Box>
      <Section title="Start a run">
        <Problem>{answer?.problem}</Problem>
        <Form method="post">
          <Stack sx={{ gap: 1.5 }}>
            <input type="hidden" name="target" value={target?.id ?? ""} />
            <input type="hidden" name="incident" value={incident} />
            <Autocomplete
              options={targets}
              value={target}
              onChange={(_event, value) => setTarget(value)}
              getOptionLabel={(one) => `${one.name}${one.address ? ` (${one.address})` : ""}`}
              isOptionEqualToValue={(one, other) => one.id === other.id}
              size="small"
              renderInput={(input) => <TextField {...input} label="Target" />}
            />
            {runbook.definition.parameters.map((parameter) => (
              <TextField
                key={parameter.name}
                name={`arg.${parameter.name}`}
                label={parameter.label}
                value={args[parameter.name] ?? ""}
                onChange={(event) => setArgs({ ...args, [parameter.name]: event.target.value })}
                autoComplete="off"
              />
            ))}
            {incident ? (
              <Typography variant="body2">
                The run is linked to <KeepLink to={`/incidents/${incident}`}>incident {incident}</KeepLink>.
              </Typography>
            ) : null}
            <RightButton right="repair" type="submit" variant="contained" disabled={busy}>
              Start run
            </RightButton>
            <Typography variant="caption" sx={{ color: "text.secondary" }}>
              Commands go over SSH to the target. What you fill in reaches them as single words; a shell never expands
              it.
            </Typography>
          </Stack>
        </Form>
      </Section>
    </Box>
  );
}

function StepWords({ step, args }: { step: Step; args: Record<string, string> }) {
  const filled = Object.fromEntries(Object.entries(args).filter(([, value]) => value !== ""));
  switch (step.type) {
    case "command":
      return (
        <code>
          {step.argv.some((word) => /\{\{/.test(word)) && Object.keys(filled).length === 0
            ? step.argv.join(" ")
            : commandLine(step.argv, filled)}
        </code>
      );
    case "wait":
      return <>{step.seconds} seconds</>;
    case "check":
      return (
        <>
          {metricTitle(step.metric, step.instance)} {step.is} {step.value}, mean of {step.meanOf} new samples, within{" "}
          {Math.round(step.timeoutSeconds / 60)} minutes
        </>
      );
    case "note":
      return <>{step.text.replaceAll(/\{\{\s*([a-z_0-9]+)\s*\}\}/g, (whole, name: string) => filled[name] ?? whole)}</>;
  }
}
