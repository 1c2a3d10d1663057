import Autocomplete from "@mui/material/Autocomplete";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import type { Refusal } from "../../shell/answers.server";
import type { ServiceFormPage } from "./page";

/** What people say of a service: who owns it, when it must work, what it promises, what to know on shift. */
export function ServiceFields({ page, answer }: { page: ServiceFormPage; answer: Refusal | undefined }) {
  const { service } = page;
  const details: Details = service?.details ?? {};
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
            service?.figure
              ? "Calls answered well, or the figure, over 30 days."
              : "Calls answered well, over 30 days.",
          )}
          sx={{ width: 200 }}
        />
        {service?.figure ? <FigureFields label={service.figure.label} details={details} field={field} /> : null}
        <TextField
          {...field("tells", "Tell of", details.tells ?? "failures and slowness")}
          select
          sx={{ width: 220 }}
          slotProps={{ inputLabel: { shrink: true } }}
        >
          <MenuItem value="failures and slowness">failures and slowness</MenuItem>
          <MenuItem value="failures">failures only</MenuItem>
        </TextField>
      </Stack>
      <ReliesOn others={page.others} chosen={details.reliesOn ?? []} />
      <HealthFields details={details} field={field} />
      <TextField {...field("notes", "Notes for whoever is on shift", details.notes)} multiline minRows={3} fullWidth />
    </Stack>
  );
}

type Details = NonNullable<ServiceFormPage["service"]>["details"];
type FieldOf = (
  name: string,
  label: string,
  value: string | number | undefined,
  help?: string,
) => { name: string; label: string; defaultValue: string | number; error: boolean; helperText: string };

/** What a business figure promises. */
function FigureFields({ label, details, field }: { label: string; details: Details; field: FieldOf }) {
  return (
    <>
      <TextField
        {...field("figureSide", label, details.figureSide ?? "least", "Most, where more of it is worse.")}
        select
        sx={{ width: 220 }}
        slotProps={{ inputLabel: { shrink: true } }}
      >
        <MenuItem value="least">reaches at least</MenuItem>
        <MenuItem value="most">stays at most</MenuItem>
      </TextField>
      <TextField
        {...field("figurePercent", "Of its usual (%)", details.figurePercent, "Empty: calls count, not the figure.")}
        sx={{ width: 220 }}
      />
    </>
  );
}

/** What it is meant to rely on, so that what it uses beyond that shows itself. */
function ReliesOn({ others, chosen }: { others: ServiceFormPage["others"]; chosen: readonly string[] }) {
  const [picked, setPicked] = useState(() => others.filter((one) => chosen.includes(one.uid)));
  return (
    <>
      <input type="hidden" name="reliesOn" value={picked.map((one) => one.uid).join(",")} />
      <Autocomplete
        multiple
        size="small"
        options={others}
        value={picked}
        onChange={(_event, value) => setPicked(value)}
        getOptionLabel={(one) => one.name}
        getOptionKey={(one) => one.uid}
        isOptionEqualToValue={(a, b) => a.uid === b.uid}
        renderInput={(given) => (
          <TextField
            {...given}
            label="Declared dependencies"
            helperText="Services it is meant to rely on. Its structure tells what it uses beyond them, and which of them it does not use."
          />
        )}
      />
    </>
  );
}

const RULES = [
  ["worst", "the worst of them"],
  ["share", "the share that is out"],
  ["quorum", "how many of a set are left"],
  ["weight", "the weight of what is out"],
] as const;

/** How the state of its members follows from each of theirs; further fields where the rule asks for them. */
function HealthFields({ details, field }: { details: Details; field: FieldOf }) {
  const [rule, setRule] = useState<string>(details.state?.rule ?? "worst");
  return (
    <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap" }}>
      <TextField
        name="membersBy"
        label="Members are as well as"
        select
        value={rule}
        onChange={(event) => setRule(event.target.value)}
        sx={{ width: 280 }}
      >
        {RULES.map(([value, label]) => (
          <MenuItem key={value} value={value}>
            {label}
          </MenuItem>
        ))}
      </TextField>
      {rule === "quorum" ? (
        <TextField
          {...field(
            "quorum",
            "Must be well",
            details.state?.quorum ?? 1,
            "Of each set of members that stand in for each other.",
          )}
          sx={{ width: 320 }}
        />
      ) : null}
      {rule === "share" || rule === "weight" ? (
        <TextField
          {...field(
            "criticalPercent",
            "Critical from (%)",
            details.state?.criticalPercent ?? 50,
            "Half of it is major.",
          )}
          sx={{ width: 200 }}
        />
      ) : null}
      {rule === "weight" ? (
        <TextField
          {...field(
            "weights",
            "Weights",
            details.state?.weights?.map((one) => `${one.pattern} = ${one.weight}`).join("\n"),
            "One a line: a name or kind, “=”, a weight. Whatever is not listed weighs 1.",
          )}
          multiline
          minRows={2}
          fullWidth
        />
      ) : null}
    </Stack>
  );
}
