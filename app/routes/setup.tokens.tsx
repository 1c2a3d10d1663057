import Stack from "@mui/material/Stack";
import { z } from "zod";
import { ROLE_IDS } from "#core/people/rights";
import { SIGNAL_KINDS, type TokenScope } from "#core/people/tokens";
import type { Route } from "./+types/setup.tokens";
import { useAnswer } from "../shell/answer";
import { act, readForm, refuse, formOf } from "../shell/answers.server";
import { installCommand } from "../ui/ingest/install-command";
import { receiverOf } from "../shell/receiver.server";
import { Enrolments } from "../ui/people/Enrolments";
import { OneTime } from "../ui/people/OneTime";
import { TokenForm } from "../ui/people/TokenForm";
import { Tokens } from "../ui/people/Tokens";
import { PageHead, Problem, Section } from "../ui/Page";

export const meta: Route.MetaFunction = () => [{ title: "Tokens · Holotaxis" }];

export async function loader({ context, request }: Route.LoaderArgs) {
  const machineMs = Date.now();
  return { ...(await context.ask("tokens", { machineMs })), machineMs, receiver: receiverOf(context, request) };
}

const id = z.coerce.number().int().min(1);
const days = z.enum(["1", "7", "30", "90", "365", "never"]);
const schema = z.discriminatedUnion("what", [
  z.object({
    what: z.literal("create"),
    name: z.string(),
    kind: z.enum(["send", "read", "act"]),
    senders: z.string().default("*"),
    role: z.enum(ROLE_IDS).default("responder"),
    days,
    ...(Object.fromEntries(SIGNAL_KINDS.map((kind) => [kind, z.string().optional()])) as Record<
      (typeof SIGNAL_KINDS)[number],
      z.ZodOptional<z.ZodString>
    >),
  }),
  z.object({ what: z.literal("revoke"), id }),
  z.object({ what: z.literal("enrol"), hosts: z.coerce.number("Say for how many hosts."), days }),
  z.object({ what: z.literal("endEnrolment"), id }),
]);

const daysOf = (text: z.infer<typeof days>) => (text === "never" ? null : Number(text));

export async function action({ request, context }: Route.ActionArgs) {
  const form = readForm(await formOf(request), schema);
  if (!form.ok) return form.refusal;
  const { value } = form;
  switch (value.what) {
    case "create": {
      const signals = SIGNAL_KINDS.filter((kind) => value[kind] !== undefined);
      const scope: TokenScope =
        value.kind === "send"
          ? { kind: "send", signals, senders: value.senders.trim() || "*" }
          : value.kind === "act"
            ? { kind: "act", role: value.role }
            : { kind: "read" };
      const made = await act(context, "token.create", { name: value.name, scope, days: daysOf(value.days) });
      return made.ok ? { ok: true as const, token: made.value.code } : made.refusal;
    }
    case "enrol": {
      const good = daysOf(value.days);
      if (good === null) return refuse("An enrolment code has an end.");
      const made = await act(context, "enrolment.create", { hosts: value.hosts, days: good });
      return made.ok ? { ok: true as const, enrolment: made.value } : made.refusal;
    }
    default: {
      const done = await act(context, value.what === "revoke" ? "token.revoke" : "enrolment.end", { id: value.id });
      return done.ok ? { ok: true as const } : done.refusal;
    }
  }
}

export default function TokensPage({ loaderData, actionData: answered }: Route.ComponentProps) {
  const actionData = useAnswer(answered);
  const { tokens, enrolments, machineMs, receiver } = loaderData;
  const open = tokens.filter((token) => token.isOpen);
  const agents = open.filter((token) => token.scope.kind === "agent").length;
  const others = open.length - agents;
  return (
    <>
      <PageHead
        name="Setup › Tokens"
        sentence={`${others} ${others === 1 ? "program has" : "programs have"} a token, ${agents} ${agents === 1 ? "agent has" : "agents have"} enrolled.`}
      />
      <Problem>{actionData && "problem" in actionData ? actionData.problem : null}</Problem>
      {actionData && "token" in actionData && actionData.token ? (
        <OneTime what="The token" text={actionData.token} />
      ) : null}
      {actionData && "enrolment" in actionData && actionData.enrolment ? (
        <OneTime
          what="The command that installs the agent on a Linux host"
          text={installCommand(receiver, actionData.enrolment)}
        />
      ) : null}
      <Stack sx={{ gap: 1.5 }}>
        <Section
          title={`Tokens of programs: ${tokens.filter((token) => token.scope.kind !== "agent").length}`}
          pad={false}
        >
          <Tokens tokens={tokens.filter((token) => token.scope.kind !== "agent")} machineMs={machineMs} />
        </Section>
        <Section title="New token">
          <TokenForm />
        </Section>
        <Section title={`Agents: ${agents}`} pad={false}>
          <Enrolments enrolments={enrolments} machineMs={machineMs} />
          <Tokens tokens={tokens.filter((token) => token.scope.kind === "agent")} machineMs={machineMs} />
        </Section>
      </Stack>
    </>
  );
}
