import FormControlLabel from "@mui/material/FormControlLabel";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import { useEffect, useState } from "react";
import { Form } from "react-router";
import type { Answer } from "#server/pages/registry";
import type { Refusal } from "../../shell/answers.server";
import { playSound, SOUNDS } from "../../shell/sounds";
import { Caption } from "../Page";
import { HoursField } from "../HoursField";

type Contact = NonNullable<Answer<"account">>["contact"];

/** Where somebody is reached, and how much they can bear. */
export function ContactForm({ contact, refusal }: { contact: Contact; refusal: Refusal | undefined }) {
  const [draft, setDraft] = useState<Contact>(contact);
  const set = <Key extends keyof Contact>(key: Key, value: Contact[Key]) =>
    setDraft((now) => ({ ...now, [key]: value }));
  const problems = refusal?.fields ?? {};
  return (
    <Form method="post" noValidate>
      <input type="hidden" name="what" value="contact" />
      <input type="hidden" name="contact" value={JSON.stringify(draft)} />
      <Stack sx={{ gap: 1.5 }}>
        <Stack direction="row" sx={{ gap: 1.5 }}>
          <TextField
            label="Mail address"
            value={draft.mail}
            onChange={(event) => set("mail", event.target.value)}
            error={problems.mail !== undefined}
            helperText={problems.mail ?? "Notifications go there when a rule tells you. Empty for none."}
            sx={{ flex: 1 }}
          />
          <TextField
            label="At most in an hour"
            value={draft.mostAnHour}
            onChange={(event) => set("mostAnHour", Number(event.target.value))}
            error={problems.mostAnHour !== undefined}
            helperText={problems.mostAnHour ?? "What is beyond comes as one digest."}
            sx={{ width: 260 }}
          />
        </Stack>
        <Stack direction="row" sx={{ gap: 1.5, alignItems: "center" }}>
          <FormControlLabel
            control={<Switch checked={draft.browser} onChange={(_, on) => set("browser", on)} />}
            label="Show notifications in my browser"
          />
          <SystemPermission />
          <TextField
            select
            label="Sound"
            value={draft.sound}
            onChange={(event) => {
              set("sound", event.target.value);
              playSound(event.target.value);
            }}
            sx={{ width: 160 }}
          >
            {SOUNDS.map((one) => (
              <MenuItem key={one} value={one}>
                {one}
              </MenuItem>
            ))}
          </TextField>
        </Stack>
        <HoursField
          label="Quiet hours: only critical incidents reach me then, the rest as a digest afterwards"
          value={draft.quiet}
          onChange={(quiet) => set("quiet", quiet)}
          problem={problems["quiet.days"]}
        />
        <TextField
          label="Time zone"
          value={draft.zone}
          onChange={(event) => set("zone", event.target.value)}
          error={problems.zone !== undefined}
          helperText={problems.zone}
          sx={{ width: 240 }}
        />
        <div>
          <Button type="submit" variant="outlined">
            Save
          </Button>
        </div>
      </Stack>
    </Form>
  );
}

/** Whether the system shows our notifications; it is asked for at a press, as browsers want it. */
function SystemPermission() {
  const [state, setState] = useState<NotificationPermission | "unknown">("unknown");
  useEffect(() => setState("Notification" in window ? Notification.permission : "denied"), []);
  if (state === "granted") return <Caption>The system shows them.</Caption>;
  if (state === "denied")
    return <Caption>The browser does not let the system show them; they stand on the page.</Caption>;
  return (
    <Button
      size="small"
      onClick={() => void Notification.requestPermission().then(setState)}
      disabled={state === "unknown"}
    >
      Let the system show them
    </Button>
  );
}
