import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { Form, useNavigation } from "react-router";
import { z } from "zod";
import { dayAndTime } from "#core/time/windows";
import type { Route } from "./+types/access";
import { useAnswer } from "../shell/answer";
import { act, idFrom, missing, readForm, formOf } from "../shell/answers.server";
import { useShell } from "../shell/window";
import { KeepLink } from "../ui/KeepLink";
import { Empty, Fact, PageHead, Problem, Section } from "../ui/Page";
import { RightButton } from "../ui/RightButton";

export const meta: Route.MetaFunction = () => [{ title: "Access · Holotaxis" }];

export async function loader({ params, context }: Route.LoaderArgs) {
  const page = await context.ask("access", { id: idFrom(params.id, "component"), nowMs: context.now() });
  if (!page) throw missing("component", params.id);
  return page;
}

const schema = z.discriminatedUnion("what", [
  z.object({ what: z.literal("look") }),
  z.object({
    what: z.literal("approve"),
    credentialId: z.coerce.number("Choose a credential.").int().min(1, "Choose a credential."),
    fingerprint: z.string(),
  }),
  z.object({ what: z.literal("forget") }),
]);

export async function action({ request, params, context }: Route.ActionArgs) {
  const componentId = idFrom(params.id, "component");
  const form = readForm(await formOf(request), schema);
  if (!form.ok) return form.refusal;
  const { value } = form;
  if (value.what === "look") {
    const seen = await act(context, "host.look", { componentId });
    return seen.ok ? { ok: true as const, fingerprint: seen.value } : seen.refusal;
  }
  const { credentialId, fingerprint } = value.what === "approve" ? value : { credentialId: 0, fingerprint: "" };
  const done =
    value.what === "approve"
      ? await act(context, "host.approve", { componentId, credentialId, fingerprint })
      : await act(context, "host.forget", { componentId });
  return done.ok ? { ok: true as const } : done.refusal;
}

export default function AccessOf({ loaderData, actionData: answered }: Route.ComponentProps) {
  const actionData = useAnswer(answered);
  const { component, place, key, reach } = loaderData;
  const { window: now } = useShell();
  const busy = useNavigation().state !== "idle";
  const seen = actionData && "fingerprint" in actionData ? actionData.fingerprint : undefined;
  return (
    <>
      <PageHead
        name={`${component.name} › Access`}
        sentence={
          reach.problem !== undefined
            ? `Commands may not go to ${component.name}. ${reach.problem}`
            : `Commands may go to ${component.name}: it was ${reach.why}.`
        }
        actions={<KeepLink to={`/estate/${component.id}`}>{component.name}</KeepLink>}
      />
      <Problem>{actionData && "problem" in actionData ? actionData.problem : null}</Problem>
      <Stack sx={{ gap: 1.5 }}>
        <Section title="How commands get there">
          <dl className="hx-facts">
            <Fact name="Address">{place ? `${place.address}, SSH on port ${place.port}` : "none"}</Fact>
            <Fact name="Signs in with">
              {reach.credentials ? reach.credentials.map((one) => one.name).join(", then ") : "nothing"}
            </Fact>
            <Fact name="Host key">{key ? <code>{key.fingerprint}</code> : "not met yet"}</Fact>
            <Fact name="Trusted">
              {key
                ? key.approvedBy
                  ? `approved by ${key.approvedBy}, ${dayAndTime(key.firstSeenAt, now.nowMs)}`
                  : `as first met, ${dayAndTime(key.firstSeenAt, now.nowMs)}`
                : "when it is met first"}
            </Fact>
          </dl>
          {key ? (
            <Form method="post">
              <input type="hidden" name="what" value="forget" />
              <RightButton right="configure" type="submit" color="error" disabled={busy}>
                Forget this key
              </RightButton>
            </Form>
          ) : null}
        </Section>
        {place ? <Approve page={loaderData} address={place.address} seen={seen} busy={busy} /> : null}
      </Stack>
    </>
  );
}

/** The host shows its key first; then a person says whether it is the right one. */
function Approve({
  page: { candidates, component },
  address,
  seen,
  busy,
}: {
  page: Route.ComponentProps["loaderData"];
  address: string;
  /** Its key, as it shows it. */
  seen: string | undefined;
  busy: boolean;
}) {
  return (
    <Section title="Approve the host and its key">
      {candidates.length === 0 ? (
        <Empty>
          No SSH credential is for {address}. Add one under{" "}
          <KeepLink to="/setup/credentials">Setup › Credentials</KeepLink>.
        </Empty>
      ) : seen === undefined ? (
        <Form method="post">
          <input type="hidden" name="what" value="look" />
          <p className="hx-small">
            The host is asked for its key, without signing in. Compare the fingerprint with what its owner says.
          </p>
          <RightButton right="configure" type="submit" variant="outlined" disabled={busy}>
            Ask for its host key
          </RightButton>
        </Form>
      ) : (
        <Form method="post">
          <input type="hidden" name="what" value="approve" />
          <input type="hidden" name="fingerprint" value={seen} />
          <Stack sx={{ gap: 1.5, maxWidth: 640 }}>
            <p className="hx-small">
              It shows <code className="hx-one-time">{seen}</code>. Is that the key of {component.name}?
            </p>
            <TextField name="credentialId" label="Sign in with" select defaultValue={String(candidates[0]?.id)}>
              {candidates.map((one) => (
                <MenuItem key={one.id} value={String(one.id)}>
                  {one.name}
                </MenuItem>
              ))}
            </TextField>
            <RightButton right="configure" type="submit" variant="contained" disabled={busy}>
              Approve this host and key
            </RightButton>
          </Stack>
        </Form>
      )}
    </Section>
  );
}
