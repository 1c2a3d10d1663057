import TextField from "@mui/material/TextField";
import type { ReactNode } from "react";

/** One of several, or any. */
export function Choice({
  label,
  width,
  value,
  onChange,
  children,
}: {
  label: string;
  width: number;
  value: string;
  onChange: (value: string) => void;
  children: ReactNode;
}) {
  return (
    <TextField
      select
      label={label}
      value={value}
      onChange={(event) => onChange(event.target.value)}
      sx={{ width }}
      slotProps={{ inputLabel: { shrink: true }, select: { displayEmpty: true } }}
    >
      {children}
    </TextField>
  );
}
