import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { Form, useNavigation } from "react-router";
import {
  MOST_LAYERS,
  type CalendarLayer,
  type Layer,
  type RotationPlan,
  type TurnsLayer,
} from "#core/telling/rotation";
import type { Answer } from "#server/pages/registry";
import type { Refusal } from "../../shell/answers.server";
import { RightButton } from "../RightButton";
import { Choices } from "../Choices";
import { HoursField } from "../HoursField";

type Page = NonNullable<Answer<"rotation">>;

const turnsFrom = (day: string): TurnsLayer => ({
  kind: "turns",
  name: "Weekly turns",
  people: [],
  startsOn: day,
  handOverAt: "09:00",
  turnDays: 7,
  hours: null,
  holidays: "as usual",
});
const CALENDAR: CalendarLayer = { kind: "calendar", name: "From a calendar", text: "" };

/** Layers of turns on the clock of one place. */
export function RotationForm({ page, refusal, today }: { page: Page; refusal: Refusal | undefined; today: string }) {
  const [name, setName] = useState(page.rotation?.name ?? "");
  const [plan, setPlan] = useState<RotationPlan>(
    page.rotation?.plan ?? { zone: "UTC", layers: [turnsFrom(today)], cover: null, holidays: [] },
  );
  const set: SetPlan = (key, value) => setPlan((now) => ({ ...now, [key]: value }));
  const { layers } = plan;
  const change = (index: number, layer: Partial<Layer>) =>
    set(
      "layers",
      layers.map((one, place) => (place === index ? ({ ...one, ...layer } as Layer) : one)),
    );
  const problems = refusal?.fields ?? {};
  const busy = useNavigation().state !== "idle";
  return (
    <Form method="post" noValidate>
      <input type="hidden" name="rotation" value={JSON.stringify({ name, plan })} />
      <Stack sx={{ gap: 1.5 }}>
        <WhenAndWhere name={name} onName={setName} plan={plan} set={set} problems={problems} />
        <p className="hx-caption">Layers lower down go before those above them, in their hours.</p>
        {layers.map((layer, index) => (
          <LayerFields
            key={index}
            layer={layer}
            index={index}
            people={page.people}
            problems={problems}
            onChange={(next) => change(index, next)}
            onRemove={
              layers.length > 1
                ? () =>
                    set(
                      "layers",
                      layers.filter((_, place) => place !== index),
                    )
                : undefined
            }
          />
        ))}
        {layers.length < MOST_LAYERS ? (
          <Stack direction="row" sx={{ gap: 1 }}>
            <Button variant="outlined" onClick={() => set("layers", [...layers, turnsFrom(today)])}>
              Add turns
            </Button>
            <Button variant="outlined" onClick={() => set("layers", [...layers, CALENDAR])}>
              Add a calendar
            </Button>
          </Stack>
        ) : null}
        <Stack direction="row" sx={{ gap: 1 }}>
          <RightButton right="configure" type="submit" name="intent" value="save" variant="contained" disabled={busy}>
            {page.rotation ? "Save" : "Add rotation"}
          </RightButton>
          {page.rotation ? (
            <RightButton right="configure" type="submit" name="intent" value="remove" color="error" disabled={busy}>
              Remove
            </RightButton>
          ) : null}
        </Stack>
      </Stack>
    </Form>
  );
}

type SetPlan = <Key extends keyof RotationPlan>(key: Key, value: RotationPlan[Key]) => void;

/** What a rotation is called, on the clock of which place it runs, and when nobody has to be there. */
function WhenAndWhere({
  name,
  onName,
  plan,
  set,
  problems,
}: {
  name: string;
  onName: (name: string) => void;
  plan: RotationPlan;
  set: SetPlan;
  problems: Readonly<Record<string, string>>;
}) {
  return (
    <>
      <Stack direction="row" sx={{ gap: 1.5 }}>
        <TextField
          label="Name"
          value={name}
          onChange={(event) => onName(event.target.value)}
          error={problems.name !== undefined}
          helperText={problems.name}
          fullWidth
          required
        />
        <TextField
          label="Time zone"
          value={plan.zone}
          onChange={(event) => set("zone", event.target.value)}
          error={problems["plan.zone"] !== undefined}
          helperText={problems["plan.zone"] ?? "Hand-overs keep to the clock of this place."}
          sx={{ width: 320 }}
        />
      </Stack>
      <HoursField
        label="Cover is needed in these hours only"
        value={plan.cover}
        onChange={(cover) => set("cover", cover)}
        problem={problems["plan.cover.days"]}
      />
      <TextField
        label="Holidays"
        value={plan.holidays.join(", ")}
        onChange={(event) => set("holidays", event.target.value.split(/[,\s]+/).filter(Boolean))}
        error={Object.keys(problems).some((key) => key.startsWith("plan.holidays"))}
        helperText={
          Object.entries(problems).find(([key]) => key.startsWith("plan.holidays"))?.[1] ??
          "Days as 2026-12-25, parted by commas."
        }
        fullWidth
      />
    </>
  );
}

interface LayerProps<T> {
  layer: T;
  index: number;
  people: Page["people"];
  problems: Readonly<Record<string, string>>;
  onChange: (layer: Partial<T>) => void;
}

function LayerFields({
  layer,
  index,
  people,
  problems,
  onChange,
  onRemove,
}: LayerProps<Layer> & { onRemove: (() => void) | undefined }) {
  const whole = problems[`layers.${index}`];
  return (
    <fieldset className="hx-layer">
      <legend>Layer {index + 1}</legend>
      <Stack sx={{ gap: 1.5 }}>
        <Stack direction="row" sx={{ gap: 1.5, alignItems: "flex-start" }}>
          <TextField
            label="Name of the layer"
            value={layer.name}
            onChange={(event) => onChange({ name: event.target.value })}
            error={problems[`plan.layers.${index}.name`] !== undefined}
            helperText={problems[`plan.layers.${index}.name`]}
            sx={{ flex: 1 }}
          />
          {onRemove ? (
            <Button onClick={onRemove} aria-label={`Take out layer ${index + 1}`}>
              Take out
            </Button>
          ) : null}
        </Stack>
        {layer.kind === "turns" ? (
          <Turns layer={layer} index={index} people={people} problems={problems} onChange={onChange} />
        ) : (
          <TextField
            label="Calendar (iCalendar)"
            value={layer.text}
            onChange={(event) => onChange({ text: event.target.value })}
            error={whole !== undefined}
            helperText={
              whole ??
              "Events name who is on call by ATTENDEE (mail address) or by SUMMARY (name); they may repeat by RRULE."
            }
            multiline
            minRows={4}
            maxRows={12}
            fullWidth
          />
        )}
      </Stack>
    </fieldset>
  );
}

const HABITS: readonly { value: TurnsLayer["holidays"]; label: string }[] = [
  { value: "as usual", label: "takes part as ever" },
  { value: "off", label: "rests" },
  { value: "only", label: "is for holidays only" },
];

function Turns({ layer, index, people, problems, onChange }: LayerProps<TurnsLayer>) {
  const problemOf = (field: string) => problems[`plan.layers.${index}.${field}`];
  return (
    <>
      <Choices
        label="Who takes turns, in this order"
        options={orderedBy(people, layer.people)}
        value={layer.people.map(String)}
        onChange={(keys) => onChange({ people: keys.map(Number) })}
        keyOf={(one) => String(one.id)}
        nameOf={(one) => one.name}
        problem={problemOf("people") ?? problems[`layers.${index}`]}
      />
      <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap" }}>
        <TextField
          label="First turn on"
          value={layer.startsOn}
          placeholder="2026-01-05"
          onChange={(event) => onChange({ startsOn: event.target.value.trim() })}
          error={problemOf("startsOn") !== undefined}
          helperText={problemOf("startsOn")}
          slotProps={{ inputLabel: { shrink: true } }}
        />
        <TextField
          label="Hand-over at"
          value={layer.handOverAt}
          placeholder="09:00"
          onChange={(event) => onChange({ handOverAt: event.target.value.trim() })}
          error={problemOf("handOverAt") !== undefined}
          helperText={problemOf("handOverAt")}
          slotProps={{ inputLabel: { shrink: true } }}
        />
        <TextField
          label="A turn lasts (days)"
          value={layer.turnDays}
          onChange={(event) => onChange({ turnDays: Number(event.target.value) })}
          error={problemOf("turnDays") !== undefined}
          helperText={problemOf("turnDays")}
          sx={{ width: 150 }}
        />
        <TextField
          select
          label="On holidays it"
          value={layer.holidays}
          onChange={(event) => onChange({ holidays: event.target.value as TurnsLayer["holidays"] })}
          sx={{ width: 210 }}
        >
          {HABITS.map((one) => (
            <MenuItem key={one.value} value={one.value}>
              {one.label}
            </MenuItem>
          ))}
        </TextField>
      </Stack>
      <HoursField
        label="Only in these hours"
        value={layer.hours}
        onChange={(hours) => onChange({ hours })}
        problem={problemOf("hours.days")}
      />
    </>
  );
}

/** Those who were chosen first, in the order of their turns. */
const orderedBy = (people: Page["people"], chosen: readonly number[]) => [
  ...chosen.flatMap((id) => people.find((one) => one.id === id) ?? []),
  ...people.filter((one) => !chosen.includes(one.id)),
];
