import Autocomplete from "@mui/material/Autocomplete";
import TextField from "@mui/material/TextField";
import { useEffect, useState } from "react";
import { useFetcher } from "react-router";
import type { Answer } from "#server/pages/registry";

export interface PickedComponent {
  id: number;
  name: string;
}

/** Chooses a component by a few letters of its name. */
export function ComponentPicker({
  label,
  value,
  onPick,
  width = 280,
}: {
  label: string;
  value: PickedComponent | null;
  onPick: (component: PickedComponent | null) => void;
  width?: number;
}) {
  const [text, setText] = useState("");
  const fetcher = useFetcher<Answer<"find">>();
  const { load } = fetcher;
  useEffect(() => {
    if (text.trim().length < 1) return;
    const timer = setTimeout(() => void load(`/find?q=${encodeURIComponent(text.trim())}`), 150);
    return () => clearTimeout(timer);
  }, [text, load]);
  return (
    <Autocomplete
      sx={{ width }}
      size="small"
      options={(fetcher.data?.components ?? []).map(({ id, name }) => ({ id, name }))}
      getOptionLabel={(option) => option.name}
      getOptionKey={(option) => option.id}
      isOptionEqualToValue={(a, b) => a.id === b.id}
      filterOptions={(all) => all}
      value={value}
      onChange={(_event, picked) => onPick(picked)}
      onInputChange={(_event, typed) => setText(typed)}
      noOptionsText={text ? "No component matches." : "Type a few letters of a component."}
      renderInput={(props) => <TextField {...props} label={label} />}
    />
  );
}
