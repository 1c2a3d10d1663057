import Box from "@mui/material/Box";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { Form } from "react-router";
import { clockTime, dayAndTime } from "#core/time/windows";
import { Section } from "../Page";
import type { IncidentData } from "./page";
import { RightButton } from "../RightButton";

/** What happened when, and a note to add. */
export function Timeline({ page }: { page: IncidentData }) {
  const { incident } = page;
  return (
    <Section title="Timeline" pad={false}>
      <Box component="ol" sx={{ m: 0, p: 0, listStyle: "none" }}>
        {page.timeline.map((entry, index) => (
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
              {incident.opened_at - entry.atMs > 12 * 3_600_000
                ? dayAndTime(entry.atMs).slice(0, -6)
                : clockTime(entry.atMs, true)}
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
      <Form method="post" key={page.timeline.length}>
        <Stack direction="row" sx={{ gap: 1, p: 1.5, borderTop: 1, borderColor: "divider" }}>
          <TextField name="text" label="Note" fullWidth slotProps={{ htmlInput: { maxLength: 2000 } }} />
          <RightButton right="respond" type="submit" name="intent" value="note" variant="outlined">
            Add
          </RightButton>
        </Stack>
      </Form>
    </Section>
  );
}
