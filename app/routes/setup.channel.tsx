import Button from "@mui/material/Button";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import { Form, redirect, useNavigation } from "react-router";
import type { Route } from "./+types/setup.channel";
import { useAnswer } from "../shell/answer";
import { act, formOf, idFrom, missing } from "../shell/answers.server";
import { Caption, PageHead, Problem, Section } from "../ui/Page";
import { RightButton } from "../ui/RightButton";
import { SchemaField } from "../ui/SchemaField";

export const meta: Route.MetaFunction = () => [{ title: "Channel · Holotaxis" }];

const idOf = (text: string | undefined) => (text === "new" ? null : idFrom(text, "channel"));

export async function loader({ request, params, context }: Route.LoaderArgs) {
  const kind = new URL(request.url).searchParams.get("kind") ?? "mail";
  const page = await context.ask("channel", { id: idOf(params.id), kind });
  if (!page) throw missing("channel", params.id);
  return page;
}

export async function action({ request, params, context }: Route.ActionArgs) {
  const { intent, kind, name, isOn, credential, address, ...settings } = Object.fromEntries(
    [...(await formOf(request))].map(([field, value]) => [field, typeof value === "string" ? value : ""]),
  );
  const id = idOf(params.id);
  if (id !== null && intent === "test") {
    const tried = await act(context, "channel.test", { id, address: address ?? "", incidentId: null });
    return tried.ok ? { ok: true as const, tried: tried.value } : tried.refusal;
  }
  if (id !== null && intent === "remove") {
    const removed = await act(context, "channel.remove", { id });
    return removed.ok ? redirect("/setup/channels") : removed.refusal;
  }
  const saved = await act(context, "channel.save", {
    ...(id === null ? {} : { id }),
    kind: kind ?? "",
    name: name ?? "",
    settings,
    credentialId: credential ? Number(credential) : null,
    isOn: isOn === "on",
  });
  if (!saved.ok) return saved.refusal;
  // A new channel is tried next.
  return redirect(id === null ? `/setup/channels/${saved.value}` : "/setup/channels");
}

export default function Channel({ loaderData: page, actionData: answered }: Route.ComponentProps) {
  const answer = useAnswer(answered);
  const { channel, kind, fields, credentials } = page;
  const refusal = answer && "problem" in answer ? answer : undefined;
  const problemOf = (field: string) => refusal?.fields?.[field];
  const busy = useNavigation().state !== "idle";
  return (
    <>
      <PageHead
        name="Setup › Channels"
        sentence={channel ? `${channel.name}: ${kind.words}` : `A new channel. ${kind.words}`}
      />
      <Problem>{refusal?.problem ?? null}</Problem>
      <Stack sx={{ gap: 1.5 }}>
        <Section title={kind.label}>
          <Form method="post" noValidate key={channel?.id ?? kind.kind}>
            <input type="hidden" name="kind" value={kind.kind} />
            <Stack sx={{ gap: 1.5 }}>
              <Stack direction="row" sx={{ gap: 1.5, alignItems: "center" }}>
                <TextField
                  name="name"
                  label="Name"
                  defaultValue={channel?.name ?? ""}
                  error={problemOf("name") !== undefined}
                  helperText={problemOf("name")}
                  fullWidth
                  required
                />
                <FormControlLabel control={<Switch name="isOn" defaultChecked={channel?.isOn ?? true} />} label="On" />
              </Stack>
              {fields.map((field) => (
                <SchemaField key={field.name} field={field} problem={problemOf(field.name)} />
              ))}
              {page.takesCredential ? (
                <TextField
                  select
                  name="credential"
                  label="Credential"
                  defaultValue={channel?.credentialId ?? ""}
                  error={problemOf("credential") !== undefined}
                  helperText={
                    problemOf("credential") ??
                    "Kept under Setup › Credentials; it may be used at its destinations only."
                  }
                  sx={{ width: 420 }}
                >
                  <MenuItem value="">none</MenuItem>
                  {credentials.map((one) => (
                    <MenuItem key={one.id} value={one.id}>
                      {one.name}
                    </MenuItem>
                  ))}
                </TextField>
              ) : null}
              <Stack direction="row" sx={{ gap: 1 }}>
                <RightButton
                  right="configure"
                  type="submit"
                  name="intent"
                  value="save"
                  variant="contained"
                  disabled={busy}
                >
                  {channel ? "Save" : "Add channel"}
                </RightButton>
                {channel ? (
                  <RightButton
                    right="configure"
                    type="submit"
                    name="intent"
                    value="remove"
                    color="error"
                    disabled={busy}
                  >
                    Remove
                  </RightButton>
                ) : null}
              </Stack>
            </Stack>
          </Form>
        </Section>
        {channel ? (
          <Section title="Test">
            <Form method="post" noValidate>
              <Stack direction="row" sx={{ gap: 1.5, alignItems: "flex-start" }}>
                {kind.isPersonal && kind.kind === "mail" ? (
                  <TextField
                    name="address"
                    label="Send the test to"
                    placeholder="your own address"
                    error={problemOf("address") !== undefined}
                    helperText={problemOf("address") ?? "Your own address where it is left empty."}
                    sx={{ width: 340 }}
                  />
                ) : null}
                <RightButton
                  right="configure"
                  type="submit"
                  name="intent"
                  value="test"
                  variant="outlined"
                  disabled={busy}
                >
                  Send a test
                </RightButton>
              </Stack>
            </Form>
            <p role="status" className="hx-small">
              {answer && "tried" in answer && answer.tried
                ? `${answer.tried.ok ? "Accepted" : "Not accepted"}. The other side said: “${answer.tried.answer}”`
                : ""}
            </p>
            <Caption>The message is about an incident that never was. It is on record under “What was sent”.</Caption>
          </Section>
        ) : null}
      </Stack>
      <Button href="/setup/channels">All channels</Button>
    </>
  );
}
