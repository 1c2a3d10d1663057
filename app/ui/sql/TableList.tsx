import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { MONO } from "../../theme/theme";
import { Section } from "../Page";

interface View {
  name: string;
  /** What it has to be given, where it is a function. */
  takes: string | null;
  about: string;
  columns: readonly (readonly [name: string, ...rest: unknown[]])[];
}

/** What can be queried: tables with their columns. */
export function TableList({ views }: { views: readonly View[] }) {
  return (
    <Section title="Tables and columns">
      <Box
        component="dl"
        sx={{
          m: 0,
          fontSize: "0.8rem",
          "& dt": { fontFamily: MONO, fontWeight: 600, mt: 0.75 },
          "& dd": { m: 0 },
        }}
      >
        {views.map((view) => (
          <Box key={view.name}>
            <dt>{view.takes ? `${view.name}(${view.takes})` : view.name}</dt>
            <dd>
              {view.about}
              <Typography component="span" variant="caption" sx={{ display: "block", color: "text.secondary" }}>
                {view.columns.map(([name]) => name).join(", ")}
              </Typography>
            </dd>
          </Box>
        ))}
      </Box>
    </Section>
  );
}
