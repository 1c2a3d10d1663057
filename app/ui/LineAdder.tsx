import Autocomplete from "@mui/material/Autocomplete";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useEffect, useState } from "react";
import { useFetcher } from "react-router";
import type { SeriesChoice } from "#server/pages/metrics";

/** Finds series, and groups of them, by a few letters of anything. */
export function LineAdder({ onAdd }: { onAdd: (selection: string) => void }) {
  const [text, setText] = useState("");
  const fetcher = useFetcher<SeriesChoice[]>();
  const { load } = fetcher;
  useEffect(() => {
    if (!text.trim()) return;
    const timer = setTimeout(() => void load(`/signals/choices?q=${encodeURIComponent(text.trim())}`), 120);
    return () => clearTimeout(timer);
  }, [text, load]);
  const choices = text.trim() ? (fetcher.data ?? []) : [];
  return (
    <Autocomplete
      sx={{ flex: 1, minWidth: 260 }}
      size="small"
      options={choices}
      filterOptions={(all) => all}
      getOptionLabel={(choice) => choice.label}
      getOptionKey={(choice) => choice.selection}
      isOptionEqualToValue={(a, b) => a.selection === b.selection}
      value={null}
      inputValue={text}
      onInputChange={(_event, value, reason) => {
        if (reason !== "reset") setText(value);
      }}
      onChange={(_event, choice) => {
        if (!choice) return;
        onAdd(choice.selection);
        setText("");
      }}
      blurOnSelect
      clearOnBlur={false}
      forcePopupIcon={false}
      autoHighlight
      loading={fetcher.state !== "idle"}
      noOptionsText={text.trim() ? "No metric matches." : "Type a few letters: memory parse, disk south, latency …"}
      renderOption={({ key, ...props }, choice) => (
        <li key={key} {...props} style={{ display: "flex", gap: 12, fontSize: "0.86rem" }}>
          <span style={{ flex: 1 }}>{choice.label}</span>
          <Typography component="span" variant="caption" sx={{ color: "text.secondary" }}>
            {choice.detail}
          </Typography>
        </li>
      )}
      renderInput={(props) => (
        <TextField {...props} label="Add a line" placeholder="memory parse, disk south, latency …" />
      )}
    />
  );
}
