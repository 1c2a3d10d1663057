import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useEffect, useState } from "react";
import { columnsOf, USUAL_COLUMNS, type Asked } from "../../shell/estate-filter";
import { BUILT_IN, columnOf } from "./columns";

const GROUPS = ["kind", "site", "owner", "environment", "tier", "tag", "source", "health"];
const MOST_COLUMNS = 12;

/** Which columns are shown, and by what the list is grouped; facts are among both. */
export function Shown({
  asked,
  factNames,
  onChange,
}: {
  asked: Asked;
  factNames: readonly string[];
  onChange: (changes: Record<string, string>) => void;
}) {
  const facts = factNames.map((name) => `fact:${name}`);
  // Several are ticked before the list is asked for anew.
  const [columns, setColumns] = useState(columnsOf(asked));
  useEffect(() => setColumns(columnsOf({ cols: asked.cols })), [asked.cols]);
  const settle = () => {
    const text = columns.join(",") === USUAL_COLUMNS.join(",") ? "" : columns.join(",");
    if (text !== asked.cols) onChange({ cols: text });
  };
  return (
    <>
      <TextField
        select
        label="Columns"
        value={columns}
        onChange={(event) => setColumns((event.target.value as unknown as string[]).slice(0, MOST_COLUMNS))}
        sx={{ width: 120 }}
        slotProps={{
          inputLabel: { shrink: true },
          select: { multiple: true, onClose: settle, renderValue: (ids) => `${(ids as string[]).length} shown` },
        }}
      >
        {[...BUILT_IN, ...facts].map((id) => (
          <MenuItem key={id} value={id} dense>
            {columnOf(id).name}
            {id.startsWith("fact:") ? " (fact)" : ""}
          </MenuItem>
        ))}
      </TextField>
      <TextField
        select
        label="Group by"
        value={asked.group}
        onChange={(event) => onChange({ group: event.target.value })}
        sx={{ width: 140 }}
        slotProps={{ inputLabel: { shrink: true }, select: { displayEmpty: true } }}
      >
        <MenuItem value="">nothing</MenuItem>
        {[...GROUPS, ...facts].map((id) => (
          <MenuItem key={id} value={id} dense>
            {id.startsWith("fact:") ? `${id.slice("fact:".length)} (fact)` : id}
          </MenuItem>
        ))}
      </TextField>
    </>
  );
}
