import ICAL from "ical.js";
import Papa from "papaparse";
import { z } from "zod";

/** Planned work as a ticket system or a calendar tells of it. */
export interface Ticket {
  /** What people call it: CHG-3120. */
  ref: string;
  title: string;
  /** As its system says: planned, approved, closed … */
  state: string;
  /** Who does it. */
  person: string;
  /** Its window; null where it has none. */
  fromMs: number | null;
  toMs: number | null;
  /** What it is about: names of hosts, programs, services. Empty where it does not say. */
  things: readonly string[];
}

export type Parsed = { ok: true; tickets: Ticket[]; next: string | null } | { ok: false; problem: string };

/** Tickets of one source, over all its pages. */
export const MOST_TICKETS = 50_000;
const MOST_THINGS = 200;
/** Occurrences of planned work that repeats, so far ahead and back. */
const REACH_MS = 400 * 86_400_000;
const MOST_OCCURRENCES = 400;

const text = (most: number) => z.coerce.string().transform((value) => value.toWellFormed().trim().slice(0, most));
const instant = z
  .union([z.string(), z.number(), z.null()])
  .optional()
  .transform((value, context) => {
    if (value === undefined || value === null || value === "") return null;
    const ms = typeof value === "number" ? value : Date.parse(value);
    if (Number.isFinite(ms) && Math.abs(ms) < 8.64e15) return ms;
    context.addIssue({ code: "custom", message: `“${String(value).slice(0, 40)}” is no instant` });
    return z.NEVER;
  });
const ticketSchema = z
  .object({
    ref: text(60).refine((ref) => ref !== "", "a ticket has no ref"),
    title: text(400).default(""),
    state: text(40).default(""),
    person: text(120).default(""),
    from: instant,
    to: instant,
    things: z.array(text(120)).max(MOST_THINGS).default([]),
  })
  .transform(({ from, to, things, ...one }): Ticket => ({
    ...one,
    fromMs: from ?? null,
    toMs: to ?? null,
    things: things.filter(Boolean),
  }));
const pageSchema = z.union([
  z.array(z.unknown()),
  z.object({ items: z.array(z.unknown()), next: z.string().nullish() }),
]);

const problemOf = (error: z.ZodError, place: string): string => {
  const [issue] = error.issues;
  return `${place}: ${issue?.path.length ? `${issue.path.join(".")}: ` : ""}${issue?.message ?? "cannot be read"}.`;
};

/** Rows as tickets, or a sentence on the first that is none. */
export function checkedTickets(
  rows: readonly unknown[],
  placeOf: (index: number) => string,
  next: string | null,
): Parsed {
  if (rows.length > MOST_TICKETS)
    return { ok: false, problem: `There are more than ${MOST_TICKETS} tickets in one answer.` };
  const tickets: Ticket[] = [];
  for (const [index, row] of rows.entries()) {
    const result = ticketSchema.safeParse(row);
    if (!result.success) return { ok: false, problem: problemOf(result.error, placeOf(index)) };
    const { fromMs, toMs, ref } = result.data;
    if (fromMs !== null && toMs !== null && toMs < fromMs)
      return { ok: false, problem: `${placeOf(index)}: the window of ${ref} ends before it begins.` };
    tickets.push(result.data);
  }
  return { ok: true, tickets, next };
}

/** Tickets as JSON: a list, or `{ "items": […], "next": "address of the next page" }`. */
export function ticketsOfJson(body: string): Parsed {
  let value: unknown;
  try {
    value = JSON.parse(body);
  } catch {
    return { ok: false, problem: "The answer is no JSON." };
  }
  const page = pageSchema.safeParse(value);
  if (!page.success) return { ok: false, problem: "The answer is neither a list nor an object with “items”." };
  const [rows, next] = Array.isArray(page.data) ? [page.data, null] : [page.data.items, page.data.next ?? null];
  return checkedTickets(rows, (index) => `Ticket ${index + 1}`, next);
}

const COLUMNS = ["ref", "title", "state", "person", "from", "to", "things"];

/** Tickets as CSV with a head line; things in one column, parted by semicolons. */
export function ticketsOfCsv(body: string): Parsed {
  const { data, meta } = Papa.parse<Record<string, string>>(body.trim(), {
    header: true,
    skipEmptyLines: "greedy",
    transformHeader: (name) => name.trim().toLowerCase(),
  });
  const fields = meta.fields ?? [];
  if (!fields.includes("ref"))
    return { ok: false, problem: `A column “ref” is needed. Known columns: ${COLUMNS.join(", ")}.` };
  return checkedTickets(
    data.map((row) => ({ ...row, things: (row.things ?? "").split(";") })),
    (index) => `Line ${index + 2}`,
    null,
  );
}

/**
 * Planned work from a calendar (RFC 5545): each event, and each occurrence of one that repeats, is a window. What it is
 * about stands in CATEGORIES and RESOURCES, who does it in ORGANIZER; the reference is what SUMMARY begins with where
 * that looks like one, else the UID.
 */
export function ticketsOfCalendar(body: string, nowMs: number): Parsed {
  try {
    return windowsOf(new ICAL.Component(ICAL.parse(body) as never), nowMs);
  } catch (error) {
    // The library throws at the first value that is none, wherever it is asked for.
    return { ok: false, problem: `The calendar cannot be read: ${error instanceof Error ? error.message : "broken"}.` };
  }
}

function windowsOf(root: ICAL.Component, nowMs: number): Parsed {
  const tickets: Ticket[] = [];
  for (const component of root.getAllSubcomponents("vevent")) {
    const event = new ICAL.Event(component);
    if (!event.startDate) continue;
    const summary = String(event.summary ?? "")
      .toWellFormed()
      .slice(0, 400);
    const ref = /^[A-Z]{2,8}-\d{1,9}\b/.exec(summary)?.[0] ?? String(event.uid ?? "").slice(0, 60);
    if (!ref) return { ok: false, problem: `“${summary.slice(0, 60)}” has neither a reference nor a UID.` };
    const things = ["categories", "resources"].flatMap((name) =>
      component.getAllProperties(name).flatMap((property) => property.getValues().map(String)),
    );
    const common = {
      ref,
      title: summary,
      state: String(component.getFirstPropertyValue("status") ?? "planned").toLowerCase(),
      person: String(component.getFirstPropertyValue("organizer") ?? "").replace(/^mailto:/i, ""),
      things: things.slice(0, MOST_THINGS),
    };
    for (const [fromMs, toMs] of occurrences(event, nowMs)) {
      tickets.push({ ...common, fromMs, toMs });
      if (tickets.length > MOST_TICKETS)
        return { ok: false, problem: `The calendar has more than ${MOST_TICKETS} windows.` };
    }
  }
  return { ok: true, tickets, next: null };
}

function occurrences(event: ICAL.Event, nowMs: number): [number, number][] {
  const ms = (time: ICAL.Time) => time.toJSDate().getTime();
  const length = Math.max(0, ms(event.endDate) - ms(event.startDate));
  if (!event.isRecurring()) return [[ms(event.startDate), ms(event.startDate) + length]];
  const found: [number, number][] = [];
  const all = event.iterator();
  for (let looked = 0; looked < 20_000 && found.length < MOST_OCCURRENCES; looked++) {
    const next = all.next();
    if (!next) break;
    const from = ms(next);
    if (from > nowMs + REACH_MS) break;
    if (from + length >= nowMs - REACH_MS) found.push([from, from + length]);
  }
  return found;
}

/** By what an answer is: its type, else how it begins. */
export function parseTickets(body: string, contentType: string, nowMs: number): Parsed {
  const begins = body.trimStart().slice(0, 15).toUpperCase();
  if (contentType.includes("calendar") || begins.startsWith("BEGIN:VCALENDAR")) return ticketsOfCalendar(body, nowMs);
  if (contentType.includes("json") || begins.startsWith("[") || begins.startsWith("{")) return ticketsOfJson(body);
  return ticketsOfCsv(body);
}
