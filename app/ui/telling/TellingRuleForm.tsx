import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { Form, useNavigation } from "react-router";
import { PRIORITY_WORDS } from "#core/correlation/priority";
import { MOMENTS, MOST_STEPS, type Recipient, type TellingRule } from "#core/telling/rule";
import type { Answer } from "#server/pages/registry";
import type { Refusal } from "../../shell/answers.server";
import { KeepLink } from "../KeepLink";
import { RightButton } from "../RightButton";
import { Choices } from "../Choices";
import { HoursField } from "../HoursField";

type Page = NonNullable<Answer<"tellingRule">>;
type Draft = Omit<TellingRule, "id" | "sinceMs">;

const NEW: Draft = {
  name: "",
  isOn: true,
  services: [],
  sites: [],
  leastSeverity: "major",
  leastPriority: 3,
  causeKinds: [],
  hours: null,
  zone: "UTC",
  moments: ["opened", "worse", "cause", "handed", "reopened", "resolved"],
  delayMinutes: 2,
  certainPercent: 80,
  how: "message",
  to: [],
  escalation: [],
};

const SEVERITY_CHOICES = ["critical", "major", "minor", "warning"] as const;

/** Which incidents are told, when, and to whom. */
export function TellingRuleForm({
  page,
  refusal,
  tried,
}: {
  page: Page;
  refusal: Refusal | undefined;
  tried: Answer<"tellingTried"> | undefined;
}) {
  const [draft, setDraft] = useState<Draft>(() => (page.rule ? withoutId(page.rule) : NEW));
  const set = <Key extends keyof Draft>(key: Key, value: Draft[Key]) => setDraft((now) => ({ ...now, [key]: value }));
  const problems = refusal?.fields ?? {};
  const busy = useNavigation().state !== "idle";
  return (
    <Form method="post" noValidate>
      <input type="hidden" name="rule" value={JSON.stringify(draft)} />
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
        <h3 className="hx-form-head">Which incidents</h3>
        <Which draft={draft} set={set} page={page} problems={problems} />
        <h3 className="hx-form-head">Who is told</h3>
        <Whom label="Tell" page={page} value={draft.to} onChange={(to) => set("to", to)} problem={problems.to} />
        <h3 className="hx-form-head">When</h3>
        <When draft={draft} set={set} problems={problems} />
        <h3 className="hx-form-head">When nobody takes it</h3>
        <Escalation draft={draft} set={set} page={page} problems={problems} />
        <Stack direction="row" sx={{ gap: 1 }}>
          <RightButton right="configure" type="submit" name="intent" value="save" variant="contained" disabled={busy}>
            {page.rule ? "Save" : "Add rule"}
          </RightButton>
          <Button type="submit" name="intent" value="try" variant="outlined" disabled={busy}>
            Try it on the last 30 days
          </Button>
          {page.rule ? (
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

/** Of what it would have told. */
function Tried({ tried }: { tried: Answer<"tellingTried"> | undefined }) {
  if (!tried) return null;
  if (tried.problem !== null) return <p className="hx-field-problem">{tried.problem}</p>;
  return (
    <div role="status">
      <p className="hx-flush">
        It would have told of {tried.count} of the {tried.of} incidents of the last 30 days
        {tried.count > tried.told.length ? `, the latest ${tried.told.length}:` : tried.count ? ":" : "."}
      </p>
      <ul className="hx-plain-list">
        {tried.told.map((one) => (
          <li key={one.id}>
            <KeepLink to={`/incidents/${one.id}`}>{`${one.id} · ${one.title}`}</KeepLink>
          </li>
        ))}
      </ul>
    </div>
  );
}

const withoutId = ({ id: _id, sinceMs: _since, ...draft }: TellingRule): Draft => draft;

interface Part {
  draft: Draft;
  set: <Key extends keyof Draft>(key: Key, value: Draft[Key]) => void;
  problems: Readonly<Record<string, string>>;
}

function Which({ draft, set, page, problems }: Part & { page: Page }) {
  return (
    <>
      <Stack direction="row" sx={{ gap: 1.5 }}>
        <TextField
          select
          label="At least"
          value={draft.leastSeverity}
          onChange={(event) => set("leastSeverity", event.target.value as Draft["leastSeverity"])}
          sx={{ width: 160 }}
        >
          {SEVERITY_CHOICES.map((one) => (
            <MenuItem key={one} value={one}>
              {one}
            </MenuItem>
          ))}
        </TextField>
        <TextField
          select
          label="And priority"
          value={draft.leastPriority}
          onChange={(event) => set("leastPriority", Number(event.target.value) as Draft["leastPriority"])}
          sx={{ flex: 1 }}
        >
          {([1, 2, 3, 4] as const).map((one) => (
            <MenuItem key={one} value={one}>
              {one === 1 ? "1" : `${one} or more urgent`}: {PRIORITY_WORDS[one]}
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
          problem={problems.services}
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
        <Choices
          label="Likeliest cause is a"
          help="Anything while none is chosen."
          options={page.kinds}
          value={draft.causeKinds}
          onChange={(keys) => set("causeKinds", keys)}
          keyOf={(one) => one.kind}
          nameOf={(one) => one.label}
        />
      </Stack>
      <HoursField
        label="Only in these hours"
        value={draft.hours}
        onChange={(hours) => set("hours", hours)}
        problem={problems["hours.days"] ?? problems.hours}
      />
      {draft.hours ? (
        <TextField
          label="Time zone"
          value={draft.zone}
          onChange={(event) => set("zone", event.target.value)}
          error={problems.zone !== undefined}
          helperText={problems.zone}
          sx={{ width: 240 }}
        />
      ) : null}
    </>
  );
}

const HEADS = { rotation: "Whoever is on call", person: "People", channel: "Channels" } as const;
const keyOf = ({ kind, id }: Recipient) => `${kind} ${id}`;

/** People, rotations and channels. */
function Whom({
  label,
  page,
  value,
  onChange,
  problem,
}: {
  label: string;
  page: Page;
  value: readonly Recipient[];
  onChange: (to: Recipient[]) => void;
  problem: string | undefined;
}) {
  return (
    <Choices
      label={label}
      options={page.recipients}
      value={value.map(keyOf)}
      onChange={(keys) =>
        onChange(page.recipients.filter((one) => keys.includes(keyOf(one))).map(({ kind, id }) => ({ kind, id })))
      }
      keyOf={keyOf}
      nameOf={(one) => one.name}
      groupOf={(one) => HEADS[one.kind]}
      problem={problem}
    />
  );
}

function When({ draft, set, problems }: Part) {
  return (
    <>
      <Stack direction="row" sx={{ gap: 1.5 }}>
        <TextField
          label="Wait for the diagnosis (min)"
          value={draft.delayMinutes}
          onChange={(event) => set("delayMinutes", Number(event.target.value))}
          error={problems.delayMinutes !== undefined}
          helperText={problems.delayMinutes ?? "What is over before then is told to nobody."}
          sx={{ width: 260 }}
        />
        <TextField
          label="Or until the cause is this certain (%)"
          value={draft.certainPercent}
          onChange={(event) => set("certainPercent", Number(event.target.value))}
          error={problems.certainPercent !== undefined}
          helperText={problems.certainPercent}
          sx={{ width: 280 }}
        />
        <TextField
          select
          label="Sent"
          value={draft.how}
          onChange={(event) => set("how", event.target.value as Draft["how"])}
          sx={{ flex: 1 }}
        >
          <MenuItem value="message">at once, one thread for each incident</MenuItem>
          <MenuItem value="digest">gathered in a digest at the full hour</MenuItem>
        </TextField>
      </Stack>
      <fieldset className="hx-fields">
        <legend className="hx-caption">Tell when</legend>
        {MOMENTS.filter((one) => one.id !== "unclaimed").map((one) => (
          <FormControlLabel
            key={one.id}
            control={
              <Checkbox
                size="small"
                checked={draft.moments.includes(one.id)}
                onChange={(_, on) =>
                  set("moments", on ? [...draft.moments, one.id] : draft.moments.filter((other) => other !== one.id))
                }
              />
            }
            label={one.words}
          />
        ))}
        {problems.moments ? <p className="hx-field-problem">{problems.moments}</p> : null}
      </fieldset>
    </>
  );
}

function Escalation({ draft, set, page, problems }: Part & { page: Page }) {
  const { escalation } = draft;
  const change = (index: number, step: Partial<Draft["escalation"][number]>) =>
    set(
      "escalation",
      escalation.map((one, place) => (place === index ? { ...one, ...step } : one)),
    );
  return (
    <>
      {escalation.map((step, index) => (
        <Stack key={index} direction="row" sx={{ gap: 1.5, alignItems: "flex-start" }}>
          <TextField
            label="After (min)"
            value={step.afterMinutes}
            onChange={(event) => change(index, { afterMinutes: Number(event.target.value) })}
            error={problems[`escalation.${index}.afterMinutes`] !== undefined}
            helperText={problems[`escalation.${index}.afterMinutes`]}
            sx={{ width: 130 }}
          />
          <Whom
            label="Tell besides"
            page={page}
            value={step.to}
            onChange={(to) => change(index, { to })}
            problem={problems[`escalation.${index}.to`]}
          />
          <Button
            onClick={() =>
              set(
                "escalation",
                escalation.filter((_, place) => place !== index),
              )
            }
            aria-label={`Take out step ${index + 1}`}
          >
            Take out
          </Button>
        </Stack>
      ))}
      {problems.escalation ? <p className="hx-field-problem">{problems.escalation}</p> : null}
      {escalation.length < MOST_STEPS ? (
        <div>
          <Button
            variant="outlined"
            onClick={() =>
              set("escalation", [...escalation, { afterMinutes: (escalation.at(-1)?.afterMinutes ?? 0) + 15, to: [] }])
            }
          >
            Add a step
          </Button>
        </div>
      ) : null}
    </>
  );
}
