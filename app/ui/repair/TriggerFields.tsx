import Autocomplete from "@mui/material/Autocomplete";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import ToggleButton from "@mui/material/ToggleButton";
import ToggleButtonGroup from "@mui/material/ToggleButtonGroup";
import type { ReactNode } from "react";
import type { Trigger, TriggerType } from "#core/repair/triggers/registry";
import { DAY_NAMES } from "#core/telling/week-hours";
import { Figure } from "./fields";

interface Part<One> {
  trigger: One;
  onChange: (trigger: One) => void;
  problems: Readonly<Record<string, string>>;
  metrics: readonly { metric: string; label: string; unit: string }[];
}
type Of<Type extends TriggerType> = Extract<Trigger, { type: Type }>;

function Times({ trigger, onChange, problems }: Part<Of<"times">>) {
  return (
    <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap", alignItems: "flex-start" }}>
      <TextField
        select
        label="In"
        value={trigger.weeks}
        onChange={(event) => onChange({ ...trigger, weeks: event.target.value as typeof trigger.weeks })}
        sx={{ width: 190 }}
      >
        <MenuItem value="every">every week</MenuItem>
        <MenuItem value="first">the first of a month</MenuItem>
        <MenuItem value="last">the last of a month</MenuItem>
      </TextField>
      <ToggleButtonGroup
        size="small"
        color="primary"
        value={[...trigger.days]}
        onChange={(_, days: number[]) => onChange({ ...trigger, days: days.sort((a, b) => a - b) })}
        aria-label="Days"
      >
        {DAY_NAMES.map((name, index) => (
          <ToggleButton key={name} value={index + 1} sx={{ textTransform: "none", px: 1 }}>
            {name}
          </ToggleButton>
        ))}
      </ToggleButtonGroup>
      <TextField
        label="At"
        value={trigger.at}
        placeholder="02:30"
        onChange={(event) => onChange({ ...trigger, at: event.target.value.trim() })}
        error={problems["trigger.at"] !== undefined}
        helperText={problems["trigger.at"]}
        sx={{ width: 100 }}
        slotProps={{ inputLabel: { shrink: true }, htmlInput: { maxLength: 5, inputMode: "numeric" } }}
      />
      <TextField
        label="Time zone"
        value={trigger.zone}
        onChange={(event) => onChange({ ...trigger, zone: event.target.value.trim() })}
        error={problems["trigger.zone"] !== undefined}
        helperText={problems["trigger.zone"] ?? "UTC, or as Europe/Lisbon"}
        sx={{ width: 220 }}
      />
      {problems["trigger.days"] ? <p className="hx-field-problem">{problems["trigger.days"]}</p> : null}
    </Stack>
  );
}

function FigurePast({ trigger, onChange, problems, metrics }: Part<Of<"figure">>) {
  return (
    <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap", alignItems: "flex-start" }}>
      <Autocomplete
        size="small"
        options={[...metrics]}
        value={metrics.find((one) => one.metric === trigger.metric) ?? null}
        onChange={(_, one) => onChange({ ...trigger, metric: one?.metric ?? "" })}
        getOptionLabel={(one) => one.label}
        getOptionKey={(one) => one.metric}
        isOptionEqualToValue={(a, b) => a.metric === b.metric}
        renderInput={(params) => (
          <TextField
            {...params}
            label="Figure"
            error={problems["trigger.metric"] !== undefined}
            helperText={problems["trigger.metric"]}
          />
        )}
        sx={{ width: 300 }}
      />
      <TextField
        label="Of"
        value={trigger.instance}
        onChange={(event) => onChange({ ...trigger, instance: event.target.value.trim() })}
        helperText="As /var; each while it is empty"
        sx={{ width: 200 }}
      />
      <TextField
        select
        label="Is"
        value={trigger.is}
        onChange={(event) => onChange({ ...trigger, is: event.target.value as typeof trigger.is })}
        sx={{ width: 110 }}
      >
        <MenuItem value="above">above</MenuItem>
        <MenuItem value="below">below</MenuItem>
      </TextField>
      <Figure
        label="Limit"
        value={trigger.value}
        onChange={(value) => onChange({ ...trigger, value })}
        problem={problems["trigger.value"]}
      />
      <Figure
        label="For (min)"
        value={trigger.forMinutes}
        onChange={(forMinutes) => onChange({ ...trigger, forMinutes })}
        problem={problems["trigger.forMinutes"]}
      />
    </Stack>
  );
}

const Certificate = ({ trigger, onChange, problems }: Part<Of<"certificate">>) => (
  <Figure
    label="Days left"
    value={trigger.daysLeft}
    onChange={(daysLeft) => onChange({ ...trigger, daysLeft })}
    problem={problems["trigger.daysLeft"]}
  />
);

/** The fields of a kind of trigger; a new one is a line here. */
const FIELDS: { readonly [Type in TriggerType]: (part: Part<Of<Type>>) => ReactNode } = {
  times: Times,
  figure: FigurePast,
  certificate: Certificate,
};

/** What lets a chore come due. */
export function TriggerFields(part: Part<Trigger>) {
  const Fields = FIELDS[part.trigger.type] as (part: Part<Trigger>) => ReactNode;
  return <Fields {...part} />;
}
