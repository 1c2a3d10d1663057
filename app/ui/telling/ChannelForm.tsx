import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import { Form, useNavigation } from "react-router";
import type { Answer } from "#server/pages/registry";
import { Caption } from "../Page";
import { RightButton } from "../RightButton";
import { SchemaField } from "../SchemaField";

export type ChannelData = NonNullable<Answer<"channel">>;
type Problems = Readonly<Record<string, string>>;

/** The settings of a channel, made from the schema of its kind, and what it signs in with. */
export function ChannelForm({ page, problems }: { page: ChannelData; problems: Problems }) {
  const { channel, kind, fields } = page;
  const busy = useNavigation().state !== "idle";
  return (
    <Form method="post" noValidate key={channel?.id ?? kind.kind}>
      <input type="hidden" name="kind" value={kind.kind} />
      <Stack sx={{ gap: 1.5 }}>
        <Stack direction="row" sx={{ gap: 1.5, alignItems: "center" }}>
          <TextField
            name="name"
            label="Name"
            defaultValue={channel?.name ?? ""}
            error={problems.name !== undefined}
            helperText={problems.name}
            fullWidth
            required
          />
          <FormControlLabel control={<Switch name="isOn" defaultChecked={channel?.isOn ?? true} />} label="On" />
        </Stack>
        {fields.map((field) => (
          <SchemaField key={field.name} field={field} problem={problems[field.name]} />
        ))}
        {page.takesCredential ? <CredentialChoice page={page} problem={problems.credential} /> : null}
        <Stack direction="row" sx={{ gap: 1 }}>
          <RightButton right="configure" type="submit" name="intent" value="save" variant="contained" disabled={busy}>
            {channel ? "Save" : "Add channel"}
          </RightButton>
          {channel ? (
            <RightButton right="configure" type="submit" name="intent" value="remove" color="error" disabled={busy}>
              Remove
            </RightButton>
          ) : null}
        </Stack>
      </Stack>
    </Form>
  );
}

function CredentialChoice({ page, problem }: { page: ChannelData; problem: string | undefined }) {
  return (
    <TextField
      select
      name="credential"
      label="Credential"
      defaultValue={page.channel?.credentialId ?? ""}
      error={problem !== undefined}
      helperText={problem ?? "Kept under Setup › Credentials; it may be used at its destinations only."}
      sx={{ width: 420 }}
    >
      <MenuItem value="">none</MenuItem>
      {page.credentials.map((one) => (
        <MenuItem key={one.id} value={one.id}>
          {one.name}
        </MenuItem>
      ))}
    </TextField>
  );
}

/** Sends a test and repeats what the other side answered, word by word. */
export function ChannelTest({
  kind,
  problems,
  tried,
}: {
  kind: ChannelData["kind"];
  problems: Problems;
  tried: { ok: boolean; answer: string } | undefined;
}) {
  const busy = useNavigation().state !== "idle";
  return (
    <>
      <Form method="post" noValidate>
        <Stack direction="row" sx={{ gap: 1.5, alignItems: "flex-start" }}>
          {kind.kind === "mail" ? (
            <TextField
              name="address"
              label="Send the test to"
              placeholder="your own address"
              error={problems.address !== undefined}
              helperText={problems.address ?? "Your own address where it is left empty."}
              sx={{ width: 340 }}
            />
          ) : null}
          <RightButton right="configure" type="submit" name="intent" value="test" variant="outlined" disabled={busy}>
            Send a test
          </RightButton>
        </Stack>
      </Form>
      <p role="status" className="hx-small">
        {tried ? `${tried.ok ? "Accepted" : "Not accepted"}. The other side said: “${tried.answer}”` : ""}
      </p>
      <Caption>
        The message is about an incident that never was. It is on record under Incidents › Notifications.
      </Caption>
    </>
  );
}
