// oxlint-disable-next-line import/default -- Node gives a CommonJS package as the default.
import rrule from "rrule";
import { DAY_MS, HOUR_MS, MINUTE_MS } from "./windows";

/** When something starts by itself. */
export interface Schedule {
  /** Minutes ("60"), or a recurrence rule of RFC 5545 ("FREQ=DAILY;BYHOUR=3") in UTC; empty for never. */
  every: string;
  /** Hours of the day, UTC, in which nothing starts: "08:00-18:00"; empty for none. */
  quiet: string;
}

const LEAST_MINUTES = 5;
const MOST_MINUTES = 7 * 24 * 60;
/** A rule fires for everybody at one instant; starts are spread over so long after it. */
const SPREAD_MS = 5 * MINUTE_MS;
/** Rules may lie in quiet hours for ever; so far is looked. */
const MOST_TRIES = 500;

const minutesOf = (every: string): number | undefined => (/^\d+$/.test(every) ? Number(every) : undefined);

/** What is wrong with a schedule, as a sentence; undefined where it can be kept to. */
export function everyProblem(every: string): string | undefined {
  const text = every.trim();
  if (text === "") return undefined;
  const minutes = minutesOf(text);
  if (minutes !== undefined)
    return minutes >= LEAST_MINUTES && minutes <= MOST_MINUTES
      ? undefined
      : `Every ${LEAST_MINUTES} to ${MOST_MINUTES.toLocaleString("en-GB")} minutes.`;
  return ruleOf(text)
    ? undefined
    : "This is neither a number of minutes nor a rule of RFC 5545. Write 60, or FREQ=DAILY;BYHOUR=3.";
}

export const quietProblem = (quiet: string): string | undefined =>
  quiet.trim() === "" || quietOf(quiet) ? undefined : "Write quiet hours as 08:00-18:00.";

/** A rule that starts with the day it is asked about, so that it means the same whenever it was written. */
function ruleOf(text: string): rrule.RRule | undefined {
  const plain = text.replace(/^RRULE:/i, "").toUpperCase();
  if (!/^FREQ=(HOURLY|DAILY|WEEKLY|MONTHLY|YEARLY)(;[A-Z]+=[A-Z0-9,+-]+)*$/.test(plain)) return undefined;
  if (/;(COUNT|UNTIL|BYSECOND|BYSETPOS)=/.test(plain)) return undefined;
  try {
    const options = rrule.RRule.parseString(plain);
    return new rrule.RRule({
      byhour: (options.freq ?? 0) > rrule.RRule.DAILY ? null : 0,
      byminute: 0,
      ...options,
      bysecond: 0,
      dtstart: new Date(EPOCH),
    });
  } catch {
    return undefined;
  }
}
/** A Monday, and the first of a month. */
const EPOCH = Date.UTC(2024, 0, 1);

function quietOf(text: string): { from: number; to: number } | undefined {
  const found = /^(\d{1,2}):(\d{2})\s*[-–]\s*(\d{1,2}):(\d{2})$/.exec(text.trim());
  if (!found) return undefined;
  const [fromHour, fromMinute, toHour, toMinute] = found.slice(1).map(Number) as [number, number, number, number];
  const ok = fromHour < 24 && toHour <= 24 && fromMinute < 60 && toMinute < 60;
  const from = fromHour * HOUR_MS + fromMinute * MINUTE_MS;
  const to = toHour * HOUR_MS + toMinute * MINUTE_MS;
  return ok && from !== to && to <= DAY_MS ? { from, to } : undefined;
}

/** When quiet hours that an instant lies in end; the instant itself outside of them. */
function afterQuiet(atMs: number, quiet: { from: number; to: number } | undefined): number {
  if (!quiet) return atMs;
  const day = Math.floor(atMs / DAY_MS) * DAY_MS;
  const hour = atMs - day;
  const { from, to } = quiet;
  if (from < to) return hour >= from && hour < to ? day + to : atMs;
  if (hour >= from) return day + DAY_MS + to;
  return hour < to ? day + to : atMs;
}

/**
 * When it starts next, strictly after an instant.
 * @param number what is spread by: things with one schedule start one after the other
 * @returns undefined where it never does
 */
export function nextStart({ every, quiet }: Schedule, number: number, afterMs: number): number | undefined {
  const text = every.trim();
  const minutes = minutesOf(text);
  const hours = quietOf(quiet);
  if (minutes !== undefined) {
    const step = Math.max(LEAST_MINUTES, minutes) * MINUTE_MS;
    const offset = (number * 7919 * MINUTE_MS) % step;
    const next = Math.floor((afterMs - offset) / step + 1) * step + offset;
    return afterQuiet(next, hours);
  }
  const rule = text === "" ? undefined : ruleOf(text);
  if (!rule) return undefined;
  const spread = (number * 7919 * 1000) % SPREAD_MS;
  let from = afterMs - spread;
  for (let tries = 0; tries < MOST_TRIES; tries++) {
    const found = rule.after(new Date(from));
    if (!found) return undefined;
    const next = afterQuiet(found.getTime() + spread, hours);
    if (next > afterMs) return next;
    from = found.getTime();
  }
  return undefined;
}

/** Of the time between two starts so much must have passed before the second may be brought forward. */
const EARLY = 1 / 12;

/**
 * Whether the next start may be brought forward to an instant, for something that should not wait for it: outside of
 * quiet hours, a twelfth of the way from the last start to the next at the least, and never where nothing starts by
 * itself.
 * @param number as of `nextStart`
 */
export function mayStartEarly(schedule: Schedule, number: number, lastMs: number, atMs: number): boolean {
  const next = nextStart(schedule, number, lastMs);
  return (
    next !== undefined && atMs - lastMs >= (next - lastMs) * EARLY && afterQuiet(atMs, quietOf(schedule.quiet)) === atMs
  );
}

/** "every 60 minutes, not 08:00–18:00": a schedule in words. */
export function scheduleInWords({ every, quiet }: Schedule): string {
  const text = every.trim();
  if (text === "") return "never";
  const minutes = minutesOf(text);
  const rule = minutes === undefined ? ruleOf(text) : undefined;
  const when =
    minutes !== undefined
      ? minutes % 60 === 0
        ? minutes === 60
          ? "every hour"
          : `every ${minutes / 60} hours`
        : `every ${minutes} minutes`
      : (rule?.toText() ?? text);
  return quiet.trim() ? `${when}, not ${quiet.trim().replace(/\s*[-–]\s*/, "–")} UTC` : when;
}
