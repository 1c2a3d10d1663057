import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import type { Overlay } from "#server/pages/overlay";
import { applyChanges, useChangeParams } from "../shell/params";

const NAMES: Readonly<Record<Overlay, string>> = {
  none: "nothing",
  day: "previous day",
  week: "previous week",
  seven: "mean of the previous 7 days",
};

/** Chooses what of another time is laid over the drawings of a page; the choice stands in the address. */
export function OverlayPicker({ value, width = 250 }: { value: Overlay; width?: number }) {
  const change = useChangeParams();
  return (
    <TextField
      select
      label="Compare with"
      value={value}
      onChange={(event) =>
        change((next) => applyChanges(next, { over: event.target.value === "none" ? "" : event.target.value }))
      }
      sx={{ width }}
    >
      {Object.entries(NAMES).map(([key, name]) => (
        <MenuItem key={key} value={key}>
          {name}
        </MenuItem>
      ))}
    </TextField>
  );
}
