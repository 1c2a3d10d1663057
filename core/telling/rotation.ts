import { DateTime } from "luxon";
import { z } from "zod";
import { DAY_MS, HOUR_MS } from "../time/windows";
import { shiftsOfCalendar, type CalendarShift } from "./calendar";
import { instantAt, isZone, stretchesOf, weekHoursSchema, type WeekHours } from "./week-hours";

/** People who take turns. */
export interface TurnsLayer {
  kind: "turns";
  name: string;
  /** Accounts, in the order of their turns. */
  people: readonly number[];
  /** Day of the first hand-over, on the clock of the rotation: 2026-01-05. */
  startsOn: string;
  /** Time of day at which turns change: 09:00. */
  handOverAt: string;
  turnDays: number;
  /** When it is for; always where there are none. */
  hours: WeekHours | null;
  holidays: HolidayHabit;
}

/** Shifts from a calendar (RFC 5545). */
export interface CalendarLayer {
  kind: "calendar";
  name: string;
  text: string;
}

export type Layer = TurnsLayer | CalendarLayer;

/** What a layer does on holidays: takes part as ever, rests, or is for holidays only. */
export type HolidayHabit = "as usual" | "off" | "only";

/** Who is on call when: layers of turns, later ones before earlier ones, on the clock of one place. */
export interface RotationPlan {
  zone: string;
  layers: readonly Layer[];
  /** When somebody has to be on call; null for always. */
  cover: WeekHours | null;
  /** Days on the clock of the place: 2026-12-25. */
  holidays: readonly string[];
}

/** Somebody takes over for a while, before whatever the layers say. */
export interface Override {
  fromMs: number;
  toMs: number;
  person: number;
}

/** A stretch of time and who is on call in it; null for nobody. */
export interface Shift {
  fromMs: number;
  toMs: number;
  person: number | null;
  /** Layer that says so, or "override". */
  because: string;
}

const day = z
  .string()
  .regex(/^\d{4}-\d{2}-\d{2}$/, "Write a day as 2026-12-25.")
  .refine((text) => DateTime.fromISO(text).isValid, "There is no such day.");
const person = z.number().int().min(1);
export const MOST_LAYERS = 10;

const layerSchema = z.discriminatedUnion("kind", [
  z.strictObject({
    kind: z.literal("turns"),
    name: z.string().trim().min(1, "Give each layer a name.").max(60),
    people: z.array(person).min(1, "Choose who takes turns.").max(100),
    startsOn: day,
    handOverAt: z.string().regex(/^([01]\d|2[0-3]):[0-5]\d$/, "Write a time as 09:00."),
    turnDays: z.number("Say how many days a turn lasts.").int("Whole days.").min(1, "A day at least.").max(366),
    hours: weekHoursSchema.nullable(),
    holidays: z.enum(["as usual", "off", "only"]),
  }),
  z.strictObject({
    kind: z.literal("calendar"),
    name: z.string().trim().min(1, "Give each layer a name.").max(60),
    text: z.string().max(500_000, "A calendar has at most 500,000 characters."),
  }),
]);

export const rotationSchema = z.strictObject({
  zone: z.string().refine(isZone, "There is no such time zone. Write it as Europe/Lisbon or UTC."),
  layers: z.array(layerSchema).min(1, "One layer at least.").max(MOST_LAYERS, `At most ${MOST_LAYERS} layers.`),
  cover: weekHoursSchema.nullable(),
  holidays: z.array(day).max(400),
});

const localDay = (atMs: number, zone: string) => DateTime.fromMillis(atMs, { zone }).startOf("day");
/** The instant at which a turn begins. */
const turnBegins = (layer: TurnsLayer, zone: string, turn: number) =>
  instantAt(DateTime.fromISO(layer.startsOn, { zone }).plus({ days: turn * layer.turnDays }), layer.handOverAt);

/** Which turn an instant is in; negative before the first. */
function turnAt(layer: TurnsLayer, zone: string, atMs: number): number {
  const first = DateTime.fromISO(layer.startsOn, { zone });
  const days = Math.round(localDay(atMs, zone).diff(first, "days").days);
  let turn = Math.floor(days / layer.turnDays);
  while (turnBegins(layer, zone, turn) > atMs) turn--;
  while (turnBegins(layer, zone, turn + 1) <= atMs) turn++;
  return turn;
}

/** Account by what a calendar calls somebody. */
type PersonOf = (name: string) => number | undefined;
interface Stretch {
  fromMs: number;
  toMs: number;
}

/** What of a plan is worked out once for a span. */
interface Worked {
  /** Shifts of its calendars. */
  calendars: ReadonlyMap<Layer, readonly CalendarShift[]>;
  /** Hours of its layers. */
  hours: ReadonlyMap<Layer, readonly Stretch[]>;
  /** Turns of its layers: which one begins when, from the one in which the span begins. */
  turns: ReadonlyMap<Layer, readonly { turn: number; atMs: number }[]>;
  holidays: readonly Stretch[];
}

function workedOut(plan: RotationPlan, fromMs: number, toMs: number): Worked {
  const { layers, zone } = plan;
  const calendars = new Map<Layer, readonly CalendarShift[]>();
  const hours = new Map<Layer, readonly Stretch[]>();
  const turns = new Map<Layer, { turn: number; atMs: number }[]>();
  for (const one of layers) {
    if (one.kind === "calendar") {
      calendars.set(one, shiftsOfCalendar(one.text, fromMs, toMs, zone));
      continue;
    }
    if (one.hours) hours.set(one, stretchesOf(one.hours, zone, fromMs, toMs));
    const own: { turn: number; atMs: number }[] = [];
    for (let turn = turnAt(one, zone, fromMs); ; turn++) {
      const atMs = turnBegins(one, zone, turn);
      if (atMs >= toMs) break;
      own.push({ turn, atMs });
    }
    turns.set(one, own);
  }
  return { calendars, hours, turns, holidays: holidaysOf(plan) };
}

/** The holidays of a plan, each a day on the clock of its place. */
export const holidaysOf = ({ holidays, zone }: RotationPlan): Stretch[] => holidays.map((one) => holidayOf(one, zone));

function holidayOf(day: string, zone: string): Stretch {
  const begins = DateTime.fromISO(day, { zone });
  return { fromMs: begins.toMillis(), toMs: begins.plus({ days: 1 }).toMillis() };
}

const covers = (stretches: readonly Stretch[] | undefined, atMs: number) =>
  stretches?.some((one) => one.fromMs <= atMs && atMs < one.toMs) ?? false;

/** Who of a layer is on call at an instant. */
function ofLayer(
  layer: Layer,
  atMs: number,
  { calendars, hours, turns, holidays }: Worked,
  personOf: PersonOf,
): number | undefined {
  if (layer.kind === "calendar") {
    const shift = calendars.get(layer)?.findLast((one) => one.fromMs <= atMs && atMs < one.toMs);
    return shift && personOf(shift.who);
  }
  if (layer.hours && !covers(hours.get(layer), atMs)) return undefined;
  if (layer.holidays !== "as usual" && covers(holidays, atMs) !== (layer.holidays === "only")) return undefined;
  const turn = turns.get(layer)?.findLast((one) => one.atMs <= atMs)?.turn ?? -1;
  return turn < 0 ? undefined : layer.people[turn % layer.people.length];
}

const NOBODY_KNOWN = () => undefined;

/** A plan is worked out for so long at once where instants are asked for: they are mostly near each other. */
const WORKED_MS = HOUR_MS;
/** What was last worked out of each plan for that. */
const workedBefore = new WeakMap<RotationPlan, { hour: number; worked: Worked }>();

function workedAround(plan: RotationPlan, atMs: number): Worked {
  const hour = Math.floor(atMs / WORKED_MS);
  const before = workedBefore.get(plan);
  if (before?.hour === hour) return before.worked;
  const worked = workedOut(plan, hour * WORKED_MS, (hour + 1) * WORKED_MS);
  workedBefore.set(plan, { hour, worked });
  return worked;
}

/** Who is on call at an instant and because of what: an override, else the last layer that has somebody. */
export const onCallAt = (
  plan: RotationPlan,
  overrides: readonly Override[],
  atMs: number,
  personOf: PersonOf = NOBODY_KNOWN,
): { person: number | null; because: string } => foundAt(plan, overrides, atMs, workedAround(plan, atMs), personOf);

function foundAt(
  plan: RotationPlan,
  overrides: readonly Override[],
  atMs: number,
  worked: Worked,
  personOf: PersonOf,
): { person: number | null; because: string } {
  const override = overrides.findLast((one) => one.fromMs <= atMs && atMs < one.toMs);
  if (override) return { person: override.person, because: "override" };
  for (const layer of plan.layers.toReversed()) {
    const found = ofLayer(layer, atMs, worked, personOf);
    if (found !== undefined) return { person: found, because: layer.name };
  }
  return { person: null, because: "" };
}

/** Instants of a span at which who is on call may change. */
function edgesOf(
  { cover, zone }: RotationPlan,
  overrides: readonly Override[],
  { calendars, hours, turns, holidays }: Worked,
  fromMs: number,
  toMs: number,
): number[] {
  const stretches: Stretch[] = [
    ...overrides,
    ...holidays,
    ...[...calendars.values()].flat(),
    ...[...hours.values()].flat(),
    ...(cover ? stretchesOf(cover, zone, fromMs, toMs) : []),
  ];
  const instants = [
    ...stretches.flatMap((one) => [one.fromMs, one.toMs]),
    ...[...turns.values()].flat().map((one) => one.atMs),
  ];
  return [...new Set([fromMs, ...instants.filter((atMs) => atMs > fromMs && atMs < toMs)])].sort((a, b) => a - b);
}

/** Longest span that shifts are worked out for. */
export const MOST_SPAN_MS = 400 * DAY_MS;

/** Who is on call through a span, stretch by stretch, without holes: nobody is a stretch of its own. */
export function shiftsIn(
  plan: RotationPlan,
  overrides: readonly Override[],
  fromMs: number,
  toMs: number,
  personOf: PersonOf = NOBODY_KNOWN,
): Shift[] {
  const end = Math.min(toMs, fromMs + MOST_SPAN_MS);
  const worked = workedOut(plan, fromMs, end);
  const edges = edgesOf(plan, overrides, worked, fromMs, end);
  const shifts: Shift[] = [];
  edges.forEach((edge, index) => {
    const next = edges[index + 1] ?? end;
    const found = foundAt(plan, overrides, edge, worked, personOf);
    const last = shifts.at(-1);
    if (last && last.person === found.person && last.because === found.because) last.toMs = next;
    else shifts.push({ fromMs: edge, toMs: next, ...found });
  });
  return shifts;
}

/** Stretches in which somebody has to be on call and nobody is. */
export function gapsIn(plan: RotationPlan, shifts: readonly Shift[]): { fromMs: number; toMs: number }[] {
  return shifts
    .filter((one) => one.person === null)
    .flatMap((one) => {
      if (!plan.cover) return [{ fromMs: one.fromMs, toMs: one.toMs }];
      return stretchesOf(plan.cover, plan.zone, one.fromMs, one.toMs).map((cover) => ({
        fromMs: Math.max(one.fromMs, cover.fromMs),
        toMs: Math.min(one.toMs, cover.toMs),
      }));
    });
}

/** Stretches with the same person in one, whatever layer says so: what people see of it. */
export function byPerson(shifts: readonly Shift[]): Shift[] {
  const merged: Shift[] = [];
  for (const one of shifts) {
    const last = merged.at(-1);
    if (last && last.person === one.person && last.toMs === one.fromMs) {
      last.toMs = one.toMs;
      if (!last.because.includes(one.because)) last.because += `, ${one.because}`;
    } else merged.push({ ...one });
  }
  return merged;
}
