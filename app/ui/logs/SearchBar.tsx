import Button from "@mui/material/Button";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import { LOG_LEVEL_CHOICES } from "#core/detection/logs";
import { LOG_LEVELS } from "#core/telemetry/log-levels";
import { KeepLink } from "../KeepLink";
import { useTyped } from "../../shell/typed";
import type { Change, LogsData } from "./page";

/** Words, least severity, and whether records or patterns are shown. */
export function SearchBar({ page: { asked }, onChange: change }: { page: LogsData; onChange: Change }) {
  const [typed, setTyped] = useTyped(asked.q, (q) => change({ q }, true), 250);
  return (
    <Stack direction="row" sx={{ gap: 1, mb: 1, alignItems: "center" }}>
      <TextField
        label="Search"
        type="search"
        placeholder='words, "several words", -without'
        value={typed}
        onChange={(event) => setTyped(event.target.value)}
        sx={{ flex: 1 }}
        slotProps={{ htmlInput: { maxLength: 200 } }}
      />
      <TextField
        select
        label="Minimum severity"
        value={LOG_LEVELS.find((one) => asked.level >= one.least)?.least ?? 0}
        onChange={(event) => change({ level: Number(event.target.value) > 0 ? String(event.target.value) : "" })}
        sx={{ width: 140 }}
      >
        {LOG_LEVELS.map(({ level, least }) => (
          <MenuItem key={level} value={least}>
            {least === 0 ? "all" : level}
          </MenuItem>
        ))}
      </TextField>
      <FormControlLabel
        sx={{ ml: 0.5 }}
        control={
          <Switch size="small" checked={asked.new === "1"} onChange={(_event, on) => change({ new: on ? "1" : "" })} />
        }
        label="only new patterns"
        slotProps={{ typography: { variant: "body2" } }}
      />
      <KeepLink to={ruleOf(asked)}>Make a rule</KeepLink>
      <Stack direction="row" role="group" aria-label="Show" sx={{ gap: 0.5 }}>
        {(["records", "patterns"] as const).map((view) => (
          <Button
            key={view}
            variant={asked.view === view ? "outlined" : "text"}
            color="inherit"
            aria-pressed={asked.view === view}
            onClick={() => change({ view: view === "records" ? "" : view })}
          >
            {view}
          </Button>
        ))}
      </Stack>
    </Stack>
  );
}

/** A rule that counts what this search finds. */
function ruleOf({ q, level, service, new: onlyNew }: LogsData["asked"]): string {
  const least = [...LOG_LEVEL_CHOICES].reverse().find((one) => level >= Number(one)) ?? "0";
  const given = new URLSearchParams({ detector: "logs", words: q, level: least });
  if (service) given.set("scope", `service:${service}`);
  else given.set("scope", "kind:*");
  if (onlyNew === "1") given.set("condition", "new");
  return `/setup/rules/new?${given}`;
}
