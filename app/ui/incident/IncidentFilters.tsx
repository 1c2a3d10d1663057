import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { useSearchParams } from "react-router";
import { INCIDENT_ORDERS, INCIDENT_STATES } from "../../shell/incident-lists";
import type { incidentsAsked } from "../../shell/incidents.server";
import { applyChanges, useChangeParams } from "../../shell/params";
import { useTyped } from "../../shell/typed";

/** Orders of a list in words. */
export const ORDER_WORDS = {
  newest: "Newest first",
  oldest: "Oldest first",
  priority: "Most urgent first",
  longest: "Longest first",
  alarms: "Most alarms first",
} as const;

interface IncidentFiltersProps {
  asked: ReturnType<typeof incidentsAsked>["asked"];
  services: readonly { id: number; name: string }[];
  people: readonly string[];
}

/** Which incidents are listed, in which order, and the list as a file. */
export function IncidentFilters({ asked, services, people }: IncidentFiltersProps) {
  const changeParams = useChangeParams();
  const change = (changes: Record<string, string>, replace = false) =>
    changeParams((next) => applyChanges(next, changes), replace);
  const [typed, setTyped] = useTyped(asked.q, (q) => change({ q }, true), 250);
  const choose = { inputLabel: { shrink: true }, select: { displayEmpty: true } };
  const [params] = useSearchParams();
  return (
    <Stack direction="row" sx={{ gap: 1, mb: 1, alignItems: "center", flexWrap: "wrap" }}>
      <TextField
        label="Title, cause or number"
        type="search"
        value={typed}
        onChange={(event) => setTyped(event.target.value)}
        sx={{ width: 240 }}
        slotProps={{ htmlInput: { maxLength: 100 } }}
      />
      <Stack direction="row" role="group" aria-label="Show" sx={{ gap: 0.5 }}>
        {INCIDENT_STATES.map((one) => (
          <Button
            key={one}
            onClick={() => change({ state: one === "all" ? "" : one })}
            variant={asked.state === one ? "outlined" : "text"}
            color="inherit"
          >
            {one}
          </Button>
        ))}
      </Stack>
      <TextField
        select
        label="Service"
        value={asked.service ?? ""}
        onChange={(event) => change({ service: event.target.value })}
        sx={{ width: 180 }}
        slotProps={choose}
      >
        <MenuItem value="">any</MenuItem>
        {services.map((one) => (
          <MenuItem key={one.id} value={one.id}>
            {one.name}
          </MenuItem>
        ))}
      </TextField>
      <TextField
        select
        label="With"
        value={asked.with}
        onChange={(event) => change({ with: event.target.value })}
        sx={{ width: 190 }}
        slotProps={choose}
      >
        <MenuItem value="">anybody or nobody</MenuItem>
        <MenuItem value="nobody">nobody</MenuItem>
        {people.map((one) => (
          <MenuItem key={one} value={one}>
            {one}
          </MenuItem>
        ))}
      </TextField>
      <TextField
        select
        label="Order"
        value={asked.order}
        onChange={(event) => change({ order: event.target.value === "newest" ? "" : event.target.value })}
        sx={{ width: 170 }}
      >
        {INCIDENT_ORDERS.map((one) => (
          <MenuItem key={one} value={one}>
            {ORDER_WORDS[one]}
          </MenuItem>
        ))}
      </TextField>
      <Button component="a" href={`/incidents.csv?${params.toString()}`} color="inherit">
        CSV
      </Button>
    </Stack>
  );
}
