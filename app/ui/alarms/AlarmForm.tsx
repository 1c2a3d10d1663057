import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { Form } from "react-router";
import { RightButton } from "../RightButton";

/** Shelves an alarm for a while with a reason, or says something of it. */
export function AlarmForm({ what, id, onDone }: { what: "shelve" | "comment"; id: number; onDone: () => void }) {
  return (
    <Form method="post" onSubmit={() => setTimeout(onDone, 0)}>
      <input type="hidden" name="intent" value={what} />
      <input type="hidden" name="id" value={id} />
      <Stack sx={{ gap: 1, width: 240, py: 0.5 }}>
        {what === "shelve" ? (
          <>
            <TextField name="reason" label="Why" required autoFocus slotProps={{ htmlInput: { maxLength: 200 } }} />
            <TextField
              name="hours"
              label="For hours"
              type="number"
              defaultValue="2"
              slotProps={{ htmlInput: { min: 0.25, step: 0.25 } }}
            />
          </>
        ) : (
          <TextField
            name="text"
            label="Comment"
            required
            autoFocus
            multiline
            slotProps={{ htmlInput: { maxLength: 1000 } }}
          />
        )}
        <Stack direction="row" sx={{ gap: 1 }}>
          <RightButton right="respond" type="submit" variant="contained" size="small">
            {what === "shelve" ? "Shelve it" : "Comment"}
          </RightButton>
          <Button size="small" onClick={onDone}>
            Cancel
          </Button>
        </Stack>
      </Stack>
    </Form>
  );
}
