import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { useMemo } from "react";
import type { Draft } from "#core/repair/edit";
import { fieldText, fieldValue, stepFields, type StepField } from "#core/repair/step-fields";
import type { StepType } from "#core/repair/steps/registry";
import { MONO } from "../../theme/theme";

/** The form of one step, made from the schema of its kind. */
export function StepForm({ step, onChange }: { step: Draft; onChange: (step: Draft) => void }) {
  const fields = useMemo(() => stepFields(step.type as StepType), [step.type]);
  const set = (field: StepField, text: string) => {
    const next: Draft = { ...step };
    const value = fieldValue(field, text);
    if (value === undefined && field.optional) delete next[field.name];
    else next[field.name] = value ?? "";
    onChange(next);
  };
  return (
    <Stack sx={{ gap: 1.25, mt: 1 }}>
      {fields.map((field) => (
        <StepInput
          key={field.name}
          field={field}
          text={fieldText(field, step[field.name])}
          onChange={(text) => set(field, text)}
        />
      ))}
    </Stack>
  );
}

const HELP: Readonly<Partial<Record<StepField["type"], string>>> = {
  words: "One word a line; {{name}} stands for a parameter.",
  numbers: "Separated by commas.",
  json: "As JSON.",
};

function StepInput({ field, text, onChange }: { field: StepField; text: string; onChange: (text: string) => void }) {
  const isLong = field.type === "lines" || field.type === "words";
  const isCode = isLong || field.type === "json";
  return (
    <TextField
      label={field.unit ? `${field.label} (${field.unit})` : field.label}
      value={field.type === "choice" && text === "" ? (field.choices[0]?.value ?? "") : text}
      onChange={(event) => onChange(event.target.value)}
      helperText={HELP[field.type]}
      fullWidth={field.type === "text" || isCode}
      sx={field.type === "number" || field.type === "choice" ? { width: 260 } : {}}
      {...(isLong ? { multiline: true, minRows: 2, maxRows: 10 } : {})}
      {...(field.type === "choice" ? { select: true } : {})}
      {...(isCode
        ? { slotProps: { htmlInput: { spellCheck: false, style: { fontFamily: MONO, fontSize: "0.8rem" } } } }
        : {})}
    >
      {field.type === "choice"
        ? field.choices.map((one) => (
            <MenuItem key={one.value} value={one.value}>
              {one.label}
            </MenuItem>
          ))
        : null}
    </TextField>
  );
}
