import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { Form } from "react-router";
import type { Oddity } from "#server/pages/unusual";
import { RightButton } from "../RightButton";

/** Says that an oddity is expected, for how long and why. */
export function ExpectForm({ oddity, onDone }: { oddity: Oddity; onDone: () => void }) {
  return (
    <Form method="post" onSubmit={() => setTimeout(onDone, 0)}>
      <input type="hidden" name="intent" value="expect" />
      <input type="hidden" name="subject" value={oddity.subject.type} />
      <input type="hidden" name="id" value={oddity.subject.id} />
      <input type="hidden" name="metric" value={oddity.metric} />
      <input type="hidden" name="qualifier" value={oddity.qualifier} />
      <Stack sx={{ gap: 1, width: 220, py: 0.5 }}>
        <TextField
          name="reason"
          label="Why it is expected"
          required
          autoFocus
          slotProps={{ htmlInput: { maxLength: 200 } }}
        />
        <TextField
          name="hours"
          label="For hours"
          type="number"
          defaultValue="24"
          slotProps={{ htmlInput: { min: 1 } }}
        />
        <Stack direction="row" sx={{ gap: 1 }}>
          <RightButton right="respond" type="submit" variant="contained" size="small">
            Expect it
          </RightButton>
          <Button size="small" onClick={onDone}>
            Cancel
          </Button>
        </Stack>
      </Stack>
    </Form>
  );
}
