import Box from "@mui/material/Box";
import { Caption, Section } from "../Page";
import type { IncidentData } from "./page";

/** What kits and people here note about such problems. */
export function Notes({ page }: { page: IncidentData }) {
  return page.notes.map((note) => (
    <Section key={`${note.kit}${note.title}`} title={`Notes: ${note.title}`}>
      <Box component="ol" sx={{ m: 0, pl: 2.5, fontSize: "0.84rem", "& li": { mb: 0.5 } }}>
        {note.lines.map((line) => (
          <li key={line}>{line}</li>
        ))}
      </Box>
      <Caption>From {note.kit}</Caption>
    </Section>
  ));
}
