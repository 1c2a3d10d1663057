import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import type { Field } from "#core/forms/field";

/** One field of a form that is made from a schema; a sentence of the server stands where its help does. */
export function SchemaField({ field, problem }: { field: Field; problem: string | undefined }) {
  if (field.type === "boolean")
    return (
      <FormControlLabel
        control={<Switch name={field.name} defaultChecked={field.value === "true"} />}
        label={field.help ? `${field.label}: ${field.help}` : field.label}
      />
    );
  return (
    <TextField
      name={field.name}
      label={field.label}
      defaultValue={field.value}
      error={problem !== undefined}
      helperText={problem ?? field.help}
      fullWidth={field.type === "text" || field.type === "lines"}
      sx={field.type === "number" || field.type === "choice" ? { width: 240 } : {}}
      {...(field.type === "lines" ? { multiline: true, minRows: 2 } : {})}
      {...(field.type === "choice" ? { select: true } : {})}
      {...(field.type === "number" ? { slotProps: { htmlInput: { inputMode: "numeric" as const } } } : {})}
    >
      {field.type === "choice"
        ? field.choices.map((choice) => (
            <MenuItem key={choice.value} value={choice.value}>
              {choice.label}
            </MenuItem>
          ))
        : null}
    </TextField>
  );
}
