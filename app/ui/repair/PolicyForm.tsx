import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { Form, useNavigation } from "react-router";
import { LEVELS, policySchema, type PolicyDefinition } from "#core/repair/policy";
import type { Answer } from "#server/pages/registry";
import type { Refusal } from "../../shell/answers.server";
import { Choices } from "../Choices";
import { KeepLink } from "../KeepLink";
import { RightButton } from "../RightButton";
import { Figure, Words } from "./fields";
import { GuardrailFields } from "./GuardrailFields";

type Page = NonNullable<Answer<"policy">>;
interface Part {
  draft: PolicyDefinition;
  set: <Key extends keyof PolicyDefinition>(key: Key, value: PolicyDefinition[Key]) => void;
  problems: Readonly<Record<string, string>>;
}

const fresh = (runbook: string): PolicyDefinition =>
  policySchema.parse({ name: "x", causeKinds: ["host.linux"], runbook, args: {} });

/** When which runbook is run, how far that is trusted, and within which limits. */
export function PolicyForm({
  page,
  refusal,
  tried,
}: {
  page: Page;
  refusal: Refusal | undefined;
  tried: Answer<"policyTried"> | undefined;
}) {
  const [draft, setDraft] = useState<PolicyDefinition>(
    () => page.policy ?? page.draft ?? { ...fresh(page.runbooks[0]?.uid ?? "none"), name: "" },
  );
  const set: Part["set"] = (key, value) => setDraft((now) => ({ ...now, [key]: value }));
  const problems = refusal?.fields ?? {};
  const busy = useNavigation().state !== "idle";
  const part = { draft, set, problems };
  return (
    <Form method="post" noValidate>
      <input type="hidden" name="policy" value={JSON.stringify(draft)} />
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
        <TextField
          select
          label="When"
          value={draft.by}
          onChange={(event) => set("by", event.target.value as PolicyDefinition["by"])}
          sx={{ width: 300 }}
        >
          <MenuItem value="cause">the likeliest cause of an incident</MenuItem>
          <MenuItem value="alarm">what has an alarm, whatever its cause</MenuItem>
        </TextField>
        <When {...part} page={page} />
        <h3 className="hx-form-head">Then</h3>
        <Then {...part} page={page} />
        <h3 className="hx-form-head">Guardrails</h3>
        <GuardrailFields limits={draft.limits} onChange={(limits) => set("limits", limits)} problems={problems} />
        <Stack direction="row" sx={{ gap: 1 }}>
          <RightButton right="configure" type="submit" name="intent" value="save" variant="contained" disabled={busy}>
            {page.policy ? "Save" : "Add policy"}
          </RightButton>
          <Button type="submit" name="intent" value="try" variant="outlined" disabled={busy}>
            Try it on the last 30 days
          </Button>
          {page.policy ? (
            <RightButton right="configure" type="submit" name="intent" value="remove" color="error" disabled={busy}>
              Remove
            </RightButton>
          ) : null}
        </Stack>
        <Tried tried={tried} />
      </Stack>
    </Form>
  );
}

function When({ draft, set, problems, page }: Part & { page: Page }) {
  return (
    <>
      <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap" }}>
        <Words
          label="is of a kind like"
          value={draft.causeKinds}
          onChange={(value) => set("causeKinds", value)}
          help="host.linux, app.*, db.*, line …"
          problem={problems.causeKinds}
        />
        <Words
          label="and is in alarm for one of"
          value={draft.alarms}
          onChange={(value) => set("alarms", value)}
          problem={problems.alarms}
          help="memory.used, calls.* …; anything where it is empty"
        />
        <Words
          label="and anywhere in the incident"
          value={draft.anywhere}
          onChange={(value) => set("anywhere", value)}
          help="messaging.queue.depth …; anything where it is empty"
        />
        <Words label="and for none of" value={draft.without} onChange={(value) => set("without", value)} />
      </Stack>
      <Where draft={draft} set={set} page={page} />
      <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap", alignItems: "center" }}>
        <Figure
          label="Probability at least (%)"
          value={draft.leastPercent}
          onChange={(value) => set("leastPercent", value)}
          problem={problems.leastPercent}
        />
        <Figure
          label="The likeliest for (s)"
          value={draft.steadySeconds}
          onChange={(value) => set("steadySeconds", value)}
        />
        <TextField
          select
          label="After"
          value={draft.after}
          onChange={(event) => set("after", event.target.value as PolicyDefinition["after"])}
          sx={{ width: 200 }}
        >
          <MenuItem value="any">whatever</MenuItem>
          <MenuItem value="deployment">a deployment on it</MenuItem>
          <MenuItem value="change">another change on it</MenuItem>
        </TextField>
        <FormControlLabel
          control={<Checkbox checked={draft.whenHurt} onChange={(_, on) => set("whenHurt", on)} />}
          label="only where a service is affected"
        />
        <FormControlLabel
          control={<Checkbox checked={draft.countsHost} onChange={(_, on) => set("countsHost", on)} />}
          label="what is likely on one host counts together"
        />
      </Stack>
    </>
  );
}

function Where({ draft, set, page }: Pick<Part, "draft" | "set"> & { page: Page }) {
  return (
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
  );
}

function Then({ draft, set, problems, page }: Part & { page: Page }) {
  const runbook = page.runbooks.find((one) => one.uid === draft.runbook);
  return (
    <>
      <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap" }}>
        <TextField
          select
          label="Trust"
          value={draft.level}
          onChange={(event) => set("level", event.target.value as PolicyDefinition["level"])}
          error={problems.level !== undefined}
          helperText={problems.level ?? LEVELS.find((one) => one.id === draft.level)?.words}
          sx={{ width: 300 }}
        >
          {LEVELS.map((one) => (
            <MenuItem key={one.id} value={one.id}>
              {one.label}
            </MenuItem>
          ))}
        </TextField>
        <TextField
          select
          label="Runbook"
          value={runbook ? draft.runbook : ""}
          onChange={(event) => set("runbook", event.target.value)}
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
        <TextField
          select
          label="On"
          value={draft.on}
          onChange={(event) => set("on", event.target.value as PolicyDefinition["on"])}
          sx={{ width: 200 }}
        >
          <MenuItem value="cause">the cause</MenuItem>
          <MenuItem value="host">the host that carries it</MenuItem>
        </TextField>
      </Stack>
      {runbook?.parameters.map((parameter) => (
        <TextField
          key={parameter.name}
          label={parameter.label}
          value={draft.args[parameter.name] ?? ""}
          onChange={(event) => set("args", { ...draft.args, [parameter.name]: event.target.value })}
          error={problems[`args.${parameter.name}`] !== undefined}
          helperText={
            problems[`args.${parameter.name}`] ??
            "A fixed text, or {{cause.process}}, {{cause.host}}, {{cause.instance}}, {{cause.subject}}, {{cause.changed}}, {{cause.setting}}, {{cause.other_site}}"
          }
        />
      ))}
      <FormControlLabel
        control={<Checkbox checked={draft.closes} onChange={(_, on) => set("closes", on)} />}
        label="a proved repair resolves the incident"
      />
    </>
  );
}

/** Of what it would have done. */
function Tried({ tried }: { tried: Answer<"policyTried"> | undefined }) {
  if (!tried) return null;
  return (
    <div role="status">
      <p className="hx-flush">
        It would have acted in {tried.acts} of the {tried.of} incidents of the last 30 days: {tried.same} times people
        did the same, {tried.other} times otherwise, {tried.open} times nobody did anything on record.
      </p>
      <ul className="hx-plain-list">
        {tried.would.map((one) => (
          <li key={`${one.incidentId}${one.componentName}`}>
            <KeepLink to={`/incidents/${one.incidentId}`}>{`${one.incidentId} · ${one.title}`}</KeepLink>: {one.words}
            {one.agreed === null ? "" : one.agreed ? "; people did the same" : "; people did otherwise"}
          </li>
        ))}
      </ul>
    </div>
  );
}
