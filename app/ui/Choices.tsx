import Autocomplete from "@mui/material/Autocomplete";
import TextField from "@mui/material/TextField";

/** Several of a list, found by typing; none means any. */
export function Choices<T>({
  label,
  options,
  value,
  onChange,
  keyOf,
  nameOf,
  groupOf,
  help,
  problem,
}: {
  label: string;
  options: readonly T[];
  value: readonly string[];
  onChange: (keys: string[]) => void;
  keyOf: (one: T) => string;
  nameOf: (one: T) => string;
  groupOf?: (one: T) => string;
  help?: string | undefined;
  problem?: string | undefined;
}) {
  return (
    <Autocomplete
      multiple
      size="small"
      options={[...options]}
      value={options.filter((one) => value.includes(keyOf(one)))}
      onChange={(_, chosen) => onChange(chosen.map(keyOf))}
      getOptionLabel={nameOf}
      getOptionKey={keyOf}
      isOptionEqualToValue={(a, b) => keyOf(a) === keyOf(b)}
      {...(groupOf ? { groupBy: groupOf } : {})}
      renderInput={(params) => (
        <TextField {...params} label={label} error={problem !== undefined} helperText={problem ?? help} />
      )}
      sx={{ flex: 1, minWidth: 260 }}
    />
  );
}
