import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import type { CsvMapping } from "#core/telemetry/csv-map";
import { WideColumns } from "./WideColumns";

interface MappingProps {
  head: readonly string[];
  mapping: CsvMapping;
  onChange: (mapping: CsvMapping) => void;
}

/** The other layout of a file, with what is known of it already. */
const inLayout = (form: string, head: readonly string[], { time, unit }: CsvMapping): CsvMapping =>
  form === "long"
    ? { form, time, metric: Math.min(1, head.length - 1), value: head.length - 1, instance: null, unit }
    : { form: "wide", time, values: [], unit };

/** Which columns of a file are instants, names and values. */
export function Mapping({ head, mapping, onChange }: MappingProps) {
  const names = head.map((name, column) => name || `column ${column + 1}`);
  return (
    <Stack sx={{ gap: 1.5 }}>
      <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap" }}>
        <TextField
          select
          label="Layout"
          value={mapping.form}
          onChange={(event) => onChange(inLayout(event.target.value, head, mapping))}
          sx={{ width: 230 }}
        >
          <MenuItem value="wide">one column per series</MenuItem>
          <MenuItem value="long">one row per sample</MenuItem>
        </TextField>
        <Column
          names={names}
          label="Timestamps"
          value={mapping.time}
          onPick={(time) => onChange({ ...mapping, time })}
        />
        {mapping.form === "long" ? <LongColumns names={names} mapping={mapping} onChange={onChange} /> : null}
      </Stack>
      {mapping.form === "wide" ? <WideColumns names={names} mapping={mapping} onChange={onChange} /> : null}
    </Stack>
  );
}

function LongColumns({
  names,
  mapping,
  onChange,
}: {
  names: readonly string[];
  mapping: Extract<CsvMapping, { form: "long" }>;
  onChange: (mapping: CsvMapping) => void;
}) {
  return (
    <>
      <Column
        names={names}
        label="Metric name"
        value={mapping.metric}
        onPick={(metric) => onChange({ ...mapping, metric })}
      />
      <Column names={names} label="Value" value={mapping.value} onPick={(value) => onChange({ ...mapping, value })} />
      <Column
        names={names}
        label="Instance"
        value={mapping.instance ?? -1}
        onPick={(instance) => onChange({ ...mapping, instance: instance < 0 ? null : instance })}
        none="none"
      />
    </>
  );
}

function Column({
  names,
  label,
  value,
  onPick,
  none,
}: {
  names: readonly string[];
  label: string;
  value: number;
  onPick: (column: number) => void;
  /** Word for no column, where that is a choice; it counts as -1. */
  none?: string;
}) {
  return (
    <TextField
      select
      label={label}
      value={value}
      onChange={(event) => onPick(Number(event.target.value))}
      sx={{ width: 190 }}
      slotProps={{ inputLabel: { shrink: true }, select: { displayEmpty: true } }}
    >
      {none ? <MenuItem value={-1}>{none}</MenuItem> : null}
      {names.map((name, index) => (
        <MenuItem key={index} value={index}>
          {name}
        </MenuItem>
      ))}
    </TextField>
  );
}
