import FormControlLabel from "@mui/material/FormControlLabel";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import ToggleButton from "@mui/material/ToggleButton";
import ToggleButtonGroup from "@mui/material/ToggleButtonGroup";
import { DAY_NAMES, type WeekHours } from "#core/telling/week-hours";

const USUAL: WeekHours = { days: [1, 2, 3, 4, 5], from: "08:00", to: "18:00" };

/** Hours of the week, or none. */
export function HoursField({
  label,
  value,
  onChange,
  problem,
}: {
  label: string;
  value: WeekHours | null;
  onChange: (hours: WeekHours | null) => void;
  problem?: string | undefined;
}) {
  return (
    <fieldset className="hx-fields">
      <FormControlLabel
        control={<Switch checked={value !== null} onChange={(_, on) => onChange(on ? USUAL : null)} />}
        label={label}
      />
      {value ? (
        <Stack direction="row" sx={{ gap: 1.5, alignItems: "flex-start", flexWrap: "wrap" }}>
          <ToggleButtonGroup
            size="small"
            color="primary"
            value={[...value.days]}
            onChange={(_, days: number[]) => onChange({ ...value, days: days.sort((a, b) => a - b) })}
            aria-label={`Days: ${label}`}
          >
            {DAY_NAMES.map((name, index) => (
              <ToggleButton key={name} value={index + 1} sx={{ textTransform: "none", px: 1 }}>
                {name}
              </ToggleButton>
            ))}
          </ToggleButtonGroup>
          <Clock label="From" value={value.from} onChange={(from) => onChange({ ...value, from })} />
          <Clock label="To" value={value.to} onChange={(to) => onChange({ ...value, to })} />
        </Stack>
      ) : null}
      {problem ? <p className="hx-field-problem">{problem}</p> : null}
    </fieldset>
  );
}

function Clock({ label, value, onChange }: { label: string; value: string; onChange: (text: string) => void }) {
  return (
    <TextField
      label={label}
      value={value}
      placeholder="08:00"
      onChange={(event) => onChange(event.target.value.trim())}
      sx={{ width: 84 }}
      slotProps={{ inputLabel: { shrink: true }, htmlInput: { maxLength: 5, inputMode: "numeric" } }}
    />
  );
}
