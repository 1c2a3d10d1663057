import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { KeepLink } from "../KeepLink";
import { Section } from "../Page";
import { spanOf, type IncidentData } from "./page";

/** The suspected cause with its reasons, and what is noted about such problems. */
export function Suspect({ page }: { page: IncidentData }) {
  const { incident, suspect } = page;
  return (
    <>
      <Section title="Suspected cause">
        <Typography variant="body2" sx={{ fontWeight: 600 }}>
          {suspect ? (
            <KeepLink to={`/estate/${suspect.componentId}?${spanOf(page)}`}>{suspect.name}</KeepLink>
          ) : (
            "not known"
          )}
          {suspect?.address ? <span style={{ fontWeight: 400 }}> ({suspect.address})</span> : null}
        </Typography>
        <Typography variant="body2" sx={{ color: "text.secondary" }}>
          because {incident.reasons.join("; ") || "it has the only alarm"}.
        </Typography>
        {suspect && page.odd ? (
          <Typography variant="body2" sx={{ mt: 0.5 }}>
            The odd one of its {page.odd.siblings + 1}{" "}
            <KeepLink to={`/estate/${suspect.componentId}/siblings?${spanOf(page)}`}>siblings</KeepLink>:{" "}
            {page.odd.told.join("; ")}
            {page.odd.differs > page.odd.told.length ? `; and ${page.odd.differs - page.odd.told.length} more` : ""}.
          </Typography>
        ) : null}
      </Section>
      {page.notes.map((note) => (
        <Section key={note.title} title={`Notes: ${note.title}`}>
          <Box component="ol" sx={{ m: 0, pl: 2.5, fontSize: "0.84rem", "& li": { mb: 0.5 } }}>
            {note.lines.map((line) => (
              <li key={line}>{line}</li>
            ))}
          </Box>
        </Section>
      ))}
    </>
  );
}
