import TextField from "@mui/material/TextField";
import { useState } from "react";

const lines = (text: string) => text.split(/[\s,]+/).filter(Boolean);

/** Several words or patterns, written one after the other. */
export function Words({
  label,
  value,
  onChange,
  help,
  problem,
}: {
  label: string;
  value: readonly string[];
  onChange: (value: string[]) => void;
  help?: string;
  problem?: string | undefined;
}) {
  const [text, setText] = useState(value.join(", "));
  return (
    <TextField
      label={label}
      value={text}
      onChange={(event) => {
        setText(event.target.value);
        onChange(lines(event.target.value));
      }}
      error={problem !== undefined}
      helperText={problem ?? help}
      sx={{ flex: 1, minWidth: 220 }}
    />
  );
}

/** A number; NaN while the field is empty, which the server refuses with a sentence. */
export function Figure({
  label,
  value,
  onChange,
  problem,
}: {
  label: string;
  value: number;
  onChange: (value: number) => void;
  problem?: string | undefined;
}) {
  return (
    <TextField
      label={label}
      type="number"
      value={Number.isNaN(value) ? "" : value}
      onChange={(event) => onChange(event.target.value === "" ? Number.NaN : Number(event.target.value))}
      error={problem !== undefined}
      helperText={problem}
      sx={{ width: 190 }}
    />
  );
}
