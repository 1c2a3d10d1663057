import ICAL from "ical.js";
import { DateTime } from "luxon";

/** A shift as a calendar has it. */
export interface CalendarShift {
  /** Who it says: the address of the attendee, else what the summary says. */
  who: string;
  fromMs: number;
  toMs: number;
}

/** Of one event that repeats, so many occurrences are looked at. */
const MOST_OCCURRENCES = 5_000;
const MOST_EVENTS = 2_000;

/** What is wrong with a calendar, as a sentence; undefined where it can be read. */
export function calendarProblem(text: string): string | undefined {
  try {
    const events = eventsOf(text);
    if (events.length === 0) return "The calendar has no event (VEVENT).";
    if (events.length > MOST_EVENTS) return `A calendar has at most ${MOST_EVENTS} events.`;
    const nameless = events.find((event) => whoOf(event) === "");
    if (nameless) return "An event names neither an ATTENDEE nor a SUMMARY: it does not say who is on call.";
    shiftsOf(events, Date.UTC(2026, 0, 1), Date.UTC(2026, 1, 1), "UTC");
    return undefined;
  } catch (error) {
    return `The calendar cannot be read: ${error instanceof Error ? error.message : "broken"}.`;
  }
}

/** Who a calendar names, each once. */
export const namesInCalendar = (text: string): string[] => [...new Set(eventsOf(text).map(whoOf))];

const read: Map<string, ICAL.Event[]> = new Map();

function eventsOf(text: string): ICAL.Event[] {
  const known = read.get(text);
  if (known) return known;
  const root = new ICAL.Component(ICAL.parse(text) as never);
  for (const zone of root.getAllSubcomponents("vtimezone"))
    ICAL.TimezoneService.register(new ICAL.Timezone(zone) as never);
  const all = root.getAllSubcomponents("vevent").map((one) => new ICAL.Event(one));
  // An occurrence that was moved belongs to the event that repeats.
  const events = all.filter((one) => !one.isRecurrenceException());
  for (const one of all)
    if (one.isRecurrenceException()) events.find((event) => event.uid === one.uid)?.relateException(one);
  // A few calendars are asked again and again.
  if (read.size >= 50) read.clear();
  read.set(text, events);
  return events;
}

function whoOf(event: ICAL.Event): string {
  const [attendee] = event.attendees;
  const address = attendee ? String(attendee.getFirstValue() ?? "").replace(/^mailto:/i, "") : "";
  return address.trim() || String(event.summary ?? "").trim();
}

/**
 * The shifts of a calendar that touch a span, in order. A calendar that cannot be read has none: it is refused when it
 * is saved.
 * @param zone place whose clock times without a zone are on
 */
export function shiftsOfCalendar(text: string, fromMs: number, toMs: number, zone = "UTC"): CalendarShift[] {
  try {
    return shiftsOf(eventsOf(text), fromMs, toMs, zone);
  } catch {
    return [];
  }
}

/** An instant; of a time without a zone that the calendar itself describes, on the clock of a place. */
function instantOf(time: ICAL.Time, zone: string): number {
  const own = String((time.zone as { tzid?: string } | null)?.tzid ?? "floating");
  if (own !== "floating") return time.toJSDate().getTime();
  const { year, month, day, hour, minute, second } = time;
  return DateTime.fromObject({ year, month, day, hour, minute, second }, { zone }).toMillis();
}

/** The zone that an event names, where the calendar does not describe it but everybody knows it. */
function zoneOf(event: ICAL.Event, usual: string): string {
  const named = String(event.component.getFirstProperty("dtstart")?.getParameter("tzid") ?? "");
  return named !== "" && DateTime.local({ zone: named }).isValid ? named : usual;
}

function shiftsOf(events: readonly ICAL.Event[], fromMs: number, toMs: number, usual: string): CalendarShift[] {
  const shifts: CalendarShift[] = [];
  const add = (event: ICAL.Event, start: ICAL.Time, end: ICAL.Time) => {
    const zone = zoneOf(event, usual);
    const one = { who: whoOf(event), fromMs: instantOf(start, zone), toMs: instantOf(end, zone) };
    if (one.toMs > fromMs && one.fromMs < toMs) shifts.push(one);
    return one.fromMs < toMs;
  };
  for (const event of events) {
    if (!event.isRecurring()) {
      add(event, event.startDate, event.endDate);
      continue;
    }
    const times = event.iterator();
    for (let count = 0; count < MOST_OCCURRENCES; count++) {
      const next = times.next();
      if (!next) break;
      const { item, startDate, endDate } = event.getOccurrenceDetails(next);
      if (!add(item, startDate, endDate)) break;
    }
  }
  return shifts.sort((a, b) => a.fromMs - b.fromMs);
}

const stamp = (atMs: number) => new Date(atMs).toISOString().replaceAll(/[-:]|\.\d{3}/g, "");

/** Shifts as a calendar (RFC 5545), an event each, in UTC. */
export function calendarOf(
  name: string,
  uid: string,
  shifts: readonly { fromMs: number; toMs: number; who: string; mail: string | null }[],
  madeMs: number,
): string {
  const root = new ICAL.Component("vcalendar");
  root.addPropertyWithValue("version", "2.0");
  root.addPropertyWithValue("prodid", "-//Holotaxis//On call//EN");
  root.addPropertyWithValue("x-wr-calname", name);
  for (const { fromMs, toMs, who, mail } of shifts) {
    const event = new ICAL.Component("vevent");
    event.addPropertyWithValue("uid", `${uid}-${stamp(fromMs)}`);
    event.addPropertyWithValue("dtstamp", utc(madeMs));
    event.addPropertyWithValue("dtstart", utc(fromMs));
    event.addPropertyWithValue("dtend", utc(toMs));
    event.addPropertyWithValue("summary", who);
    if (mail) {
      const attendee = new ICAL.Property("attendee");
      attendee.setParameter("cn", who);
      attendee.setValue(`mailto:${mail}`);
      event.addProperty(attendee);
    }
    root.addSubcomponent(event);
  }
  return `${root.toString()}\r\n`;
}

const utc = (atMs: number) => ICAL.Time.fromJSDate(new Date(atMs), true);
