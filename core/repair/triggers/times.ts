import { DateTime } from "luxon";
import { z } from "zod";
import { clockTime, DAY_NAMES, instantAt, isZone } from "../../telling/week-hours";

const WEEKS = ["every", "first", "last"] as const;

export const timesTrigger = z.strictObject({
  type: z.literal("times"),
  /** Days of the week, 1 for Monday to 7 for Sunday. */
  days: z
    .array(z.number().int().min(1).max(7))
    .min(1, "Choose one day at least.")
    .max(7)
    .default([1, 2, 3, 4, 5, 6, 7]),
  /** Those days in every week, or only the first or the last of each in a month. */
  weeks: z.enum(WEEKS).default("every"),
  at: clockTime.default("02:30"),
  zone: z.string().max(60).refine(isZone, "There is no such time zone.").default("UTC"),
});
export type TimesTrigger = z.infer<typeof timesTrigger>;

/** First and last days of a kind in a month are at most five weeks apart. */
const LOOKED_AT_DAYS = 45;

/**
 * The first time after an instant, on the clock of its place: what the change of the clock leaves out is an hour later,
 * what it repeats comes once. Infinity where there is none.
 */
export function nextTime({ days, weeks, at, zone }: Omit<TimesTrigger, "type">, afterMs: number): number {
  let day = DateTime.fromMillis(afterMs, { zone }).startOf("day");
  for (let count = 0; count < LOOKED_AT_DAYS; count++, day = day.plus({ days: 1 })) {
    if (!days.includes(day.weekday)) continue;
    if (weeks === "first" && day.day > 7) continue;
    if (weeks === "last" && day.day <= (day.daysInMonth ?? 31) - 7) continue;
    const instant = instantAt(day, at);
    if (instant > afterMs) return instant;
  }
  return Number.POSITIVE_INFINITY;
}

const named = (days: readonly number[]): string => {
  if (days.length === 7) return "every day";
  return [...days]
    .sort((a, b) => a - b)
    .map((day) => DAY_NAMES[day - 1])
    .join(", ");
};

export const times = {
  type: "times",
  label: "At times",
  fills: [],
  words: ({ days, weeks, at, zone }: TimesTrigger) => {
    const which = weeks === "every" ? "" : days.length === 7 ? `in the ${weeks} week of a month, ` : `the ${weeks} `;
    return `${which}${named(days)}${which && days.length < 7 ? " of a month" : ""} at ${at} (${zone})`;
  },
};
