import Autocomplete from "@mui/material/Autocomplete";
import Box from "@mui/material/Box";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Form, redirect, useNavigation, useSearchParams } from "react-router";
import { z } from "zod";
import { spokenDuration } from "#core/time/windows";
import type { Route } from "./+types/runbook";
import { useAnswer } from "../shell/answer";
import { act, idFrom, missing, readForm, formOf } from "../shell/answers.server";
import { KeepLink } from "../ui/KeepLink";
import { Caption, PageHead, Problem, Section } from "../ui/Page";
import { DryRun } from "../ui/repair/DryRun";
import { StepList } from "../ui/repair/StepCards";
import { Versions } from "../ui/repair/Versions";
import { RightButton } from "../ui/RightButton";

export const meta: Route.MetaFunction = ({ loaderData }) => [
  { title: `${loaderData?.runbook.name ?? "Runbook"} · Holotaxis` },
];

export async function loader({ request, params, context }: Route.LoaderArgs) {
  const version = Number(new URL(request.url).searchParams.get("version"));
  const page = await context.ask("runbook", {
    id: idFrom(params.id, "runbook"),
    version: Number.isInteger(version) && version > 0 ? version : undefined,
  });
  if (!page) throw missing("runbook", params.id);
  return page;
}

const schema = z
  .object({
    targets: z.string().regex(/^\d+(,\d+)*$/, "Choose a component to run it on."),
    incident: z.union([z.literal(""), z.coerce.number().int().min(1)]),
    version: z.union([z.literal(""), z.coerce.number().int().min(1)]),
    atOnce: z.coerce.number().int().min(1, "At least 1.").max(50, "At most 50.").default(1),
    intent: z.string().default("start"),
  })
  .loose();

export async function action({ request, params, context }: Route.ActionArgs) {
  const id = idFrom(params.id, "runbook");
  const form = await formOf(request);
  const intent = form.get("intent");
  if (intent === "approve" || intent === "retire" || intent === "restore") {
    const done =
      intent === "approve"
        ? await act(context, "runbook.approve", { id, version: Number(form.get("version")) })
        : await act(context, "runbook.retire", { id, isRetired: intent === "retire" });
    return done.ok ? { ok: true as const } : done.refusal;
  }
  const read = readForm(form, schema);
  if (!read.ok) return read.refusal;
  const { targets, incident, version, atOnce, ...rest } = read.value;
  const args = Object.fromEntries(
    Object.entries(rest).flatMap(([name, value]) =>
      name.startsWith("arg.") ? [[name.slice(4), String(value).trim()]] : [],
    ),
  );
  const asked = {
    runbookId: id,
    ...(version === "" ? {} : { version }),
    componentIds: targets.split(",").map(Number),
    atOnce,
    failedPercent: 0,
    incidentId: incident === "" ? null : incident,
    args,
  };
  if (intent === "dry") {
    const dry = await act(context, "run.dry", asked);
    return dry.ok ? { ok: true as const, dry: dry.value } : dry.refusal;
  }
  const started = await act(context, "run.start", asked);
  return started.ok ? redirect(`/runs/${started.value}`) : started.refusal;
}

export default function RunbookPage({ loaderData: page, actionData: answered }: Route.ComponentProps) {
  const { runbook, shown, figures } = page;
  const answer = useAnswer(answered);
  const [params] = useSearchParams();
  const incident = params.get("incident") ?? "";
  const [args, setArgs] = useState<Record<string, string>>(
    Object.fromEntries(
      runbook.definition.parameters.map((parameter) => [
        parameter.name,
        params.get(`arg.${parameter.name}`) ?? parameter.usual ?? "",
      ]),
    ),
  );
  const state =
    shown.state === "approved"
      ? ""
      : ` Version ${shown.version} is ${shown.state === "draft" ? "a draft" : shown.state}.`;
  return (
    <Box sx={{ display: "grid", gap: 1.5, gridTemplateColumns: "minmax(0, 1fr) 380px", alignItems: "start" }}>
      <Stack sx={{ minWidth: 0, gap: 1.5 }}>
        <PageHead
          name={`Runbooks${incident ? ` · for incident ${incident}` : ""}`}
          sentence={`${runbook.name}: ${runbook.definition.purpose}${state}`}
          actions={<KeepLink to={`/runbooks/${runbook.id}/edit`}>Edit</KeepLink>}
        />
        <Problem>{answer && "problem" in answer ? answer.problem : null}</Problem>
        {answer && "dry" in answer && answer.dry ? <DryRun dry={answer.dry} /> : null}
        <Section title="Steps" pad={false}>
          <StepList steps={runbook.definition.steps} args={args} />
        </Section>
        <Versions page={page} />
      </Stack>
      <Stack sx={{ gap: 1.5 }}>
        <StartForm key={shown.version} page={page} args={args} setArgs={setArgs} incident={incident} />
        <Section title="How its runs went">
          <Caption>
            {figures.runs === 0
              ? "It has not been run yet."
              : `${figures.runs} runs, ${figures.byPolicy} by policies; ${figures.failed} failed. ${figures.watched ? `${figures.proved} of ${figures.watched} that were watched are proved` : "None was watched to its proof yet"}${figures.toProofMs === null ? "" : `, half of them within ${spokenDuration(figures.toProofMs)}`}.`}
          </Caption>
          <Caption>{timesInWords(figures)}</Caption>
          <Retire isRetired={runbook.state === "retired"} />
        </Section>
      </Stack>
    </Box>
  );
}

function Retire({ isRetired }: { isRetired: boolean }) {
  return (
    <Form method="post">
      <RightButton right="configure" type="submit" name="intent" value={isRetired ? "restore" : "retire"}>
        {isRetired ? "Take it up again" : "Retire it"}
      </RightButton>
    </Form>
  );
}

function StartForm({
  page: { runbook, shown, targets },
  args,
  setArgs,
  incident,
}: {
  page: Route.ComponentProps["loaderData"];
  args: Record<string, string>;
  setArgs: (args: Record<string, string>) => void;
  incident: string;
}) {
  const [params] = useSearchParams();
  const wanted = params.get("target")?.split(",") ?? [];
  const [chosen, setChosen] = useState(targets.filter((one) => wanted.includes(String(one.id))));
  const isDraft = shown.state !== "approved";
  return (
    <Section title={isDraft ? `Try version ${shown.version}` : "Start a run"}>
      <Form method="post">
        <Stack sx={{ gap: 1.5 }}>
          <input type="hidden" name="targets" value={chosen.map((one) => one.id).join(",")} />
          <input type="hidden" name="incident" value={incident} />
          <input type="hidden" name="version" value={isDraft ? shown.version : ""} />
          <Autocomplete
            multiple
            options={targets}
            value={chosen}
            onChange={(_event, value) => setChosen(value)}
            getOptionLabel={(one) => `${one.name}${one.address ? ` (${one.address})` : ""}`}
            isOptionEqualToValue={(one, other) => one.id === other.id}
            size="small"
            renderInput={(input) => <TextField {...input} label={chosen.length > 1 ? "Targets" : "Target"} />}
          />
          {chosen.length > 1 ? (
            <TextField name="atOnce" label="At a time" type="number" defaultValue={1} sx={{ width: 120 }} />
          ) : null}
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
              The run is linked to <KeepLink to={`/incidents/${incident}`}>incident {incident}</KeepLink>; its figures
              are watched afterwards.
            </Typography>
          ) : null}
          <Intents right={isDraft ? "configure" : "repair"} />
          <Typography variant="caption" sx={{ color: "text.secondary" }}>
            Commands go over SSH. What you fill in reaches them as single words; a shell never expands it.
          </Typography>
        </Stack>
      </Form>
    </Section>
  );
}

function Intents({ right }: { right: "configure" | "repair" }) {
  const busy = useNavigation().state !== "idle";
  return (
    <Stack direction="row" sx={{ gap: 1 }}>
      <RightButton right={right} type="submit" name="intent" value="start" variant="contained" disabled={busy}>
        Start run
      </RightButton>
      <RightButton right={right} type="submit" name="intent" value="dry" variant="outlined" disabled={busy}>
        Dry run
      </RightButton>
    </Stack>
  );
}

/** How long an incident lasted until it was proved well, by hand and by policy, and what that saved; as counted. */
function timesInWords({ byHandMs, byPolicyMs, savedMs }: Route.ComponentProps["loaderData"]["figures"]): string {
  const said = [
    ...(byHandMs === null ? [] : [`by hand ${spokenDuration(byHandMs)}`]),
    ...(byPolicyMs === null ? [] : [`by policy ${spokenDuration(byPolicyMs)}`]),
  ];
  if (said.length === 0) return "";
  const saved = savedMs === null ? "" : ` Policies were ${spokenDuration(savedMs)} sooner in all.`;
  return `Half of its incidents were proved well within: ${said.join(", ")}.${saved}`;
}
