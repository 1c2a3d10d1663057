import { z } from "zod";
import { LOG_LEVEL_CHOICES } from "../detection/logs";
import { MINUTE_MS } from "../time/windows";

/** What a field of a record is looked for in. */
export interface FieldRecord {
  body: string;
  /** Attributes as JSON; null without. */
  attributes: string | null;
}

/** Stands in a line for the value that is wanted. */
export const PLACE = "{value}";
const LONGEST_VALUE = 200;

/**
 * Reads a field of records: an attribute by its name, or what stands in a line where `{value}` is, as in
 * “Connection from {value} accepted”. Of a line that begins or ends with it, one word.
 */
export function fieldReader(field: string): (record: FieldRecord) => string | undefined {
  if (!field.includes(PLACE)) {
    const mark = JSON.stringify(field);
    return ({ attributes }) => (attributes?.includes(mark) ? attributeOf(attributes, field) : undefined);
  }
  const [before = "", after = ""] = field.split(PLACE);
  return ({ body }) => {
    const begin = body.indexOf(before);
    if (begin < 0) return undefined;
    const from = begin + before.length;
    const to = after === "" ? endOfWord(body, from) : body.indexOf(after, from);
    if (to < 0) return undefined;
    const found = body.slice(from, to);
    const value = before === "" ? (found.split(/\s/).at(-1) ?? "") : found;
    return value === "" || value.length > LONGEST_VALUE ? undefined : value;
  };
}

function endOfWord(body: string, from: number): number {
  const space = body.slice(from, from + LONGEST_VALUE + 1).search(/\s/);
  return space < 0 ? body.length : from + space;
}

function attributeOf(attributes: string, name: string): string | undefined {
  try {
    const value = (JSON.parse(attributes) as Record<string, unknown>)[name];
    if (typeof value !== "string" && typeof value !== "number" && typeof value !== "boolean") return undefined;
    const text = String(value);
    return text === "" ? undefined : text.slice(0, LONGEST_VALUE);
  } catch {
    return undefined;
  }
}

/** Different values of one component in a minute, and of all minutes and components together, that are kept apart. */
const MOST_VALUES = 5_000;
const MOST_KEPT = 500_000;
/** Values whose share is followed, the most frequent first; all others share one. */
export const MOST_SHARES = 12;
/** What all values together are called that are not followed by themselves; no value is empty. */
export const OTHER_VALUES = "";
/** Of fewer records in the window a share says nothing. */
const LEAST_RECORDS = 20;

interface Followed {
  /** Counts of each value by minutes since 1970. */
  minutes: Map<number, Map<string, number>>;
  /** Values whose share is followed once they had one, with the minute in which each was last met. */
  shown: Map<string, number>;
  /** There were more values than are followed. */
  hasOthers: boolean;
  /** The last minute with a record. */
  last: number;
}

/** What had none for so long is followed no longer. */
const FORGET_MINUTES = 24 * 60;

/** What the records of a window say of a field. */
export interface FieldFigures {
  records: number;
  distinct: number;
  /** Percent of the records with each followed value, and with any other; empty where there are too few. */
  shares: ReadonlyMap<string, number>;
}

/** Counts values of one field by component over a sliding window of whole minutes. */
export class FieldCounts {
  private readonly followed = new Map<number, Followed>();
  private kept = 0;

  /** @param minutes length of the window */
  constructor(private readonly minutes: number) {}

  /** @param atMs when the record was written */
  add(component: number, value: string, atMs: number): void {
    let own = this.followed.get(component);
    if (!own) this.followed.set(component, (own = { minutes: new Map(), shown: new Map(), hasOthers: false, last: 0 }));
    const minute = Math.floor(atMs / MINUTE_MS);
    own.last = Math.max(own.last, minute);
    let counts = own.minutes.get(minute);
    if (!counts) own.minutes.set(minute, (counts = new Map()));
    const known = counts.get(value);
    if (known === undefined) {
      if (counts.size >= MOST_VALUES || this.kept >= MOST_KEPT) return;
      this.kept++;
    }
    counts.set(value, (known ?? 0) + 1);
  }

  /**
   * The figures of every component that had the field within a day, over the whole minutes before the one of `nowMs`; what is
   * older is forgotten.
   */
  read(nowMs: number): Map<number, FieldFigures> {
    const end = Math.floor(nowMs / MINUTE_MS);
    const figures = new Map<number, FieldFigures>();
    for (const [component, own] of this.followed) {
      if (end - own.last > FORGET_MINUTES) {
        this.followed.delete(component);
        for (const counts of own.minutes.values()) this.kept -= counts.size;
        continue;
      }
      const sums = new Map<string, number>();
      let records = 0;
      for (const [minute, counts] of own.minutes) {
        if (minute < end - this.minutes) {
          own.minutes.delete(minute);
          this.kept -= counts.size;
        } else if (minute < end)
          for (const [value, count] of counts) {
            sums.set(value, (sums.get(value) ?? 0) + count);
            records += count;
          }
      }
      figures.set(component, { records, distinct: sums.size, shares: sharesOf(sums, records, own, end) });
    }
    return figures;
  }
}

/** Shares of the values that are followed, and of all others together. One that was not met for a day makes room. */
function sharesOf(sums: ReadonlyMap<string, number>, records: number, own: Followed, minute: number) {
  if (records < LEAST_RECORDS) return new Map<string, number>();
  const { shown } = own;
  for (const value of sums.keys()) if (shown.has(value)) shown.set(value, minute);
  for (const [value] of [...sums].sort((a, b) => b[1] - a[1])) {
    if (shown.has(value)) continue;
    if (shown.size >= MOST_SHARES) {
      const gone = [...shown].find(([, last]) => minute - last > FORGET_MINUTES);
      if (!gone) break;
      shown.delete(gone[0]);
    }
    shown.set(value, minute);
  }
  const percent = (count: number) => Math.round((count / records) * 10_000) / 100;
  const shares = new Map([...shown.keys()].map((value) => [value, percent(sums.get(value) ?? 0)]));
  let others = 0;
  for (const [value, count] of sums) if (!shown.has(value)) others += count;
  own.hasOthers ||= others > 0;
  if (own.hasOthers) shares.set(OTHER_VALUES, percent(others));
  return shares;
}

/** A figure of each component that is made of a field of its log records. */
export const logFigureSchema = z.strictObject({
  name: z.string().trim().min(1, "Give the figure a name.").max(60, "A name has at most 60 characters."),
  field: z
    .string()
    .trim()
    .min(1, `Give an attribute's name, or a line with ${PLACE} in it.`)
    .max(200, "A field has at most 200 characters.")
    .refine((field) => field !== PLACE, `Say what stands before or after ${PLACE}.`)
    .refine((field) => field.split(PLACE).length <= 2, `Only one ${PLACE} can be wanted.`),
  level: z.enum(LOG_LEVEL_CHOICES).default("0"),
  measure: z.enum(["distinct", "share"]),
  minutes: z.coerce
    .number("Minutes: use a whole number.")
    .int("Minutes: use a whole number.")
    .min(1, "Minutes: at least 1.")
    .max(120, "Minutes: at most 120.")
    .default(5),
});
export type LogFigureFields = z.output<typeof logFigureSchema>;
