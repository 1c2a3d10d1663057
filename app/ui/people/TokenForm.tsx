import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { Form } from "react-router";
import { ROLES } from "#core/people/rights";
import { SIGNAL_KINDS } from "#core/people/tokens";

export const ENDS = [
  { value: "1", label: "1 day" },
  { value: "7", label: "7 days" },
  { value: "30", label: "30 days" },
  { value: "90", label: "90 days" },
  { value: "365", label: "1 year" },
] as const;

/** What a new token is for, and how long it is good. */
export function TokenForm() {
  const [kind, setKind] = useState("send");
  return (
    <Form method="post">
      <input type="hidden" name="what" value="create" />
      <Stack sx={{ gap: 1.5 }}>
        <Stack direction="row" sx={{ gap: 1.5 }}>
          <TextField
            name="name"
            label="Program"
            required
            sx={{ flex: 1 }}
            slotProps={{ htmlInput: { minLength: 2, maxLength: 80, autoComplete: "off" } }}
          />
          <TextField
            name="kind"
            label="May"
            select
            value={kind}
            onChange={(event) => setKind(event.target.value)}
            sx={{ width: 200 }}
          >
            <MenuItem value="send">send signals</MenuItem>
            <MenuItem value="read">read pages and CSV</MenuItem>
            <MenuItem value="act">act as a role</MenuItem>
          </TextField>
          <TextField name="days" label="Good for" select defaultValue="90" sx={{ width: 130 }}>
            {ENDS.map((one) => (
              <MenuItem key={one.value} value={one.value}>
                {one.label}
              </MenuItem>
            ))}
            <MenuItem value="never">no end</MenuItem>
          </TextField>
          <Button type="submit" variant="outlined">
            Make a token
          </Button>
        </Stack>
        {kind === "send" ? (
          <Stack direction="row" sx={{ gap: 1.5, alignItems: "center" }}>
            {SIGNAL_KINDS.map((signal) => (
              <FormControlLabel
                key={signal}
                control={<Checkbox name={signal} defaultChecked size="small" />}
                label={signal}
              />
            ))}
            <TextField
              name="senders"
              label="Of hosts or services"
              defaultValue="*"
              helperText="Names with * for any text, separated by commas."
              sx={{ flex: 1 }}
              slotProps={{ htmlInput: { maxLength: 400 } }}
            />
          </Stack>
        ) : null}
        {kind === "act" ? (
          <TextField name="role" label="Role" select defaultValue="responder" sx={{ maxWidth: 420 }}>
            {ROLES.map((role) => (
              <MenuItem key={role.id} value={role.id}>
                {role.label}: {role.may}
              </MenuItem>
            ))}
          </TextField>
        ) : null}
      </Stack>
    </Form>
  );
}
