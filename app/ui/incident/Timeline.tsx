import Box from "@mui/material/Box";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Form } from "react-router";
import { clockTime, dayAndTime, HOUR_MS } from "#core/time/windows";
import { Section } from "../Page";
import { PlainButton } from "../PlainButton";
import { KeepLink } from "../KeepLink";
import { asItWas, type IncidentData } from "./page";
import { RightButton } from "../RightButton";

/** What is drawn part by part above already. */
const OF_ALARMS: ReadonlySet<string> = new Set(["raised", "worse", "better", "eased", "cleared"]);
/** From so many entries on, those of alarms are shown when they are asked for. */
const MANY = 15;

/** When something happened: while the incident lasts, a link to its page as it was then. */
function When({ atMs, incident }: { atMs: number; incident: IncidentData["incident"] }) {
  if (incident.opened_at - atMs > 12 * HOUR_MS) return dayAndTime(atMs).slice(0, -6);
  const time = clockTime(atMs, true);
  if (atMs < incident.opened_at) return time;
  return (
    <KeepLink to={asItWas(incident.id, atMs)} text>
      {time}
    </KeepLink>
  );
}

/** What happened when, and a note to add. */
export function Timeline({ page }: { page: IncidentData }) {
  const { incident } = page;
  const [withAlarms, setWithAlarms] = useState(false);
  const ofAlarms = page.timeline.filter((entry) => OF_ALARMS.has(entry.kind)).length;
  const folds = page.timeline.length > MANY && ofAlarms > 0;
  const shown = folds && !withAlarms ? page.timeline.filter((entry) => !OF_ALARMS.has(entry.kind)) : page.timeline;
  return (
    <Section
      title="Timeline"
      pad={false}
      aside={
        folds ? (
          <PlainButton pressed={withAlarms} onClick={() => setWithAlarms(!withAlarms)}>
            {withAlarms ? "Without alarms" : `With ${ofAlarms} entries of alarms`}
          </PlainButton>
        ) : null
      }
    >
      <Box component="ol" sx={{ m: 0, p: 0, listStyle: "none" }}>
        {shown.map((entry, index) => (
          <Box
            component="li"
            key={`${entry.atMs}${index}`}
            sx={{
              display: "grid",
              gridTemplateColumns: "62px minmax(0, 1fr)",
              gap: 1,
              px: 1.5,
              py: 0.5,
              borderTop: index ? 1 : 0,
              borderColor: "divider",
            }}
          >
            <Typography variant="caption" sx={{ color: "text.secondary", pt: "1px" }} title={dayAndTime(entry.atMs)}>
              <When atMs={entry.atMs} incident={incident} />
            </Typography>
            <Typography variant="body2" sx={{ overflowWrap: "anywhere" }}>
              {entry.kind === "change" ? "Change: " : ""}
              {entry.text}
              {entry.by !== "Holotaxis" ? (
                <span style={{ color: "var(--mui-palette-text-secondary)" }}> · {entry.by}</span>
              ) : null}
            </Typography>
          </Box>
        ))}
      </Box>
      {page.thenMs === null ? (
        <Form method="post" key={page.timeline.length}>
          <Stack direction="row" sx={{ gap: 1, p: 1.5, borderTop: 1, borderColor: "divider" }}>
            <TextField name="text" label="Note" fullWidth slotProps={{ htmlInput: { maxLength: 2000 } }} />
            <RightButton right="respond" type="submit" name="intent" value="note" variant="outlined">
              Add
            </RightButton>
          </Stack>
        </Form>
      ) : null}
    </Section>
  );
}
