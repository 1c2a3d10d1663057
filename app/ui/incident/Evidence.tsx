import Typography from "@mui/material/Typography";
import { Link as RouterLink } from "react-router";
import { clockTime } from "#core/time/windows";
import { Empty, Section } from "../Page";
import type { IncidentData } from "./page";

/** Charts and maps pinned to the incident, each with its window. */
export function Evidence({ page }: { page: IncidentData }) {
  return (
    <Section title={`Evidence: ${page.evidence.length}`}>
      {page.evidence.length ? (
        page.evidence.map((one) => (
          <Typography key={one.id} variant="body2" sx={{ mb: 0.5 }}>
            <RouterLink to={one.address} className="hx-link">
              {one.title}
            </RouterLink>
            <Typography variant="caption" component="span" sx={{ color: "text.secondary", display: "block" }}>
              {one.kind}, {clockTime(one.from_at)} to {clockTime(one.to_at)}, pinned by {one.pinned_by}
            </Typography>
          </Typography>
        ))
      ) : (
        <Empty>No evidence yet. Pin a chart or the map.</Empty>
      )}
    </Section>
  );
}
