import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { Form, redirect, useNavigation } from "react-router";
import { roleOf } from "#core/people/rights";
import type { Route } from "./+types/join";
import { attempt, formOf } from "../shell/answers.server";
import { EntryPage } from "../ui/people/EntryPage";
import { NewPassword } from "../ui/people/Passwords";
import { Problem } from "../ui/Page";

export const meta: Route.MetaFunction = () => [{ title: "Join · Holotaxis" }];

const codeOf = (request: Request) => (new URL(request.url).searchParams.get("code") ?? "").slice(0, 200);

export const loader = ({ request, context }: Route.LoaderArgs) => context.entrance.invitation(codeOf(request));

export async function action({ request, context }: Route.ActionArgs) {
  const given = Object.fromEntries(await formOf(request));
  const joined = await attempt(() => context.entrance.join(codeOf(request), given));
  return joined.ok ? redirect("/", { headers: joined.value }) : joined.refusal;
}

export default function Join({ loaderData: invitation, actionData }: Route.ComponentProps) {
  const busy = useNavigation().state !== "idle";
  if (!invitation)
    return (
      <EntryPage sentence="This link was used already or is too old.">
        <Problem>{actionData?.problem ?? "Ask an administrator for a new one."}</Problem>
      </EntryPage>
    );
  const role = roleOf(invitation.role);
  const isKnown = invitation.signIn !== null;
  const fields = actionData?.fields ?? {};
  return (
    <EntryPage
      sentence={
        isKnown
          ? `Choose a new password, ${invitation.name}.`
          : `Make your account. Your role is ${role.label.toLowerCase()}: ${role.may}.`
      }
    >
      <Problem>{actionData?.problem ?? null}</Problem>
      <Form method="post">
        <Stack sx={{ gap: 1.5 }}>
          {isKnown ? (
            <input type="hidden" name="signIn" value={invitation.signIn ?? ""} autoComplete="username" />
          ) : (
            <>
              <TextField
                name="name"
                label="Your name, as it stands on what you do"
                defaultValue={invitation.name}
                required
                autoFocus
                error={fields.name !== undefined}
                helperText={fields.name}
                slotProps={{ htmlInput: { autoComplete: "name", maxLength: 60 } }}
              />
              <TextField
                name="signIn"
                label="Name to sign in with"
                required
                error={fields.signIn !== undefined}
                helperText={fields.signIn}
                slotProps={{ htmlInput: { autoComplete: "username", autoCapitalize: "none", maxLength: 60 } }}
              />
            </>
          )}
          <NewPassword problem={fields.password} />
          <Button type="submit" variant="contained" disabled={busy}>
            {isKnown ? "Set password and sign in" : "Make the account and sign in"}
          </Button>
        </Stack>
      </Form>
    </EntryPage>
  );
}
