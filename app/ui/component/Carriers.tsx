import Box from "@mui/material/Box";
import { kindInfo } from "#core/catalogue/kinds";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { ChartCard } from "../charts/ChartCard";
import { KeepLink } from "../KeepLink";
import { Section } from "../Page";
import { SeverityMark } from "../SeverityMark";
import type { ComponentData } from "./page";

/** What a component runs on, with its figures at the same instant. */
export function Carriers({ page }: { page: ComponentData }) {
  return (
    <>
      {page.carriers.map((carrier) => (
        <Section
          key={carrier.id}
          title={`${kindInfo(carrier.kind).label} it ${carrier.how === "stored on" ? "is stored" : "runs"} ${carrier.kind === "platform.region" || carrier.how === "runs in" ? "in" : "on"}, at the same instant`}
          aside={<KeepLink to={`/estate/${carrier.id}`}>{carrier.name}</KeepLink>}
        >
          <Stack direction="row" sx={{ gap: 0.75, alignItems: "center", mb: carrier.charts.length ? 1 : 0 }}>
            <SeverityMark severity={carrier.severity} size={16} />
            <Typography variant="body2">
              {carrier.name} is {carrier.severity === "cleared" ? "well" : carrier.severity}
              {carrier.reason ? `: ${carrier.reason}` : ""}.
            </Typography>
          </Stack>
          {carrier.charts.length ? (
            <Box sx={{ display: "grid", gap: 1, gridTemplateColumns: "repeat(auto-fill, minmax(300px, 1fr))" }}>
              {carrier.charts.map((chart) => (
                <ChartCard key={chart.seriesId} chart={chart} height={96} />
              ))}
            </Box>
          ) : null}
        </Section>
      ))}
    </>
  );
}
