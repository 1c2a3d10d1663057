import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { Form } from "react-router";
import { z } from "zod";
import { ROLE_IDS, roleOf, ROLES } from "#core/people/rights";
import type { Route } from "./+types/setup.people";
import { useAnswer } from "../shell/answer";
import { act, readForm, formOf } from "../shell/answers.server";
import { OneTime } from "../ui/people/OneTime";
import { Accounts } from "../ui/people/Accounts";
import { Sessions } from "../ui/people/Sessions";
import { Empty, PageHead, Problem, Section } from "../ui/Page";

export const meta: Route.MetaFunction = () => [{ title: "People · Holotaxis" }];

export async function loader({ context }: Route.LoaderArgs) {
  const machineMs = Date.now();
  return {
    ...(await context.ask("people", { machineMs })),
    machineMs,
    sessionId: context.who?.sessionId ?? null,
  };
}

const id = z.coerce.number().int().min(1);
const schema = z.discriminatedUnion("what", [
  z.object({ what: z.literal("invite"), role: z.enum(ROLE_IDS), name: z.string().max(60) }),
  z.object({ what: z.literal("withdraw"), id }),
  z.object({ what: z.literal("role"), id, role: z.enum(ROLE_IDS) }),
  z.object({ what: z.literal("reset"), id }),
  z.object({ what: z.literal("close"), id }),
  z.object({ what: z.literal("reopen"), id }),
  z.object({ what: z.literal("endSession"), id }),
]);

export async function action({ request, context }: Route.ActionArgs) {
  const form = readForm(await formOf(request), schema);
  if (!form.ok) return form.refusal;
  const { value } = form;
  const link = (code: string) => ({ ok: true as const, link: `/join?code=${code}` });
  switch (value.what) {
    case "invite": {
      const made = await act(context, "account.invite", { role: value.role, name: value.name });
      return made.ok ? link(made.value) : made.refusal;
    }
    case "reset": {
      const made = await act(context, "account.reset", { id: value.id });
      return made.ok ? link(made.value) : made.refusal;
    }
    case "role": {
      const done = await act(context, "account.role", { id: value.id, role: value.role });
      return done.ok ? { ok: true as const } : done.refusal;
    }
    default: {
      const command = (
        {
          withdraw: "account.withdraw",
          close: "account.close",
          reopen: "account.reopen",
          endSession: "session.end",
        } as const
      )[value.what];
      const done = await act(context, command, { id: value.id });
      return done.ok ? { ok: true as const } : done.refusal;
    }
  }
}

export default function People({ loaderData, actionData: answered }: Route.ComponentProps) {
  const actionData = useAnswer(answered);
  const { accounts, invitations, machineMs, sessionId } = loaderData;
  const open = accounts.filter((account) => account.closedAt === null);
  const sessions = accounts.flatMap((account) => account.sessions);
  const present = accounts.filter((account) => account.sessions.length).length;
  return (
    <>
      <PageHead
        name="Setup › People"
        sentence={`${open.length} ${open.length === 1 ? "person" : "people"} can sign in, ${present} ${present === 1 ? "is" : "are"} signed in now.`}
      />
      <Problem>{actionData && "problem" in actionData ? actionData.problem : null}</Problem>
      {actionData && "link" in actionData && actionData.link ? (
        <OneTime what="One-time link, good for a day" text={actionData.link} isAddress />
      ) : null}
      <Stack sx={{ gap: 1.5 }}>
        <Section title={`Accounts: ${accounts.length}`} pad={false}>
          <Accounts accounts={accounts} />
        </Section>
        <Section title="Invite somebody">
          <Form method="post">
            <input type="hidden" name="what" value="invite" />
            <Stack direction="row" sx={{ gap: 1.5, alignItems: "center" }}>
              <TextField name="name" label="Name" sx={{ flex: 1 }} slotProps={{ htmlInput: { maxLength: 60 } }} />
              <TextField name="role" label="Role" select defaultValue="responder" sx={{ width: 340 }}>
                {ROLES.map((role) => (
                  <MenuItem key={role.id} value={role.id}>
                    {role.label}: {role.may}
                  </MenuItem>
                ))}
              </TextField>
              <Button type="submit" variant="outlined">
                Make a link
              </Button>
            </Stack>
          </Form>
          {invitations.length ? (
            <ul className="hx-plain-list" aria-label="Open invitations">
              {invitations.map((one) => (
                <li key={one.id}>
                  <Form method="post" className="hx-row">
                    <input type="hidden" name="what" value="withdraw" />
                    <input type="hidden" name="id" value={one.id} />
                    <span>
                      {one.accountId === null ? roleOf(one.role).label : "New password"}
                      {one.name ? ` for ${one.name}` : ""}, by {one.madeBy}: not used yet
                    </span>
                    <Button type="submit">Withdraw</Button>
                  </Form>
                </li>
              ))}
            </ul>
          ) : (
            <Empty>No invitation is open.</Empty>
          )}
        </Section>
        <Section title={`Sessions: ${sessions.length}`} pad={false}>
          <Sessions
            sessions={sessions}
            current={sessionId}
            machineMs={machineMs}
            names={new Map(accounts.map((account) => [account.id, account.name]))}
          />
        </Section>
      </Stack>
    </>
  );
}
