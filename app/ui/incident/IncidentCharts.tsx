import Box from "@mui/material/Box";
import Stack from "@mui/material/Stack";
import { clockTime } from "#core/time/windows";
import { ChartCard } from "../charts/ChartCard";
import { KeepLink } from "../KeepLink";
import { Section } from "../Page";
import { spanOf, type IncidentData } from "./page";

/** What was measured around the incident. */
export function IncidentCharts({ page }: { page: IncidentData }) {
  const { incident, suspect } = page;
  const span = spanOf(page);
  return (
    <Section
      title={`Charts (from 15 min before), ${clockTime(page.fromMs)} to ${clockTime(page.toMs)}`}
      aside={
        suspect ? (
          <Stack direction="row" sx={{ gap: 1.5 }}>
            <KeepLink to={`/signals/logs?component=${suspect.componentId}&${span}`}>Logs</KeepLink>
            <KeepLink to={`/estate/${suspect.componentId}?${span}`}>All of {suspect.name}</KeepLink>
          </Stack>
        ) : null
      }
    >
      <Box sx={{ display: "grid", gap: 1, gridTemplateColumns: "repeat(2, minmax(0, 1fr))" }}>
        {page.charts.map((chart) => (
          <ChartCard key={chart.seriesId} chart={chart} incidentId={incident.id} showOwner height={118} />
        ))}
      </Box>
    </Section>
  );
}
