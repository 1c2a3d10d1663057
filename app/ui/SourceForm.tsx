import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import type { FetcherWithComponents } from "react-router";
import type { SourceForm as Shape } from "#server/pages/discover";
import type { Refusal } from "../shell/answers.server";
import { SchemaField } from "./SchemaField";
import { RightButton } from "./RightButton";

/** The form of a source: what all have, the settings of its kind, and the credential, which is never shown again. */
export function SourceForm({
  form,
  name,
  site,
  answer,
  isNew,
  fetcher,
}: {
  form: Shape;
  name: string;
  site: string;
  answer: Refusal | undefined;
  isNew: boolean;
  fetcher: Pick<FetcherWithComponents<unknown>, "Form" | "state">;
}) {
  const problemOf = (field: string) => answer?.fields?.[field];
  const text = (field: string) => ({ error: Boolean(problemOf(field)), helperText: problemOf(field) });
  return (
    <fetcher.Form method="post" noValidate>
      <input type="hidden" name="kind" value={form.kind} />
      <Stack sx={{ gap: 1.5 }}>
        <Stack direction="row" sx={{ gap: 1.5 }}>
          <TextField name="name" label="Name" defaultValue={name} required fullWidth {...text("name")} />
          <TextField name="site" label="Site" defaultValue={site} required fullWidth {...text("site")} />
        </Stack>
        {form.fields
          .filter((field) => field.type !== "number")
          .map((field) => (
            <SchemaField key={field.name} field={field} problem={problemOf(field.name)} />
          ))}
        {form.credential ? (
          <TextField
            name="credential"
            label={form.credential.label}
            type="password"
            autoComplete="off"
            fullWidth
            error={Boolean(problemOf("credential"))}
            helperText={
              problemOf("credential") ?? (isNew ? form.credential.help : "Leave empty to keep the current one.")
            }
          />
        ) : null}
        {form.others.length ? <OtherCredentials form={form} problem={problemOf("credentials")} /> : null}
        <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap" }}>
          {form.fields
            .filter((field) => field.type === "number")
            .map((field) => (
              <SchemaField key={field.name} field={field} problem={problemOf(field.name)} />
            ))}
          {form.pollSeconds === null ? null : (
            <TextField
              name="pollSeconds"
              label="Poll every (s)"
              defaultValue={form.pollSeconds}
              sx={{ width: 240 }}
              {...text("pollSeconds")}
            />
          )}
        </Stack>
        {form.sweeps ? <ScheduleFields sweeps={form.sweeps} problemOf={problemOf} /> : null}
        <Buttons isNew={isNew} isSwept={form.sweeps !== null} busy={fetcher.state !== "idle"} />
      </Stack>
    </fetcher.Form>
  );
}

const CREDENTIALS_HELP: Readonly<Record<string, string>> = {
  range: "For SNMP they are tried after its own, in this order; for SSH when a runbook goes to a host it found.",
  platform: "The mapping says which kind it signs in with; the first one of that kind is used.",
};

/** Credentials of the vault that it may use besides, in the order in which they were chosen. */
function OtherCredentials({ form, problem }: { form: Shape; problem: string | undefined }) {
  const [chosen, setChosen] = useState(form.chosen);
  const nameOf = (id: number) => form.others.find((one) => one.id === id)?.name ?? "";
  return (
    <>
      <input type="hidden" name="credentials" value={chosen.join(",")} />
      <TextField
        select
        label="Credentials it may use"
        value={chosen}
        onChange={(event) => setChosen(event.target.value as unknown as number[])}
        fullWidth
        error={problem !== undefined}
        helperText={
          problem ??
          CREDENTIALS_HELP[form.kind] ??
          "They are tried in this order; runbooks that go to a host it found use them too."
        }
        slotProps={{ select: { multiple: true, renderValue: (ids) => (ids as number[]).map(nameOf).join(", then ") } }}
      >
        {form.others.map((one) => (
          <MenuItem key={one.id} value={one.id}>
            {one.name} ({one.kind})
          </MenuItem>
        ))}
      </TextField>
    </>
  );
}

/** When it is swept by itself. */
function ScheduleFields({
  sweeps,
  problemOf,
}: {
  sweeps: NonNullable<Shape["sweeps"]>;
  problemOf: (field: string) => string | undefined;
}) {
  return (
    <Stack direction="row" sx={{ gap: 1.5 }}>
      <TextField
        name="sweepEvery"
        label="Sweep by itself every"
        defaultValue={sweeps.every}
        fullWidth
        error={Boolean(problemOf("sweepEvery"))}
        helperText={
          problemOf("sweepEvery") ??
          "Minutes, or a rule of RFC 5545 such as FREQ=DAILY;BYHOUR=3 (UTC). Empty for never."
        }
      />
      <TextField
        name="quietHours"
        label="Quiet hours (UTC)"
        placeholder="08:00-18:00"
        defaultValue={sweeps.quiet}
        sx={{ width: 320 }}
        error={Boolean(problemOf("quietHours"))}
        helperText={problemOf("quietHours") ?? "No sweep starts by itself then."}
      />
    </Stack>
  );
}

function Buttons({ isNew, isSwept, busy }: { isNew: boolean; isSwept: boolean; busy: boolean }) {
  return (
    <Stack direction="row" sx={{ gap: 1 }}>
      <RightButton right="configure" type="submit" variant="contained" name="intent" value="save" disabled={busy}>
        {isNew ? "Add source" : "Save"}
      </RightButton>
      {isSwept ? (
        <RightButton
          right="configure"
          type="submit"
          variant="outlined"
          name="intent"
          value="save-and-sweep"
          disabled={busy}
        >
          {isNew ? "Add and sweep" : "Save and sweep"}
        </RightButton>
      ) : null}
      <RightButton right="configure" type="submit" variant="outlined" name="intent" value="test" disabled={busy}>
        Test
      </RightButton>
      {isNew ? null : (
        <RightButton right="configure" type="submit" variant="outlined" name="intent" value="remove" disabled={busy}>
          Remove the source
        </RightButton>
      )}
    </Stack>
  );
}
