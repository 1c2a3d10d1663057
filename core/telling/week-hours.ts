import { DateTime } from "luxon";
import { z } from "zod";

/** Hours of the week on the clock of some place; an end at or before the beginning is on the next day. */
export interface WeekHours {
  /** Days on which they begin, 1 for Monday to 7 for Sunday. */
  days: readonly number[];
  /** 08:00 */
  from: string;
  /** 18:00 */
  to: string;
}

export const clockTime = z.string().regex(/^([01]\d|2[0-3]):[0-5]\d$/, "Write a time as 08:00.");

export const weekHoursSchema = z.strictObject({
  days: z.array(z.number().int().min(1).max(7)).min(1, "Choose one day at least.").max(7),
  from: clockTime,
  to: clockTime,
});

export const DAY_NAMES = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"] as const;

export const isZone = (zone: string): boolean => DateTime.local({ zone }).isValid;

/** A time of day on a day of a place, as an instant: what the change of the clock leaves out is an hour later, what it repeats is the first of both. */
export function instantAt(day: DateTime, time: string): number {
  const [hour = 0, minute = 0] = time.split(":").map(Number);
  const local = DateTime.fromObject(
    { year: day.year, month: day.month, day: day.day, hour, minute },
    { zone: day.zone },
  );
  return Math.min(...local.getPossibleOffsets().map((one) => one.toMillis()));
}

/** The stretches of such hours that touch a span, in order. */
export function stretchesOf(
  hours: WeekHours,
  zone: string,
  fromMs: number,
  toMs: number,
): { fromMs: number; toMs: number }[] {
  const stretches: { fromMs: number; toMs: number }[] = [];
  let day = DateTime.fromMillis(fromMs, { zone }).startOf("day").minus({ days: 1 });
  while (day.toMillis() < toMs) {
    if (hours.days.includes(day.weekday)) {
      const begins = instantAt(day, hours.from);
      const ends = instantAt(hours.to <= hours.from ? day.plus({ days: 1 }) : day, hours.to);
      if (ends > fromMs && begins < toMs) stretches.push({ fromMs: begins, toMs: ends });
    }
    day = day.plus({ days: 1 });
  }
  return stretches;
}

export const isWithin = (hours: WeekHours, zone: string, atMs: number): boolean =>
  stretchesOf(hours, zone, atMs, atMs + 1).some((one) => one.fromMs <= atMs && atMs < one.toMs);

/** "Mon to Fri 08:00–18:00" */
export function hoursInWords({ days, from, to }: WeekHours): string {
  const sorted = [...new Set(days)].sort((a, b) => a - b);
  const runs = sorted.every((day, index) => index === 0 || day === (sorted[index - 1] ?? 0) + 1);
  const names = sorted.map((day) => DAY_NAMES[day - 1] ?? "");
  const spoken =
    sorted.length === 7 ? "every day" : runs && sorted.length > 2 ? `${names[0]} to ${names.at(-1)}` : names.join(", ");
  return from === to ? spoken : `${spoken} ${from}–${to}`;
}
