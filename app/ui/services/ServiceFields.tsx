import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import type { Refusal } from "../../shell/answers.server";
import type { ServiceFormPage } from "./page";

/** What people say of a service: who owns it, when it must work, what it promises, what to know on shift. */
export function ServiceFields({ page, answer }: { page: ServiceFormPage; answer: Refusal | undefined }) {
  const { service } = page;
  const details = service?.details ?? {};
  const field = (name: string, label: string, value: string | number | undefined, help = "") => {
    const problem = answer?.fields?.[name];
    return { name, label, defaultValue: value ?? "", error: problem !== undefined, helperText: problem ?? help };
  };
  return (
    <Stack sx={{ gap: 1.5 }}>
      <Stack direction="row" sx={{ gap: 1.5 }}>
        <TextField {...field("name", "Name", service?.name)} required fullWidth />
        <TextField {...field("owner", "Owner", service?.owner)} required fullWidth />
      </Stack>
      <TextField {...field("purpose", "What it is for", service?.purpose)} fullWidth />
      <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap" }}>
        <TextField
          {...field("hours", "Hours", details.hours, "As people say them: Mo–Fr 06:00–22:00.")}
          sx={{ width: 280 }}
        />
        <TextField
          {...field("serverLimitMs", "Response limit (ms)", details.serverLimitMs, "As the server measures it.")}
          sx={{ width: 200 }}
        />
        <TextField
          {...field("browserLimitMs", "In the browser (ms)", details.browserLimitMs, "Where page timings are sent.")}
          sx={{ width: 200 }}
        />
        <TextField
          {...field(
            "objectivePercent",
            "Objective (%)",
            details.objectivePercent,
            "Calls answered well, over 30 days.",
          )}
          sx={{ width: 200 }}
        />
        <TextField {...field("tells", "Tell of", details.tells ?? "failures and slowness")} select sx={{ width: 220 }}>
          <MenuItem value="failures and slowness">failures and slowness</MenuItem>
          <MenuItem value="failures">failures only</MenuItem>
        </TextField>
      </Stack>
      <TextField {...field("notes", "Notes for whoever is on shift", details.notes)} multiline minRows={3} fullWidth />
    </Stack>
  );
}
