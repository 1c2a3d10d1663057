import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { Form, useNavigation } from "react-router";
import { CHORE_LEVELS, choreSchema, type Chore } from "#core/repair/chore";
import { kindOfTrigger, TRIGGER_KINDS, triggerSchema, type TriggerType } from "#core/repair/triggers/registry";
import type { Answer } from "#server/pages/registry";
import type { Refusal } from "../../shell/answers.server";
import { Choices } from "../Choices";
import { RightButton } from "../RightButton";
import { Figure, Words } from "./fields";
import { GuardrailFields } from "./GuardrailFields";
import { TriggerFields } from "./TriggerFields";

type Page = NonNullable<Answer<"chore">>;
interface Part {
  draft: Chore;
  set: <Key extends keyof Chore>(key: Key, value: Chore[Key]) => void;
  problems: Readonly<Record<string, string>>;
  page: Page;
}

const FRESH: Readonly<Record<TriggerType, object>> = {
  times: { type: "times" },
  figure: { type: "figure", metric: "disk.used", value: 80 },
  certificate: { type: "certificate" },
};
const fresh = (runbook: string): Chore => ({
  ...choreSchema.parse({ name: "x", trigger: FRESH.times, runbook }),
  name: "",
});

/** Which runbook is run where and when, how far that is trusted, and within which limits. */
export function ChoreForm({ page, refusal }: { page: Page; refusal: Refusal | undefined }) {
  const [draft, setDraft] = useState<Chore>(() => page.chore ?? fresh(page.runbooks[0]?.uid ?? "none"));
  const set: Part["set"] = (key, value) => setDraft((now) => ({ ...now, [key]: value }));
  const problems = refusal?.fields ?? {};
  const busy = useNavigation().state !== "idle";
  const part = { draft, set, problems, page };
  return (
    <Form method="post" noValidate>
      <input type="hidden" name="chore" value={JSON.stringify(draft)} />
      <Stack sx={{ gap: 1.5 }}>
        <Stack direction="row" sx={{ gap: 1.5, alignItems: "center" }}>
          <TextField
            label="Name"
            value={draft.name}
            onChange={(event) => set("name", event.target.value)}
            error={problems.name !== undefined}
            helperText={problems.name}
            fullWidth
            required
          />
          <FormControlLabel
            control={<Switch checked={draft.isOn} onChange={(_, on) => set("isOn", on)} />}
            label={draft.isOn ? "on" : "off"}
          />
        </Stack>
        <h3 className="hx-form-head">When</h3>
        <TextField
          select
          label="It is due"
          value={draft.trigger.type}
          onChange={(event) => set("trigger", triggerSchema.parse(FRESH[event.target.value as TriggerType]))}
          sx={{ width: 260 }}
        >
          {TRIGGER_KINDS.map((one) => (
            <MenuItem key={one.type} value={one.type}>
              {one.label}
            </MenuItem>
          ))}
        </TextField>
        <TriggerFields
          trigger={draft.trigger}
          onChange={(trigger) => set("trigger", trigger)}
          problems={problems}
          metrics={page.metrics}
        />
        <h3 className="hx-form-head">What</h3>
        <What {...part} />
        <h3 className="hx-form-head">Where</h3>
        <Where {...part} />
        <h3 className="hx-form-head">Guardrails</h3>
        <Pace {...part} />
        <GuardrailFields
          limits={draft.limits}
          onChange={(limits) => set("limits", limits)}
          problems={problems}
          withTries={false}
        />
        <Stack direction="row" sx={{ gap: 1 }}>
          <RightButton right="configure" type="submit" name="intent" value="save" variant="contained" disabled={busy}>
            {page.chore ? "Save" : "Add chore"}
          </RightButton>
          {page.chore ? (
            <RightButton right="configure" type="submit" name="intent" value="remove" color="error" disabled={busy}>
              Remove
            </RightButton>
          ) : null}
        </Stack>
      </Stack>
    </Form>
  );
}

function What({ draft, set, problems, page }: Part) {
  const runbook = page.runbooks.find((one) => one.uid === draft.runbook);
  const { fills } = kindOfTrigger(draft.trigger.type);
  const known = [...fills, "target.host", "target.name"].map((one) => `{{${one}}}`).join(", ");
  return (
    <>
      <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap" }}>
        <TextField
          select
          label="Trust"
          value={draft.level}
          onChange={(event) => set("level", event.target.value as Chore["level"])}
          error={problems.level !== undefined}
          helperText={problems.level ?? CHORE_LEVELS.find((one) => one.id === draft.level)?.words}
          sx={{ width: 300 }}
        >
          {CHORE_LEVELS.map((one) => (
            <MenuItem key={one.id} value={one.id}>
              {one.label}
            </MenuItem>
          ))}
        </TextField>
        <TextField
          select
          label="Runbook"
          value={runbook ? draft.runbook : ""}
          onChange={(event) => {
            set("runbook", event.target.value);
            set("args", {});
          }}
          error={problems.runbook !== undefined}
          helperText={problems.runbook}
          sx={{ flex: 1, minWidth: 240 }}
        >
          {page.runbooks.map((one) => (
            <MenuItem key={one.uid} value={one.uid}>
              {one.name}
            </MenuItem>
          ))}
        </TextField>
      </Stack>
      {runbook?.parameters.map((parameter) => (
        <TextField
          key={parameter.name}
          label={parameter.label}
          value={draft.args[parameter.name] ?? ""}
          onChange={(event) => set("args", { ...draft.args, [parameter.name]: event.target.value })}
          error={problems[`args.${parameter.name}`] !== undefined}
          helperText={problems[`args.${parameter.name}`] ?? `A fixed text, or ${known}`}
        />
      ))}
    </>
  );
}

function Where({ draft, set, problems, page }: Part) {
  const runbook = page.runbooks.find((one) => one.uid === draft.runbook);
  return (
    <>
      <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap" }}>
        <Words
          label="Kinds"
          value={draft.kinds}
          onChange={(value) => set("kinds", value)}
          help={`All that the runbook is for while it is empty: ${runbook?.kinds.join(", ") ?? ""}`}
          problem={problems.kinds}
        />
        <TextField
          select
          label="Collection"
          value={draft.collection}
          onChange={(event) => set("collection", event.target.value)}
          error={problems.collection !== undefined}
          helperText={problems.collection ?? "Its members, as they are when it is due."}
          sx={{ flex: 1, minWidth: 220 }}
          slotProps={{ inputLabel: { shrink: true }, select: { displayEmpty: true } }}
        >
          <MenuItem value="">whatever collection</MenuItem>
          {page.collections.map((name) => (
            <MenuItem key={name} value={name}>
              {name}
            </MenuItem>
          ))}
        </TextField>
      </Stack>
      <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap" }}>
        <Choices
          label="Services"
          help="Any service while none is chosen."
          options={page.services}
          value={draft.services}
          onChange={(keys) => set("services", keys)}
          keyOf={(one) => one.uid}
          nameOf={(one) => one.name}
        />
        <Choices
          label="Sites"
          help="Any site while none is chosen."
          options={page.sites}
          value={draft.sites}
          onChange={(keys) => set("sites", keys)}
          keyOf={(one) => one}
          nameOf={(one) => one}
        />
      </Stack>
    </>
  );
}

/** How fast a round goes, and when it stops. */
function Pace({ draft, set, problems }: Part) {
  return (
    <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap", alignItems: "center" }}>
      <Figure
        label="At a time"
        value={draft.atOnce}
        onChange={(value) => set("atOnce", value)}
        problem={problems.atOnce}
      />
      <Figure
        label="Stops when more fail (%)"
        value={draft.failedPercent}
        onChange={(value) => set("failedPercent", value)}
        problem={problems.failedPercent}
      />
      <Figure
        label="Within (min)"
        value={draft.withinMinutes}
        onChange={(value) => set("withinMinutes", value)}
        problem={problems.withinMinutes}
      />
      <FormControlLabel
        control={<Checkbox checked={draft.duringIncidents} onChange={(_, on) => set("duringIncidents", on)} />}
        label="also on what an open incident is about"
      />
    </Stack>
  );
}
