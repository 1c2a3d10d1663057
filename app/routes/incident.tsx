import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { Form, Link as RouterLink, redirect } from "react-router";
import { z } from "zod";
import { dayAndTime, spokenDuration } from "#core/time/windows";
import type { Route } from "./+types/incident";
import { useAnswer } from "../shell/answer";
import { act, idFrom, missing, readForm, formOf } from "../shell/answers.server";
import { useKeep } from "../shell/window";
import { Alarms } from "../ui/incident/Alarms";
import { Evidence } from "../ui/incident/Evidence";
import { IncidentMap } from "../ui/incident/IncidentMap";
import { justBefore, prefilled } from "../ui/incident/page";
import { Repair } from "../ui/incident/Repair";
import { Causes } from "../ui/incident/Causes";
import { BadTraces, ChangesBefore, LoudLogs, Similar } from "../ui/incident/Clues";
import { Harm } from "../ui/incident/Harm";
import { Notes } from "../ui/incident/Notes";
import { OneAxis } from "../ui/incident/OneAxis";
import { Told } from "../ui/incident/Told";
import { Work } from "../ui/incident/Work";
import { Timeline } from "../ui/incident/Timeline";
import { TopProcesses } from "../ui/incident/TopProcesses";
import { Guests } from "../ui/Guests";
import { PageHead, Problem } from "../ui/Page";
import { RightButton } from "../ui/RightButton";

export const meta: Route.MetaFunction = ({ loaderData }) => [
  { title: `${loaderData?.incident.title ?? "Incident"} · Holotaxis` },
];

export async function loader({ params, context }: Route.LoaderArgs) {
  const nowMs = context.now();
  const page = await context.ask("incident", { id: idFrom(params.id, "incident"), nowMs, root: context.root });
  if (!page) throw missing("incident", params.id);
  return { ...page, nowMs };
}

const schema = z.discriminatedUnion("intent", [
  z.object({ intent: z.literal("take") }),
  z.object({
    intent: z.literal("note"),
    text: z.string().trim().min(1, "Write something first.").max(2000, "A note has at most 2,000 characters."),
  }),
  z.object({ intent: z.literal("acknowledge"), alarmId: z.coerce.number().int().min(1) }),
  z.object({ intent: z.literal("hand-over"), to: z.string(), remark: z.string().default("") }),
  z.object({ intent: z.literal("wait"), waitingFor: z.string() }),
  z.object({
    intent: z.literal("priority"),
    priority: z.enum(["", "1", "2", "3", "4"]),
    reason: z.string().default(""),
  }),
  z.object({ intent: z.enum(["cause", "resolve"]), cause: z.string(), remark: z.string().default("") }),
  z.object({ intent: z.literal("reopen"), reason: z.string() }),
  z.object({ intent: z.literal("merge"), into: z.coerce.number("Choose another incident.").int().min(1) }),
  z.object({ intent: z.literal("split"), alarms: z.string().default("") }),
]);

export async function action({ request, params, context }: Route.ActionArgs) {
  const id = idFrom(params.id, "incident");
  const form = readForm(await formOf(request), schema);
  if (!form.ok) return form.refusal;
  const done = await carryOut(context, id, form.value);
  if (!done.ok) return done.refusal;
  if (form.value.intent === "merge") throw redirect(`/incidents/${form.value.into}`);
  return { ok: true as const };
}

function carryOut(context: Route.ActionArgs["context"], id: number, value: z.output<typeof schema>) {
  switch (value.intent) {
    case "take":
      return act(context, "incident.take", { id });
    case "note":
      return act(context, "incident.note", { id, text: value.text });
    case "acknowledge":
      return act(context, "alarm.acknowledge", { id: value.alarmId });
    case "hand-over":
      return act(context, "incident.handover", { id, to: value.to, remark: value.remark });
    case "wait":
      return act(context, "incident.wait", { id, waitingFor: value.waitingFor });
    case "priority":
      return act(context, "incident.priority", {
        id,
        priority: value.priority === "" ? null : (Number(value.priority) as 1 | 2 | 3 | 4),
        reason: value.reason,
      });
    case "cause":
    case "resolve":
      return act(context, "incident.cause", {
        id,
        cause: value.cause,
        remark: value.remark,
        resolves: value.intent === "resolve",
      });
    case "reopen":
      return act(context, "incident.reopen", { id, reason: value.reason });
    case "merge":
      return act(context, "incident.merge", { id, into: value.into });
    case "split":
      return act(context, "incident.split", { id, alarmIds: value.alarms.split(",").map(Number).filter(Boolean) });
  }
}

export default function Incident({ loaderData: page, actionData: answered }: Route.ComponentProps) {
  const actionData = useAnswer(answered);
  const keep = useKeep();
  const { incident } = page;
  const first = page.runbooks.find((runbook) => runbook.fits);
  return (
    <>
      <PageHead
        name={`Incident ${incident.id} · ${page.isOpen ? "open" : incident.merged_into ? `merged into incident ${incident.merged_into}` : "resolved"} · priority ${page.harm.priority}${incident.taken_by ? ` · with ${incident.taken_by}` : ""}${incident.waiting_for ? ` · waiting for ${incident.waiting_for}` : ""}`}
        severity={page.isOpen ? incident.severity : "cleared"}
        sentence={page.sentence}
        actions={
          <>
            {page.isOpen && !incident.taken_by ? (
              <Form method="post">
                <RightButton right="respond" type="submit" name="intent" value="take" variant="outlined">
                  Take
                </RightButton>
              </Form>
            ) : null}
            <Button component={RouterLink} to={justBefore(page, "/estate/changes")} variant="outlined">
              Changes before it
            </Button>
            {page.suspect ? (
              <Button
                component={RouterLink}
                to={justBefore(page, `/map?around=${page.suspect.componentId}`)}
                variant="outlined"
              >
                Map before it
              </Button>
            ) : null}
            {page.isOpen && first ? (
              <Button component={RouterLink} to={keep(prefilled(page, first))} variant="contained">
                {first.name} …
              </Button>
            ) : null}
          </>
        }
      />
      <Problem>{actionData && "problem" in actionData ? actionData.problem : null}</Problem>
      <Box sx={{ display: "grid", gap: 1.5, gridTemplateColumns: "minmax(0, 1fr) 380px", alignItems: "start" }}>
        <Stack sx={{ gap: 1.5, minWidth: 0 }}>
          <OneAxis page={page} />
          <IncidentMap page={page} />
          {page.guests.length ? (
            <Guests title={`Virtual machines when the alarm was raised: ${page.guests.length}`} rows={page.guests} />
          ) : null}
          <Timeline page={page} />
          <Alarms page={page} />
          <Told page={page} />
          <TopProcesses page={page} />
        </Stack>
        <Stack sx={{ gap: 1.5, minWidth: 0 }}>
          <Causes page={page} />
          <Repair page={page} />
          <Harm page={page} />
          <Notes page={page} />
          <ChangesBefore page={page} />
          <LoudLogs page={page} />
          <BadTraces page={page} />
          <Similar page={page} />
          <Work page={page} />
          <Evidence page={page} />
        </Stack>
      </Box>
      <Typography variant="caption" component="p" sx={{ color: "text.secondary", mt: 1 }}>
        Opened {dayAndTime(incident.opened_at)} UTC
        {incident.resolved_at
          ? `, resolved ${dayAndTime(incident.resolved_at)} UTC after ${spokenDuration(incident.resolved_at - incident.opened_at)}`
          : ""}
        .
      </Typography>
    </>
  );
}
