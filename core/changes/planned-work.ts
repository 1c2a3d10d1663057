import ICAL from "ical.js";
import { DateTime } from "luxon";
import { z } from "zod";
import { isZone } from "../telling/week-hours";
import { HOUR_MS, MINUTE_MS, spokenDuration } from "../time/windows";

/** Work that somebody plans by hand: on what, when, and how it repeats (RFC 5545, 3.3.10). */
export interface PlannedWork {
  title: string;
  /** What it is about: a service with its members, or what fits a filter of the estate's list. */
  scope: WorkScope;
  /** When it first begins, on the clock of the place: 2026-03-17T22:00. */
  startsAt: string;
  zone: string;
  minutes: number;
  /** Recurrence rule; empty for once. */
  repeats: string;
}

export type WorkScope = { of: "service"; uid: string } | { of: "components"; filter: string };

/** A window of a ticket that is longer says when work may be done, not how long it takes: it keeps nothing quiet. */
export const LONGEST_TICKET_MS = 12 * HOUR_MS;
export const MOST_MINUTES = 7 * 24 * 60;
/** Occurrences of one rule that are gone through. */
const MOST_OCCURRENCES = 20_000;
const KNOWN_FREQUENCIES: ReadonlySet<string> = new Set(["DAILY", "WEEKLY", "MONTHLY", "YEARLY"]);

/** Ways to repeat that most work has; any other rule is written out. */
export const USUAL_REPEATS = [
  { rule: "", label: "once" },
  { rule: "FREQ=DAILY", label: "every day" },
  { rule: "FREQ=WEEKLY;BYDAY=MO,TU,WE,TH,FR", label: "Monday to Friday" },
  { rule: "FREQ=WEEKLY", label: "every week" },
  { rule: "FREQ=WEEKLY;INTERVAL=2", label: "every two weeks" },
  { rule: "FREQ=MONTHLY", label: "every month on this day" },
] as const;

function ruleOf(text: string): ICAL.Recur | undefined {
  try {
    const rule = ICAL.Recur.fromString(text.trim());
    // Some of what is wrong with a rule is found only where it is followed.
    rule.iterator(ICAL.Time.fromDateTimeString("2026-01-01T00:00:00")).next();
    return KNOWN_FREQUENCIES.has(rule.freq) ? rule : undefined;
  } catch {
    return undefined;
  }
}

const LOCAL = "yyyy-MM-dd'T'HH:mm";
const isLocal = (text: string) => DateTime.fromFormat(text, LOCAL).isValid;
/** What narrows a filter of the estate; its health changes all the time, so that work cannot go by it. */
const NARROW = /(^|&)(q|kind|site|label|fact)=[^&]/;

export const plannedWorkSchema = z.strictObject({
  title: z.string().trim().min(1, "Say what is done.").max(120, "At most 120 characters."),
  scope: z.discriminatedUnion("of", [
    z.strictObject({ of: z.literal("service"), uid: z.string().min(1, "Choose a service.").max(60) }),
    z.strictObject({
      of: z.literal("components"),
      filter: z
        .string()
        .max(500, "At most 500 characters.")
        .refine(
          (text) => NARROW.test(text),
          "Say what it is on: without a filter it would keep the whole estate quiet.",
        ),
    }),
  ]),
  startsAt: z.string().refine(isLocal, "Say when it begins, as 2026-12-24T22:00."),
  zone: z.string().refine(isZone, "There is no such time zone. Write it as Europe/Lisbon or UTC."),
  minutes: z
    .number("Say how long it takes.")
    .int("Whole minutes.")
    .min(5, "Five minutes at least.")
    .max(MOST_MINUTES, "Seven days at most."),
  repeats: z
    .string()
    .trim()
    .max(200, "At most 200 characters.")
    .refine(
      (text) => text === "" || ruleOf(text) !== undefined,
      "This is no rule of RFC 5545 that repeats by days, weeks, months or years, such as FREQ=WEEKLY;BYDAY=SU.",
    ),
});

export interface WorkWindow {
  fromMs: number;
  toMs: number;
}

/** An hour that the change of the clock leaves out is taken an hour later, of one that it repeats the first. */
const instantOf = ({ year, month, day, hour, minute }: ICAL.Time, zone: string): number =>
  Math.min(
    ...DateTime.fromObject({ year, month, day, hour, minute }, { zone })
      .getPossibleOffsets()
      .map((one) => one.toMillis()),
  );

/**
 * The windows of planned work that touch a span, in order: it begins at the same hour of its place's clock each time and
 * lasts as long, whatever the clock does meanwhile.
 */
export function workWindows(
  { startsAt, zone, minutes, repeats }: PlannedWork,
  fromMs: number,
  toMs: number,
): WorkWindow[] {
  const start = ICAL.Time.fromDateTimeString(`${startsAt}:00`);
  const lastsMs = minutes * MINUTE_MS;
  const windows: WorkWindow[] = [];
  const add = (time: ICAL.Time) => {
    const beginsMs = instantOf(time, zone);
    if (beginsMs < toMs && beginsMs + lastsMs > fromMs) windows.push({ fromMs: beginsMs, toMs: beginsMs + lastsMs });
    return beginsMs < toMs;
  };
  const rule = repeats === "" ? undefined : ruleOf(repeats);
  if (!rule) {
    add(start);
    return windows;
  }
  try {
    const times = rule.iterator(start);
    for (let count = 0; count < MOST_OCCURRENCES; count++) {
      const next = times.next();
      if (!next || !add(next)) break;
    }
  } catch {
    // A rule that cannot be followed from this beginning ends there.
  }
  return windows;
}

/** The window that an instant is in, else the next one within so long. */
export function nextWindow(work: PlannedWork, atMs: number, withinMs: number): WorkWindow | undefined {
  return workWindows(work, atMs, atMs + withinMs)[0];
}

/** "every week, for 2 h" */
export function repeatsInWords({ repeats, minutes }: Pick<PlannedWork, "repeats" | "minutes">): string {
  const usual = USUAL_REPEATS.find((one) => one.rule === repeats);
  return `${usual?.label ?? repeats}, for ${spokenDuration(minutes * MINUTE_MS)}`;
}

/** Work that is under way can be ended before its time; so much later its window is over. */
export const endedBefore = (window: WorkWindow, endedMs: number | null): WorkWindow =>
  endedMs !== null && endedMs > window.fromMs && endedMs < window.toMs ? { ...window, toMs: endedMs } : window;

/** How far ahead the next window is looked for. */
export const AHEAD_MS = 400 * 24 * HOUR_MS;
