import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { Form, redirect, useNavigation } from "react-router";
import { roleOf } from "#core/people/rights";
import { wantedAddress } from "#core/people/entrance";
import type { Answer } from "#server/pages/registry";
import type { Route } from "./+types/sign-in";
import { attempt, formOf } from "../shell/answers.server";
import { EntryPage } from "../ui/people/EntryPage";
import { Problem, Section } from "../ui/Page";

export const meta: Route.MetaFunction = () => [{ title: "Sign in · Holotaxis" }];

export async function loader({ request, context }: Route.LoaderArgs) {
  if (context.who) throw redirect(wantedAddress(new URL(request.url).searchParams.get("to")));
  return context.entrance.offered();
}

export async function action({ request, context }: Route.ActionArgs) {
  const { way, ...given } = Object.fromEntries(await formOf(request));
  const to = wantedAddress(new URL(request.url).searchParams.get("to"));
  const entered = await attempt(() => context.entrance.signIn(String(way), given));
  return entered.ok ? redirect(to, { headers: entered.value }) : entered.refusal;
}

export default function SignIn({ loaderData: { hasAccounts, hasPasswords, demo }, actionData }: Route.ComponentProps) {
  const busy = useNavigation().state !== "idle";
  const sentence = demo.length
    ? "Sign in as one of the people of this demonstration."
    : hasAccounts
      ? "Sign in to see the estate."
      : "Nobody can sign in yet. The link for the first administrator was printed when Holotaxis started.";
  return (
    <EntryPage sentence={sentence}>
      <Problem>{actionData?.problem ?? null}</Problem>
      {demo.length ? <DemoPeople people={demo} busy={busy} /> : null}
      {hasPasswords ? (
        <Form method="post">
          <input type="hidden" name="way" value="password" />
          <Stack sx={{ gap: 1.5 }}>
            <TextField
              name="signIn"
              label="Name"
              required
              autoFocus={demo.length === 0}
              slotProps={{ htmlInput: { autoComplete: "username", autoCapitalize: "none", maxLength: 80 } }}
            />
            <TextField
              name="password"
              type="password"
              label="Password"
              required
              slotProps={{ htmlInput: { autoComplete: "current-password", maxLength: 1024 } }}
            />
            <Button type="submit" variant={demo.length ? "outlined" : "contained"} disabled={busy}>
              Sign in
            </Button>
          </Stack>
        </Form>
      ) : null}
    </EntryPage>
  );
}

/** The demonstration's made-up people, with one click each. */
function DemoPeople({ people, busy }: { people: Answer<"signIn">["demo"]; busy: boolean }) {
  return (
    <Section title="Made-up people" pad={false}>
      <Form method="post">
        <input type="hidden" name="way" value="demo" />
        <ul className="hx-people">
          {people.map((one) => (
            <li key={one.id}>
              <button type="submit" name="accountId" value={one.id} disabled={busy} className="hx-person">
                <strong>{one.name}</strong>
                <span>
                  {roleOf(one.role).label}: {roleOf(one.role).may}
                </span>
                {one.remark ? <span className="hx-caption">{one.remark}</span> : null}
              </button>
            </li>
          ))}
        </ul>
      </Form>
    </Section>
  );
}
