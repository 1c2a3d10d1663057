import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import type { Limits } from "#core/repair/guardrails";
import { HoursField } from "../HoursField";
import { Figure } from "./fields";

/** What holds an automatic act back. */
export function GuardrailFields({
  limits,
  onChange,
  problems,
  withTries = true,
}: {
  limits: Limits;
  /** Whether it acts for incidents, and gives up. */
  withTries?: boolean;
  onChange: (limits: Limits) => void;
  problems: Readonly<Record<string, string>>;
}) {
  const limit = <Key extends keyof Limits>(key: Key, value: Limits[Key]) => onChange({ ...limits, [key]: value });
  const anHour = (key: keyof typeof limits.mostAnHour, label: string) => (
    <Figure
      label={label}
      value={limits.mostAnHour[key]}
      onChange={(value) => limit("mostAnHour", { ...limits.mostAnHour, [key]: value })}
      problem={problems[`limits.mostAnHour.${key}`]}
    />
  );
  return (
    <>
      <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap" }}>
        {anHour("runbook", "An hour: of this runbook")}
        {anHour("component", "An hour: on one component")}
        {anHour("service", "An hour: on one service")}
        {anHour("estate", "An hour: in the estate")}
      </Stack>
      <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap" }}>
        <Figure label="Stand-ins left well" value={limits.leaveWell} onChange={(value) => limit("leaveWell", value)} />
        <Figure
          label="Of a service at most (%)"
          value={limits.mostOfServicePercent}
          onChange={(value) => limit("mostOfServicePercent", value)}
        />
        <Figure
          label="Well services it may down"
          value={limits.mostHurt}
          onChange={(value) => limit("mostHurt", value)}
        />
        <Figure
          label="Cool-down (min)"
          value={limits.coolDownMinutes}
          onChange={(value) => limit("coolDownMinutes", value)}
        />
        {withTries ? (
          <Figure label="Tries, then give up" value={limits.tries} onChange={(value) => limit("tries", value)} />
        ) : null}
        <Figure
          label="Known for at least (h)"
          value={limits.knownHours}
          onChange={(value) => limit("knownHours", value)}
        />
      </Stack>
      <HoursField
        label="Only in these hours"
        value={limits.hours}
        onChange={(hours) => limit("hours", hours && { ...hours, days: [...hours.days] })}
      />
      <TextField
        label="Not during the events of this calendar"
        value={limits.notDuring}
        onChange={(event) => limit("notDuring", event.target.value)}
        placeholder="BEGIN:VCALENDAR …"
        multiline
        maxRows={6}
        helperText="iCalendar (RFC 5545): freezes, holidays, the night of the accounts"
        slotProps={{ inputLabel: { shrink: true } }}
      />
      {Object.keys(problems).some((key) => key.startsWith("limits")) ? (
        <p className="hx-field-problem">{Object.entries(problems).find(([key]) => key.startsWith("limits"))?.[1]}</p>
      ) : null}
    </>
  );
}
