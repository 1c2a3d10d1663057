import TextField from "@mui/material/TextField";
import { LONGEST_PASSWORD, SHORTEST_PASSWORD } from "#core/people/passwords";

/** Where a new password is chosen. */
export function NewPassword({ problem }: { problem: string | undefined }) {
  return (
    <TextField
      name="password"
      type="password"
      label="New password"
      required
      error={problem !== undefined}
      helperText={problem ?? `At least ${SHORTEST_PASSWORD} characters; several words in a row do well.`}
      slotProps={{ htmlInput: { autoComplete: "new-password", maxLength: LONGEST_PASSWORD } }}
    />
  );
}
