import Box from "@mui/material/Box";
import MenuItem from "@mui/material/MenuItem";
import Select from "@mui/material/Select";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";

import { dayAndTime, spokenDuration } from "#core/time/windows";
import { formatValue, valueParts } from "#core/units/format";
import type { Route } from "./+types/watch";
import { useChangeParams } from "../shell/params";
import { useShell } from "../shell/window";
import { windowOf } from "../shell/window.server";
import { ChangeList } from "../ui/ChangeList";
import { KeepLink } from "../ui/KeepLink";
import { Caption, Empty, PageHead, Section, Row } from "../ui/Page";
import { SeverityMark } from "../ui/SeverityMark";
import { Trend } from "../ui/charts/Trend";
import { VolumeChart } from "../ui/charts/VolumeChart";

export const meta: Route.MetaFunction = () => [{ title: "Watch · Holotaxis" }];

export async function loader({ request, context }: Route.LoaderArgs) {
  const window = windowOf(request, context.now());
  const volumeOf = (new URL(request.url).searchParams.get("volume") ?? "").slice(0, 60);
  const usual = new URL(request.url).searchParams.get("usual") === "days" ? "days" : "weekday";
  return { atMs: window.atMs, ...(await context.ask("watch", { atMs: window.atMs, volumeOf, usual })) };
}

type Service = Route.ComponentProps["loaderData"]["services"][number];

export default function Watch({ loaderData: page }: Route.ComponentProps) {
  return (
    <>
      <PageHead name="Watch" sentence={page.sentence} />
      <Box sx={{ display: "grid", gap: 1.5, gridTemplateColumns: "minmax(0, 1fr) 340px", alignItems: "start" }}>
        <Stack sx={{ gap: 1.5, minWidth: 0 }}>
          <Box
            component="ul"
            aria-label="Services"
            sx={{
              display: "grid",
              gap: 1,
              gridTemplateColumns: "repeat(auto-fill, minmax(208px, 1fr))",
              p: 0,
              m: 0,
              listStyle: "none",
            }}
          >
            {page.services.map((service) => (
              <ServiceCard key={service.id} service={service} atMs={page.atMs} />
            ))}
          </Box>
          {page.services.length === 0 ? (
            <Empty>No services defined yet. They come from a set-up file; see Setup › Services.</Empty>
          ) : null}
          {page.volume ? <Volume volume={page.volume} choices={page.volumeChoices} /> : null}
        </Stack>
        <Stack sx={{ gap: 1.5, minWidth: 0 }}>
          <Section
            title={`Open incidents${page.openCount ? `: ${page.openCount}` : ""}`}
            aside={<KeepLink to="/incidents">All</KeepLink>}
          >
            {page.incidents.length === 0 ? (
              <Empty>None open. Resolved ones are under Incidents.</Empty>
            ) : (
              <ul className="hx-list">
                {page.incidents.map((incident) => (
                  <li key={incident.id} className="hx-row" style={{ alignItems: "flex-start" }}>
                    <SeverityMark severity={incident.severity} />
                    <div>
                      <KeepLink to={`/incidents/${incident.id}`} text strong>
                        {incident.title}
                      </KeepLink>
                      <Caption>
                        since {dayAndTime(incident.openedAt, page.atMs)},{" "}
                        {spokenDuration(page.atMs - incident.openedAt)} ·{" "}
                        {incident.takenBy ? `taken by ${incident.takenBy}` : "not taken"}
                      </Caption>
                    </div>
                  </li>
                ))}
                {page.openCount > page.incidents.length ? (
                  <li>
                    <KeepLink to="/incidents?state=open">and {page.openCount - page.incidents.length} more</KeepLink>
                  </li>
                ) : null}
              </ul>
            )}
          </Section>
          <Section title="Recent changes">
            <ChangeList changes={page.changes} nowMs={page.atMs} empty="No change in the last seven days." />
          </Section>
        </Stack>
      </Box>
    </>
  );
}

function ServiceCard({ service, atMs }: { service: Service; atMs: number }) {
  const { figure, severity } = service;
  const [number, unit] = valueParts(figure?.value, figure?.unit ?? "");
  const well = severity === "cleared";
  return (
    <li className="hx-card" style={borderOf(service)}>
      <Row>
        <SeverityMark severity={severity} />
        <KeepLink to={`/services/${service.uid}`} text strong clip>
          {service.name}
        </KeepLink>
      </Row>
      {figure ? (
        <div className="hx-card-figure">
          <div>
            <p className="hx-large hx-clip">
              {number} <span>{unit}</span>
            </p>
            <p className="hx-caption hx-clip">{figure.label}</p>
          </div>
          <Trend values={figure.trend} width={72} />
        </div>
      ) : (
        <Caption>no business figure</Caption>
      )}
      <p className="hx-caption hx-two-lines" style={well ? undefined : { color: "var(--mui-palette-text-primary)" }}>
        {service.relies !== null
          ? `does as usual, relies on something unwell: ${service.relies}`
          : well
            ? figure
              ? figure.usual
                ? `usual at this hour: ${formatValue(figure.usual.value, figure.unit)} (${figure.usual.words})`
                : "no past to compare with yet"
              : service.purpose
            : `${service.reason} · ${service.sinceMs ? `for ${spokenDuration(atMs - service.sinceMs)}` : ""}`}
      </p>
    </li>
  );
}

/** Hurt has an unbroken edge, relying on something unwell a broken one. */
function borderOf({ severity, relies }: Service) {
  if (severity !== "cleared") return { border: `1.5px solid var(--hx-${severity})` };
  return relies === null ? undefined : { border: "1.5px dashed var(--hx-warning)" };
}

/** A choice that stands in the address. */
function Choice({
  name,
  label,
  value,
  choices,
}: {
  name: string;
  label: string;
  value: string;
  choices: readonly (readonly [string, string])[];
}) {
  const change = useChangeParams();
  return (
    <Select
      variant="standard"
      disableUnderline
      value={value}
      onChange={(event) => change((params) => params.set(name, event.target.value))}
      inputProps={{ "aria-label": label }}
      sx={{ fontSize: "0.8rem" }}
    >
      {choices.map(([one, text]) => (
        <MenuItem key={one} value={one} dense>
          {text}
        </MenuItem>
      ))}
    </Select>
  );
}

function Volume({
  volume,
  choices,
}: {
  volume: NonNullable<Route.ComponentProps["loaderData"]["volume"]>;
  choices: { uid: string; label: string }[];
}) {
  const { window: now } = useShell();
  const done = volume.hours.filter(
    (hour) => hour.today !== null && hour.usual !== null && hour.hour < new Date(now.atMs).getUTCHours(),
  );
  const today = done.reduce((sum, hour) => sum + (hour.today ?? 0), 0);
  const usual = done.reduce((sum, hour) => sum + (hour.usual ?? 0), 0);
  const share = usual > 0 ? Math.round((today / usual) * 100) : null;
  const counted = volume.unit === "1/h";
  return (
    <Section
      title={`Today's ${volume.label}, hour by hour`}
      aside={
        <Stack direction="row" sx={{ gap: 2 }}>
          <Choice
            name="volume"
            label="Business figure shown"
            value={volume.uid}
            choices={choices.map((one) => [one.uid, one.label])}
          />
          <Choice
            name="usual"
            label="Compare with"
            value={volume.basis}
            choices={[
              ["weekday", "same weekday"],
              ["days", "past 7 days"],
            ]}
          />
        </Stack>
      }
    >
      <Typography variant="body2" sx={{ mb: 1 }}>
        {share === null
          ? "Not enough history yet to compare today with."
          : counted
            ? `${Math.round(today).toLocaleString("en-GB")} ${volume.label} in the ${done.length} full hours of today, ${share} % of the ${Math.round(usual).toLocaleString("en-GB")} in the same hours of ${volume.usualOf}.`
            : `Over the ${done.length} full hours of today the mean is ${formatValue(today / done.length, volume.unit)}; in the same hours of ${volume.usualOf} it was ${formatValue(usual / done.length, volume.unit)}.`}
      </Typography>
      <VolumeChart volume={volume} />
    </Section>
  );
}
