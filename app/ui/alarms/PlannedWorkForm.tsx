import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { Form, useNavigation } from "react-router";
import { kindInfo } from "#core/catalogue/kinds";
import { USUAL_REPEATS, type PlannedWork } from "#core/changes/planned-work";
import { dayAndTime } from "#core/time/windows";
import type { Answer } from "#server/pages/registry";
import type { Refusal } from "../../shell/answers.server";
import { useShell } from "../../shell/window";
import { Figure } from "../repair/fields";
import { Choice } from "../Choice";
import { RightButton } from "../RightButton";

type Given = Readonly<Record<"service" | "q" | "kind" | "site" | "label", string>>;
type Page = NonNullable<Answer<"plannedWorkForm">> & { given: Given; now: string };
type Tried = Extract<Answer<"plannedWorkTried">, { ok: true }>;

/** What the fields hold: both sorts of scope, so that nothing is lost by looking at the other. */
interface Draft extends Omit<PlannedWork, "scope" | "repeats"> {
  of: PlannedWork["scope"]["of"];
  uid: string;
  filter: Omit<Given, "service">;
  repeats: string;
  ownRule: string;
}

const OWN = "own";
const FILTERS = ["q", "kind", "site", "label"] as const;

function draftOf({ row, given, now }: Page): Draft {
  const work = row?.work;
  const params = new URLSearchParams(work?.scope.of === "components" ? work.scope.filter : "");
  const isUsual = USUAL_REPEATS.some((one) => one.rule === (work?.repeats ?? ""));
  return {
    title: work?.title ?? "",
    of: work?.scope.of ?? (given.service ? "service" : "components"),
    uid: work?.scope.of === "service" ? work.scope.uid : given.service,
    filter: Object.fromEntries(
      FILTERS.map((name) => [name, work ? (params.get(name) ?? "") : given[name]]),
    ) as Draft["filter"],
    startsAt: work?.startsAt ?? now,
    zone: work?.zone ?? "UTC",
    minutes: work?.minutes ?? 60,
    repeats: isUsual ? (work?.repeats ?? "") : OWN,
    ownRule: isUsual ? "" : (work?.repeats ?? ""),
  };
}

function workOf({ of, uid, filter, repeats, ownRule, ...rest }: Draft): PlannedWork {
  const params = new URLSearchParams(FILTERS.flatMap((name) => (filter[name] ? [[name, filter[name]]] : [])));
  return {
    ...rest,
    scope: of === "service" ? { of, uid } : { of, filter: params.toString() },
    repeats: repeats === OWN ? ownRule : repeats,
  };
}

/** What is done, on what, when, and how it repeats. */
export function PlannedWorkForm({
  page,
  refusal,
  tried,
}: {
  page: Page;
  refusal: Refusal | undefined;
  tried: Tried | undefined;
}) {
  const [draft, setDraft] = useState<Draft>(() => draftOf(page));
  const set = (changes: Partial<Draft>) => setDraft((before) => ({ ...before, ...changes }));
  const busy = useNavigation().state !== "idle";
  const problems = fieldsOf(refusal);
  return (
    <Form method="post" noValidate>
      <input type="hidden" name="work" value={JSON.stringify(workOf(draft))} />
      <Stack sx={{ gap: 1.5 }}>
        <TextField
          label="What is done"
          value={draft.title}
          onChange={(event) => set({ title: event.target.value })}
          error={problems.title !== undefined}
          helperText={problems.title}
          required
        />
        <h3 className="hx-form-head">On what</h3>
        <Scope draft={draft} set={set} page={page} problem={problems.scope} />
        <h3 className="hx-form-head">When</h3>
        <When draft={draft} set={set} problems={problems} />
        <Stack direction="row" sx={{ gap: 1 }}>
          <RightButton right="respond" type="submit" name="intent" value="save" variant="contained" disabled={busy}>
            {page.row ? "Save" : "Plan it"}
          </RightButton>
          <Button type="submit" name="intent" value="try" variant="outlined" disabled={busy}>
            Show what it covers
          </Button>
          {page.row ? (
            <RightButton right="respond" type="submit" name="intent" value="remove" color="error" disabled={busy}>
              Remove
            </RightButton>
          ) : null}
        </Stack>
        {tried ? <Covers tried={tried} /> : null}
      </Stack>
    </Form>
  );
}

/** What is wrong, by the field it is wrong in: of what stands in a part of one, by the field. */
const fieldsOf = (refusal: Refusal | undefined): Readonly<Record<string, string>> =>
  Object.fromEntries(
    Object.entries(refusal?.fields ?? {}).map(([name, problem]) => [
      name.replace(/^work\./, "").split(".")[0],
      problem,
    ]),
  );

interface Part {
  draft: Draft;
  set: (changes: Partial<Draft>) => void;
}

function Scope({ draft, set, page, problem }: Part & { page: Page; problem: string | undefined }) {
  const filter = (name: keyof Draft["filter"], value: string) => set({ filter: { ...draft.filter, [name]: value } });
  return (
    <>
      <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap" }}>
        <TextField
          select
          label="On"
          value={draft.of}
          onChange={(event) => set({ of: event.target.value as Draft["of"] })}
          sx={{ width: 200 }}
        >
          <MenuItem value="components">components</MenuItem>
          <MenuItem value="service">a service and its members</MenuItem>
        </TextField>
        {draft.of === "service" ? (
          <Offered
            label="Service"
            value={draft.uid}
            onChange={(uid) => set({ uid })}
            choices={page.services.map((one) => ({ value: one.uid, label: one.name }))}
          />
        ) : (
          <>
            <Offered
              label="Kind"
              value={draft.filter.kind}
              onChange={(value) => filter("kind", value)}
              choices={page.kinds.map((one) => ({ value: one.kind, label: kindInfo(one.kind).plural }))}
              any
            />
            <Offered
              label="Site"
              value={draft.filter.site}
              onChange={(value) => filter("site", value)}
              choices={page.sites.filter((one) => one.site).map((one) => ({ value: one.site, label: one.site }))}
              any
            />
            <Offered
              label="Label"
              value={draft.filter.label}
              onChange={(value) => filter("label", value)}
              choices={page.labels.map((one) => ({ value: one, label: one.replace(":", ": ") }))}
              any
            />
            <TextField
              label="Name or address contains"
              value={draft.filter.q}
              onChange={(event) => filter("q", event.target.value)}
              sx={{ width: 220 }}
            />
          </>
        )}
      </Stack>
      {problem === undefined ? null : <p className="hx-field-problem">{problem}</p>}
    </>
  );
}

/** One of many; what the work has and nobody offers any more is offered too. */
function Offered({
  label,
  value,
  onChange,
  choices,
  any = false,
}: {
  label: string;
  value: string;
  onChange: (value: string) => void;
  choices: readonly { value: string; label: string }[];
  any?: boolean;
}) {
  const all =
    value === "" || choices.some((one) => one.value === value) ? choices : [{ value, label: value }, ...choices];
  return (
    <Choice label={label} width={220} value={value} onChange={onChange}>
      {any ? <MenuItem value="">any</MenuItem> : null}
      {all.map((one) => (
        <MenuItem key={one.value} value={one.value}>
          {one.label}
        </MenuItem>
      ))}
    </Choice>
  );
}

function When({ draft, set, problems }: Part & { problems: Readonly<Record<string, string>> }) {
  return (
    <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap", alignItems: "flex-start" }}>
      <TextField
        label="Begins"
        type="datetime-local"
        value={draft.startsAt}
        onChange={(event) => set({ startsAt: event.target.value.slice(0, 16) })}
        error={problems.startsAt !== undefined}
        helperText={problems.startsAt}
        sx={{ width: 220 }}
        slotProps={{ inputLabel: { shrink: true } }}
      />
      <TextField
        label="On the clock of"
        value={draft.zone}
        onChange={(event) => set({ zone: event.target.value })}
        error={problems.zone !== undefined}
        helperText={problems.zone}
        sx={{ width: 180 }}
      />
      <Figure
        label="Lasts (min)"
        value={draft.minutes}
        onChange={(minutes) => set({ minutes })}
        problem={problems.minutes}
      />
      <TextField
        select
        label="Repeats"
        value={draft.repeats}
        onChange={(event) => set({ repeats: event.target.value })}
        sx={{ width: 220 }}
        slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
      >
        {USUAL_REPEATS.map((one) => (
          <MenuItem key={one.rule} value={one.rule}>
            {one.label}
          </MenuItem>
        ))}
        <MenuItem value={OWN}>by a rule of RFC 5545</MenuItem>
      </TextField>
      {draft.repeats === OWN ? (
        <TextField
          label="Recurrence rule"
          value={draft.ownRule}
          onChange={(event) => set({ ownRule: event.target.value })}
          error={problems.repeats !== undefined}
          helperText={problems.repeats ?? "Such as FREQ=MONTHLY;BYDAY=2TU"}
          sx={{ flex: 1, minWidth: 260 }}
        />
      ) : null}
    </Stack>
  );
}

function Covers({ tried }: { tried: Tried }) {
  const { window: now } = useShell();
  const more = tried.covers - tried.names.length;
  return (
    <div role="status">
      <p className="hx-flush">
        {tried.covers === 0
          ? "It covers nothing at present."
          : `It covers ${tried.covers} ${tried.covers === 1 ? "component" : "components"}: ${tried.names.join(", ")}${more > 0 ? ` and ${more} more` : ""}. What runs on a host is covered with it.`}
      </p>
      <p className="hx-flush">
        {tried.windows.length === 0
          ? "It does not come again."
          : `${tried.windows.length === 1 ? "When" : "When next"}: ${tried.windows
              .map((one) => `${dayAndTime(one.fromMs, now.nowMs)} to ${dayAndTime(one.toMs, now.nowMs)}`)
              .join("; ")}.`}
      </p>
    </div>
  );
}
