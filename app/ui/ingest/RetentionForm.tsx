import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { Form } from "react-router";
import { DAY_MS } from "#core/time/windows";
import type { Retention } from "#server/store/retention";
import { Section } from "../Page";
import { RightButton } from "../RightButton";

/** How many days each resolution and kind of signal is kept. */
export function RetentionForm({ retention }: { retention: Retention }) {
  return (
    <Section title="Retention (days)">
      <Form method="post">
        <input type="hidden" name="what" value="retention" />
        <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap", alignItems: "center" }}>
          <TextField name="raw" label="Samples" defaultValue={retention.rawMs / DAY_MS} sx={{ width: 120 }} />
          <TextField
            name="fiveMinutes"
            label="Five minutes"
            defaultValue={retention.fiveMinutesMs / DAY_MS}
            sx={{ width: 120 }}
          />
          <TextField name="hour" label="Hours" defaultValue={retention.hourMs / DAY_MS} sx={{ width: 120 }} />
          <TextField name="day" label="Days" defaultValue={retention.dayMs / DAY_MS} sx={{ width: 120 }} />
          <TextField name="logs" label="Logs" defaultValue={retention.logsMs / DAY_MS} sx={{ width: 120 }} />
          <TextField name="spans" label="Spans" defaultValue={retention.spansMs / DAY_MS} sx={{ width: 120 }} />
          <TextField
            name="history"
            label="Alarms and incidents"
            defaultValue={retention.historyMs / DAY_MS}
            sx={{ width: 170 }}
          />
          <RightButton right="configure" type="submit" variant="outlined">
            Save
          </RightButton>
        </Stack>
        <Typography variant="body2" sx={{ color: "text.secondary", mt: 1 }}>
          Samples are rolled up into five minutes, hours and days before they are deleted; sparse series keep their
          samples as long as the five-minute rollups. Alarms, findings and incidents are deleted so long after they are
          over.
        </Typography>
      </Form>
    </Section>
  );
}
