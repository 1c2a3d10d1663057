import PushPinOutlined from "@mui/icons-material/PushPinOutlined";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import IconButton from "@mui/material/IconButton";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Tooltip from "@mui/material/Tooltip";
import Typography from "@mui/material/Typography";
import { Form, Link as RouterLink } from "react-router";
import { z } from "zod";
import { clockTime, dayAndTime, spokenDuration } from "#core/time/windows";
import { formatValue } from "#core/units/format";
import type { Route } from "./+types/incident";
import { act, idFrom, missing, readForm } from "../shell/answers.server";
import { usePin } from "../shell/tray";
import { useKeep, useShell } from "../shell/window";
import { ChartCard } from "../ui/ChartCard";
import { Guests } from "../ui/Guests";
import { KeepLink } from "../ui/KeepLink";
import { Empty, PageHead, Problem, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";
import { RunStateWord } from "../ui/RunState";
import { SeverityLabel } from "../ui/SeverityMark";
import { StrataMap } from "../ui/StrataMap";

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
]);

export async function action({ request, params, context }: Route.ActionArgs) {
  const id = idFrom(params.id, "incident");
  const form = readForm(await request.formData(), schema);
  if (!form.ok) return form.refusal;
  const { value } = form;
  const done =
    value.intent === "take"
      ? await act(context, request, "incident.take", { id })
      : value.intent === "note"
        ? await act(context, request, "incident.note", { id, text: value.text })
        : await act(context, request, "alarm.acknowledge", { id: value.alarmId });
  return done.ok ? { ok: true as const } : done.refusal;
}

export default function Incident({ loaderData: page, actionData }: Route.ComponentProps) {
  const { window: now } = useShell();
  const keep = useKeep();
  const pin = usePin();
  const { incident, suspect } = page;
  const first = page.runbooks.find((runbook) => runbook.fits);
  const prefill = (runbook: NonNullable<typeof first>) =>
    `/runbooks/${runbook.id}?${new URLSearchParams({ target: String(suspect?.componentId ?? ""), incident: String(incident.id), ...Object.fromEntries(Object.entries(runbook.args).map(([name, value]) => [`arg.${name}`, value])) }).toString()}`;
  return (
    <>
      <PageHead
        name={`Incident ${incident.id} · ${page.isOpen ? "open" : "resolved"}${incident.taken_by ? ` · taken by ${incident.taken_by}` : ""}`}
        severity={page.isOpen ? incident.severity : "cleared"}
        sentence={page.sentence}
        actions={
          <>
            {page.isOpen && !incident.taken_by ? (
              <Form method="post">
                <Button type="submit" name="intent" value="take" variant="outlined">
                  Take
                </Button>
              </Form>
            ) : null}
            {page.isOpen && first ? (
              <Button component={RouterLink} to={keep(prefill(first))} variant="contained">
                {first.name} …
              </Button>
            ) : null}
          </>
        }
      />
      <Problem>{actionData && "problem" in actionData ? actionData.problem : null}</Problem>
      <Box sx={{ display: "grid", gap: 1.5, gridTemplateColumns: "minmax(0, 1fr) 380px", alignItems: "start" }}>
        <Stack sx={{ gap: 1.5, minWidth: 0 }}>
          <Section
            title={`Charts (from 15 min before), ${clockTime(page.fromMs)} to ${clockTime(page.toMs)}`}
            aside={
              suspect ? (
                <Stack direction="row" sx={{ gap: 1.5 }}>
                  <KeepLink
                    to={`/signals/logs?component=${suspect.componentId}&from=${new Date(page.fromMs).toISOString()}&to=${new Date(page.toMs).toISOString()}`}
                  >
                    Logs
                  </KeepLink>
                  <KeepLink
                    to={`/estate/${suspect.componentId}?from=${new Date(page.fromMs).toISOString()}&to=${new Date(page.toMs).toISOString()}`}
                  >
                    All of {suspect.name}
                  </KeepLink>
                </Stack>
              ) : null
            }
          >
            <Box sx={{ display: "grid", gap: 1, gridTemplateColumns: "repeat(2, minmax(0, 1fr))" }}>
              {page.charts.map((chart) => (
                <ChartCard key={chart.seriesId} chart={chart} incidentId={incident.id} showOwner height={118} />
              ))}
            </Box>
          </Section>
          {page.map && suspect ? (
            <Section
              title={`Map around ${suspect.name}`}
              pad={false}
              aside={
                <Tooltip title="Pin to this incident">
                  <IconButton
                    aria-label={`Pin the map around ${suspect.name}`}
                    onClick={() =>
                      pin({
                        kind: "map",
                        title: `Map around ${suspect.name}`,
                        detail: `around:${suspect.componentId}`,
                        fromMs: page.fromMs,
                        toMs: page.toMs,
                        incidentId: incident.id,
                        address: `/map?around=${suspect.componentId}&from=${new Date(page.fromMs).toISOString()}&to=${new Date(page.toMs).toISOString()}`,
                      })
                    }
                  >
                    <PushPinOutlined sx={{ fontSize: 16 }} />
                  </IconButton>
                </Tooltip>
              }
            >
              <StrataMap map={page.map} height={330} highlight={`c${suspect.componentId}`} />
            </Section>
          ) : null}
          {page.guests.length ? (
            <Guests title={`Virtual machines when the alarm was raised: ${page.guests.length}`} rows={page.guests} />
          ) : null}
          {page.snapshot ? (
            <Section
              title={`Top processes by memory on ${suspect?.name} at ${dayAndTime(page.snapshot.atMs, now.nowMs, true)}`}
              pad={page.snapshot.processes.length === 0}
            >
              {page.snapshot.processes.length ? (
                <Top processes={page.snapshot.processes} memoryBytes={page.snapshot.memoryBytes} />
              ) : (
                <Empty>{page.snapshot.failure ?? "No processes were listed."}</Empty>
              )}
            </Section>
          ) : null}
        </Stack>
        <Stack sx={{ gap: 1.5, minWidth: 0 }}>
          <Section title="Suspected cause">
            <Typography variant="body2" sx={{ fontWeight: 600 }}>
              {suspect ? <KeepLink to={`/estate/${suspect.componentId}`}>{suspect.name}</KeepLink> : "not known"}
              {suspect?.address ? <span style={{ fontWeight: 400 }}> ({suspect.address})</span> : null}
            </Typography>
            <Typography variant="body2" sx={{ color: "text.secondary" }}>
              because {incident.reasons.join("; ") || "it has the only alarm"}.
            </Typography>
          </Section>
          {page.notes.map((note) => (
            <Section key={note.title} title={`Notes: ${note.title}`}>
              <Box component="ol" sx={{ m: 0, pl: 2.5, fontSize: "0.84rem", "& li": { mb: 0.5 } }}>
                {note.lines.map((line) => (
                  <li key={line}>{line}</li>
                ))}
              </Box>
            </Section>
          ))}
          <Section title="Repair">
            <Stack sx={{ gap: 0.75 }}>
              {page.runbooks.map((runbook) => (
                <Box key={runbook.id}>
                  <KeepLink to={prefill(runbook)} strong={runbook.fits}>
                    {runbook.name}
                  </KeepLink>
                  <Typography variant="caption" component="p" sx={{ color: "text.secondary" }}>
                    {runbook.purpose}
                  </Typography>
                </Box>
              ))}
              {page.runbooks.length === 0 ? <Empty>No runbook for this kind of component.</Empty> : null}
              {page.runs.map((run) => (
                <Typography key={run.id} variant="body2" sx={{ borderTop: 1, borderColor: "divider", pt: 0.75 }}>
                  <KeepLink to={`/runs/${run.id}`}>{`Run ${run.id}: ${run.runbook}`}</KeepLink>{" "}
                  <RunStateWord state={run.state} />, by {run.started_by} {clockTime(run.started_at)}
                </Typography>
              ))}
            </Stack>
          </Section>
          <Section title={`Alarms: ${page.alarms.length}`} pad={false}>
            <PlainTable>
              <tbody>
                {page.alarms.map((alarm) => (
                  <tr key={alarm.id}>
                    <td className="top">
                      <SeverityLabel severity={alarm.severity} />
                    </td>
                    <td>
                      <KeepLink to={`/estate/${alarm.component_id}`}>{alarm.subject}</KeepLink>: {alarm.text}
                      <Typography variant="caption" component="p" sx={{ color: "text.secondary" }}>
                        raised {dayAndTime(alarm.raised_at, now.nowMs, true)}
                        {alarm.cleared_at ? `, cleared ${clockTime(alarm.cleared_at, true)}` : ""}
                        {alarm.acknowledged_by ? ` · acknowledged by ${alarm.acknowledged_by}` : ""}. Grouped here
                        because {alarm.why}.
                      </Typography>
                      {alarm.cleared_at === null && !alarm.acknowledged_by ? (
                        <Form method="post">
                          <input type="hidden" name="alarmId" value={alarm.id} />
                          <Button
                            type="submit"
                            name="intent"
                            value="acknowledge"
                            variant="text"
                            sx={{ p: 0, minWidth: 0 }}
                          >
                            Acknowledge
                          </Button>
                        </Form>
                      ) : null}
                    </td>
                  </tr>
                ))}
              </tbody>
            </PlainTable>
          </Section>
          <Section title={`Evidence: ${page.evidence.length}`}>
            {page.evidence.length ? (
              page.evidence.map((one) => (
                <Typography key={one.id} variant="body2" sx={{ mb: 0.5 }}>
                  <RouterLink to={one.address} style={{ color: "var(--mui-palette-primary-main)" }}>
                    {one.title}
                  </RouterLink>
                  <Typography variant="caption" component="span" sx={{ color: "text.secondary", display: "block" }}>
                    {one.kind}, {clockTime(one.from_at)} to {clockTime(one.to_at)}, pinned by {one.pinned_by}
                  </Typography>
                </Typography>
              ))
            ) : (
              <Empty>No evidence yet. Pin a chart or the map.</Empty>
            )}
          </Section>
          <Section title="Timeline" pad={false}>
            <Box component="ol" sx={{ m: 0, p: 0, listStyle: "none" }}>
              {page.timeline.map((entry, index) => (
                <Box
                  component="li"
                  key={`${entry.atMs}${index}`}
                  sx={{
                    display: "grid",
                    gridTemplateColumns: "62px minmax(0, 1fr)",
                    gap: 1,
                    px: 1.5,
                    py: 0.5,
                    borderTop: index ? 1 : 0,
                    borderColor: "divider",
                  }}
                >
                  <Typography
                    variant="caption"
                    sx={{ color: "text.secondary", pt: "1px" }}
                    title={dayAndTime(entry.atMs)}
                  >
                    {incident.opened_at - entry.atMs > 12 * 3_600_000
                      ? dayAndTime(entry.atMs).slice(0, -6)
                      : clockTime(entry.atMs, true)}
                  </Typography>
                  <Typography variant="body2" sx={{ overflowWrap: "anywhere" }}>
                    {entry.kind === "change" ? "Change: " : ""}
                    {entry.text}
                    {entry.by !== "Holotaxis" ? (
                      <span style={{ color: "var(--mui-palette-text-secondary)" }}> · {entry.by}</span>
                    ) : null}
                  </Typography>
                </Box>
              ))}
            </Box>
            <Form method="post" key={page.timeline.length}>
              <Stack direction="row" sx={{ gap: 1, p: 1.5, borderTop: 1, borderColor: "divider" }}>
                <TextField name="text" label="Note" fullWidth slotProps={{ htmlInput: { maxLength: 2000 } }} />
                <Button type="submit" name="intent" value="note" variant="outlined">
                  Add
                </Button>
              </Stack>
            </Form>
          </Section>
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

function Top({
  processes,
  memoryBytes,
}: {
  processes: { pid: number; name: string; memoryBytes: number }[];
  memoryBytes: number;
}) {
  const largest = Math.max(1, ...processes.map((process) => process.memoryBytes));
  return (
    <PlainTable>
      <thead>
        <tr>
          <th scope="col">Process</th>
          <th scope="col" className="num">
            Number
          </th>
          <th scope="col" className="num">
            Memory
          </th>
          <th scope="col" className="num">
            Share of host
          </th>
          <th scope="col" style={{ width: "35%" }}>
            Drawn
          </th>
        </tr>
      </thead>
      <tbody>
        {processes.map((process) => (
          <tr key={process.pid}>
            <td>{process.name}</td>
            <td className="num">{process.pid}</td>
            <td className="num">{formatValue(process.memoryBytes, "By")}</td>
            <td className="num">{memoryBytes ? formatValue((process.memoryBytes / memoryBytes) * 100, "%") : "–"}</td>
            <td>
              <Box
                aria-hidden="true"
                sx={{
                  height: 10,
                  width: `${(process.memoryBytes / largest) * 100}%`,
                  minWidth: "1px",
                  bgcolor: "var(--hx-chart)",
                }}
              />
            </td>
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}
