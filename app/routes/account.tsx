import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { Form } from "react-router";
import { z } from "zod";
import { roleOf } from "#core/people/rights";
import type { Route } from "./+types/account";
import type { CommandInput } from "#server/commands/registry";
import { act, readForm, refuse, formOf } from "../shell/answers.server";
import { useShell } from "../shell/window";
import { ContactForm } from "../ui/people/ContactForm";
import { NewPassword } from "../ui/people/Passwords";
import { Sessions } from "../ui/people/Sessions";
import { Empty, PageHead, Problem, Section } from "../ui/Page";

export const meta: Route.MetaFunction = () => [{ title: "My account · Holotaxis" }];

export async function loader({ context }: Route.LoaderArgs) {
  const accountId = context.who?.accountId ?? null;
  const own = accountId === null ? null : await context.ask("account", { accountId, machineMs: Date.now() });
  if (!own) throw new Response("Programs have no account of their own.", { status: 404 });
  return { ...own, sessionId: context.who?.sessionId ?? null, machineMs: Date.now() };
}

const schema = z.discriminatedUnion("what", [
  z.object({ what: z.literal("password"), now: z.string(), password: z.string() }),
  z.object({ what: z.literal("contact"), contact: z.string().max(4_000) }),
  z.object({ what: z.literal("endSession"), id: z.coerce.number().int().min(1) }),
]);

export async function action({ request, context }: Route.ActionArgs) {
  const form = readForm(await formOf(request), schema);
  if (!form.ok) return form.refusal;
  const { value } = form;
  if (value.what === "contact") {
    let contact: object;
    try {
      contact = JSON.parse(value.contact) as object;
    } catch {
      return refuse("The form was not sent whole. Load the page again.");
    }
    const saved = await act(context, "contact.save", {
      ...contact,
      accountId: context.who?.accountId ?? 0,
    } as CommandInput<"contact.save">);
    return saved.ok ? { ok: true as const, what: value.what } : saved.refusal;
  }
  const done =
    value.what === "password"
      ? await act(context, "password.change", { now: value.now, password: value.password })
      : await act(context, "session.end", { id: value.id });
  return done.ok ? { ok: true as const, what: value.what } : done.refusal;
}

export default function Account({
  loaderData: { account, contact, sessions, sessionId, machineMs },
  actionData,
}: Route.ComponentProps) {
  const { who } = useShell();
  const role = roleOf(account.role);
  const refusal = actionData && "problem" in actionData ? actionData : undefined;
  return (
    <>
      <PageHead
        name="My account"
        sentence={`${who.name}, ${role.label.toLowerCase()}: ${role.may}.`}
        actions={
          <Form method="post" action="/sign-out">
            <Button type="submit" variant="outlined">
              Sign out
            </Button>
          </Form>
        }
      />
      <Problem>{refusal?.problem ?? null}</Problem>
      <Stack sx={{ gap: 1.5 }}>
        <Section title="How I am notified">
          <ContactForm key={JSON.stringify(contact)} contact={contact} refusal={refusal} />
          <p role="status" className="hx-caption">
            {actionData && "what" in actionData && actionData.what === "contact" ? "Saved." : ""}
          </p>
        </Section>
        <Section title={`Sessions: ${sessions.length}`} pad={false}>
          <Sessions sessions={sessions} current={sessionId} machineMs={machineMs} />
        </Section>
        <Section title="Password">
          {account.isDemo ? (
            <Empty>{account.name} is made up for this demonstration and has no password.</Empty>
          ) : (
            <Form method="post">
              <input type="hidden" name="what" value="password" />
              <Stack sx={{ gap: 1.5, maxWidth: 420 }}>
                <TextField
                  name="now"
                  type="password"
                  label="Present password"
                  required
                  error={refusal?.fields?.now !== undefined}
                  helperText={refusal?.fields?.now}
                  slotProps={{ htmlInput: { autoComplete: "current-password", maxLength: 1024 } }}
                />
                <NewPassword problem={refusal?.fields?.password} />
                <div className="hx-row">
                  <Button type="submit" variant="outlined">
                    Change password
                  </Button>
                  <span role="status" className="hx-caption">
                    {actionData && "what" in actionData && actionData.what === "password"
                      ? "Changed. Your other sessions have ended."
                      : "Your other sessions end."}
                  </span>
                </div>
              </Stack>
            </Form>
          )}
        </Section>
      </Stack>
    </>
  );
}
