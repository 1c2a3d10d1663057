import Box from "@mui/material/Box";
import Stack from "@mui/material/Stack";
import { useState } from "react";
import { Form } from "react-router";
import { z } from "zod";
import { jobWordsFields } from "#core/jobs/words";
import { logFigureSchema } from "#core/telemetry/log-fields";
import { DAY_MS, dayAndTime } from "#core/time/windows";
import { endpointSchema } from "#server/settings";
import type { Route } from "./+types/setup.signals";
import { useAnswer } from "../shell/answer";
import { act, readForm, formOf } from "../shell/answers.server";
import { useShell } from "../shell/window";
import { KeepLink } from "../ui/KeepLink";
import { Empty, Fact, PageHead, Problem, Section } from "../ui/Page";
import { PlainTable } from "../ui/PlainTable";
import { AgentHosts } from "../ui/ingest/AgentHosts";
import { JobWords } from "../ui/ingest/JobWords";
import { LogFigures } from "../ui/ingest/LogFigures";
import { RetentionForm } from "../ui/ingest/RetentionForm";
import { ScrapedEndpoints } from "../ui/ingest/ScrapedEndpoints";
import { RuleForm, Senders } from "../ui/ingest/Senders";
import { RightButton } from "../ui/RightButton";

export const meta: Route.MetaFunction = () => [{ title: "Ingest · Holotaxis" }];

export async function loader({ context }: Route.LoaderArgs) {
  const [page, engine] = await Promise.all([context.ask("signalsSetup", {}), context.tell("itself")]);
  return {
    ...page,
    received: engine.received,
    scraped: engine.scraped,
    eventsSent: engine.eventsSent,
    samplesSent: engine.samplesSent,
    recordsSent: engine.recordsSent,
    spansSent: engine.spansSent,
    ports: context.receivePorts,
  };
}

const days = (what: string) =>
  z.coerce
    .number(`${what}: give a number of days.`)
    .min(1, `${what}: keep at least one day.`)
    .max(20_000, `${what}: at most 20,000 days.`);
const schema = z.discriminatedUnion("what", [
  z.object({
    what: z.literal("rule"),
    attribute: z.string().trim().min(1, "Choose the attribute to match.").max(120),
    pattern: z.string().trim().min(1, "Give a pattern; * matches anything.").max(240),
    componentId: z.coerce
      .number("Choose the component these signals belong to.")
      .int()
      .min(1, "Choose the component these signals belong to."),
  }),
  z.object({ what: z.literal("remove"), id: z.coerce.number().int().min(1) }),
  endpointSchema.extend({
    what: z.literal("endpoint"),
    credentialId: z
      .string()
      .default("")
      .transform((text) => (text === "" ? null : Number(text))),
  }),
  z.object({ what: z.literal("removeEndpoint"), id: z.coerce.number().int().min(1) }),
  logFigureSchema.extend({ what: z.literal("figure") }),
  jobWordsFields.extend({ what: z.literal("jobs") }),
  z.object({ what: z.literal("removeJobs"), id: z.coerce.number().int().min(1) }),
  z.object({ what: z.literal("removeFigure"), id: z.coerce.number().int().min(1) }),
  z.object({
    what: z.literal("retention"),
    raw: days("Samples"),
    fiveMinutes: days("Five minutes"),
    hour: days("Hours"),
    day: days("Days"),
    logs: days("Logs"),
    spans: days("Spans"),
    history: days("Alarms and incidents"),
  }),
]);

export async function action({ request, context }: Route.ActionArgs) {
  const form = readForm(await formOf(request), schema);
  if (!form.ok) return form.refusal;
  const { value } = form;
  const done = await (() => {
    switch (value.what) {
      case "rule": {
        const { attribute, pattern, componentId } = value;
        return act(context, "matching-rule.save", { attribute, pattern, componentId });
      }
      case "remove":
        return act(context, "matching-rule.remove", { id: value.id });
      case "endpoint": {
        const { what: _what, ...endpoint } = value;
        return act(context, "endpoint.save", endpoint);
      }
      case "figure": {
        const { what: _what, ...figure } = value;
        return act(context, "log-figure.save", figure);
      }
      case "jobs": {
        const { what: _what, ...words } = value;
        return act(context, "job-words.save", words);
      }
      case "removeJobs":
        return act(context, "job-words.remove", { id: value.id });
      case "removeFigure":
        return act(context, "log-figure.remove", { id: value.id });
      case "removeEndpoint":
        return act(context, "endpoint.remove", { id: value.id });
      default:
        return act(context, "retention.save", {
          rawMs: value.raw * DAY_MS,
          fiveMinutesMs: value.fiveMinutes * DAY_MS,
          hourMs: value.hour * DAY_MS,
          dayMs: value.day * DAY_MS,
          logsMs: value.logs * DAY_MS,
          spansMs: value.spans * DAY_MS,
          historyMs: value.history * DAY_MS,
        });
    }
  })();
  return done.ok ? { ok: true as const } : done.refusal;
}

const whole = (value: number) => Math.round(value).toLocaleString("en-GB");

export default function SignalsSetup({ loaderData: page, actionData: answered }: Route.ComponentProps) {
  const actionData = useAnswer(answered);
  const { window: now } = useShell();
  const [chosen, setChosen] = useState<number | null>(null);
  const one = page.waiting.find((resource) => resource.id === chosen);
  return (
    <>
      <PageHead
        name="Setup › Ingest"
        sentence={
          page.namedCount + page.waitingCount === 0
            ? "No senders yet."
            : `${page.namedCount} ${page.namedCount === 1 ? "sender" : "senders"} matched to components, ${page.waitingCount === 0 ? "none" : page.waitingCount} unmatched.`
        }
      />
      <Problem>{actionData && "problem" in actionData ? actionData.problem : null}</Problem>
      <Stack sx={{ gap: 1.5 }}>
        <Section title="Receivers">
          <Receivers page={page} />
        </Section>
        <Section title={`Unmatched senders: ${page.waitingCount}`} pad={false}>
          {page.waiting.length === 0 ? (
            <Box sx={{ px: 1.5 }}>
              <Empty>
                Senders are matched to components by host name, service name, address or a matching rule. Those that
                match none are listed here; their signals are kept.
              </Empty>
            </Box>
          ) : (
            <Senders rows={page.waiting} nowMs={now.nowMs} onChoose={setChosen} />
          )}
        </Section>
        {one ? <RuleForm key={one.id} attributes={one.attributes} onDone={() => setChosen(null)} /> : null}
        <ScrapedEndpoints credentials={page.credentials} pages={page.pages} states={page.scraped} nowMs={now.nowMs} />
        <JobWords words={page.jobWords} nowMs={now.nowMs} />
        <LogFigures figures={page.figures} nowMs={now.nowMs} />
        <AgentHosts hosts={page.agents} nowMs={now.nowMs} />
        <Section title={`Matching rules: ${page.rules.length}`} pad={false}>
          {page.rules.length === 0 ? (
            <Box sx={{ px: 1.5 }}>
              <Empty>No rules. A matching rule assigns senders whose attribute matches a pattern to a component.</Empty>
            </Box>
          ) : (
            <MatchingRules rules={page.rules} />
          )}
        </Section>
        <RetentionForm retention={page.retention} />
        <Section title={`Matched senders: ${page.namedCount}`} pad={false}>
          {page.named.length === 0 ? (
            <Box sx={{ px: 1.5 }}>
              <Empty>None yet.</Empty>
            </Box>
          ) : (
            <Senders rows={page.named} nowMs={now.nowMs} />
          )}
        </Section>
      </Stack>
    </>
  );
}

type Data = Route.ComponentProps["loaderData"];

/** Where signals are taken in, and what came since the start. */
function Receivers({ page }: { page: Data }) {
  return (
    <Box component="dl" sx={{ display: "grid", gridTemplateColumns: "repeat(4, 1fr)", gap: 1.5, m: 0 }}>
      <Fact name="OTLP over HTTP">
        {page.ports.otlp ? `${page.ports.host}:${page.ports.otlp}, /v1/metrics, /v1/logs, /v1/traces` : "off"}
      </Fact>
      <Fact name="OTLP by gRPC">{page.ports.grpc ? `${page.ports.host}:${page.ports.grpc}` : "off"}</Fact>
      <Fact name="Syslog (UDP and TCP)">{page.ports.syslog ? `${page.ports.host}:${page.ports.syslog}` : "off"}</Fact>
      <Fact name="Samples since start">{whole(page.samplesSent)}</Fact>
      <Fact name="Log records since start">{whole(page.recordsSent)}</Fact>
      <Fact name="Spans since start">{whole(page.spansSent)}</Fact>
      <Fact name="CloudEvents over HTTP">
        {page.ports.otlp
          ? `${page.ports.host}:${page.ports.otlp}, /events; ${whole(page.eventsSent)} since start`
          : "off"}
      </Fact>
      <Fact name="Requests">{whole(page.received?.requests ?? 0)}</Fact>
      <Fact name="Malformed">{whole(page.received?.unreadable ?? 0)}</Fact>
      <Fact name="Points and records rejected">{whole(page.received?.refused ?? 0)}</Fact>
      <Fact name="Throttled (429)">{whole(page.received?.throttled ?? 0)}</Fact>
      <Fact name="Syslog messages">{whole(page.received?.syslog ?? 0)}</Fact>
      <Fact name="SNMP notifications (v1, v2c, v3)">
        {page.ports.traps
          ? `${page.ports.host}:${page.ports.traps}; ${whole(page.received?.traps ?? 0)} since start, ${whole(page.received?.trapsOdd ?? 0)} not understood`
          : "off"}
      </Fact>
      <Fact name="Syslog in no standard format">{whole(page.received?.syslogOdd ?? 0)}</Fact>
      <Fact name="Syslog dropped (overload)">{whole(page.received?.dropped ?? 0)}</Fact>
      <Fact name="Syslog dropped by the kernel">
        {whole(page.received?.kernelDropped ?? 0)}
        {page.received?.kernelDropped ? "; give it more room: sysctl net.core.rmem_max" : ""}
      </Fact>
    </Box>
  );
}

function MatchingRules({ rules }: { rules: Data["rules"] }) {
  const { window: now } = useShell();
  return (
    <PlainTable>
      <thead>
        <tr>
          <th scope="col">Attribute</th>
          <th scope="col">Pattern</th>
          <th scope="col">Component</th>
          <th scope="col">Created by</th>
          <th scope="col">Actions</th>
        </tr>
      </thead>
      <tbody>
        {rules.map((rule) => (
          <tr key={rule.id}>
            <td>{rule.attribute}</td>
            <td>{rule.pattern}</td>
            <td>
              <KeepLink to={`/estate/${rule.componentId}`}>{rule.component}</KeepLink>
            </td>
            <td>
              {rule.madeBy}, {dayAndTime(rule.madeAt, now.nowMs)}
            </td>
            <td>
              <Form method="post">
                <input type="hidden" name="what" value="remove" />
                <input type="hidden" name="id" value={rule.id} />
                <RightButton
                  right="configure"
                  type="submit"
                  color="error"
                  aria-label={`Remove the rule for ${rule.attribute} ${rule.pattern}`}
                >
                  Remove
                </RightButton>
              </Form>
            </td>
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}
