import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { judgeChange, ticketFinder, type JudgedChange } from "./judge";
import { parseTickets, ticketsOfCalendar, ticketsOfCsv, ticketsOfJson, type Ticket } from "./tickets";

const AT = Date.parse("2026-03-17T10:00:00Z");
const HOUR = 3_600_000;

const ticket = (changes: Partial<Ticket> = {}): Ticket => ({
  ref: "CHG-31",
  title: "gatefront 4.2.2",
  state: "approved",
  person: "Release bench",
  fromMs: AT - HOUR,
  toMs: AT + HOUR,
  things: ["nq-gate-web-01"],
  ...changes,
});
const change = (changes: Partial<JudgedChange> = {}): JudgedChange => ({
  atMs: AT,
  lateMs: 0,
  ticket: null,
  summary: "gatefront: version “4.2.1” became “4.2.2”",
  by: "sweep",
  things: ["nq-gate-web-01", "gatefront @ nq-gate-web-01", "Gate Appointments"],
  ...changes,
});
const standing = (one: JudgedChange, tickets: Ticket[]) => judgeChange(one, tickets).standing;

describe("a change and its ticket", () => {
  it("belong together by what it is about and when, without a reference", () => {
    expect(judgeChange(change(), [ticket()])).toMatchObject({ standing: "planned", ref: "CHG-31" });
    expect(standing(change({ things: ["sq-gate-web-01"] }), [ticket()])).toBe("none");
    expect(standing(change({ atMs: AT + 5 * HOUR }), [ticket()])).toBe("none");
  });
  it("belong together by reference, and then it is said what does not fit", () => {
    const named = { ticket: "CHG-31" };
    expect(standing(change(named), [ticket()])).toBe("planned");
    expect(standing(change({ ...named, atMs: AT + 5 * HOUR }), [ticket()])).toBe("outside");
    expect(standing(change({ ...named, things: ["sq-gate-web-01"] }), [ticket()])).toBe("more");
    expect(standing(change({ ...named, things: ["sq-gate-web-01"] }), [ticket({ things: [] })])).toBe("planned");
    expect(judgeChange(change({ ticket: "CHG-9" }), [ticket({ things: ["x"] })]).reason).toContain("CHG-9");
  });
  it("are not joined by a part of a reference, a cancelled ticket, or a person alone", () => {
    const elsewhere = { things: ["other"] };
    expect(standing(change({ ...elsewhere, summary: "see CHG-312" }), [ticket()])).toBe("none");
    expect(standing(change({ ...elsewhere, summary: "see CHG-31." }), [ticket()])).toBe("more");
    expect(standing(change({ ticket: "CHG-31" }), [ticket({ state: "Cancelled" })])).toBe("none");
    expect(standing(change({ ...elsewhere, by: "Release bench" }), [ticket()])).toBe("none");
  });
  it("count the time a sweep may have come late, and a little beside the window", () => {
    expect(standing(change({ atMs: AT + 6 * HOUR, lateMs: 6 * HOUR }), [ticket()])).toBe("planned");
    expect(standing(change({ atMs: AT + HOUR + 10 * 60_000 }), [ticket()])).toBe("planned");
  });
  it("take the window that fits of several, and full names for short ones", () => {
    const windows = [ticket({ fromMs: AT - 30 * HOUR, toMs: AT - 29 * HOUR }), ticket()];
    expect(standing(change({ ticket: "CHG-31" }), windows)).toBe("planned");
    expect(standing(change(), [ticket({ things: ["NQ-GATE-WEB-01.halvane.example"] })])).toBe("planned");
  });
  it("are about the hosts that a ticket names, not about all that run the same program", () => {
    const named = [ticket({ things: ["nq-gate-web-01", "gatefront"] })];
    const elsewhere = change({ things: ["gatefront @ sq-gate-web-01", "gatefront", "sq-gate-web-01"] });
    expect(judgeChange(elsewhere, named, new Set(["nq-gate-web-01", "sq-gate-web-01"])).standing).toBe("none");
    expect(judgeChange(elsewhere, [ticket({ things: ["gatefront"] })], new Set(["sq-gate-web-01"])).standing).toBe(
      "planned",
    );
  });
  it("are found among many as if all had been looked through", () => {
    const made = fc.record({
      ref: fc.constantFrom("CHG-1", "CHG-2", "CHG-12", "no. 7"),
      things: fc.subarray(["a", "B.example", "c"]),
      from: fc.integer({ min: -3, max: 3 }),
    });
    const said = fc.record({
      ticket: fc.constantFrom(null, "CHG-1", "no. 7"),
      summary: fc.constantFrom("", "see CHG-12.", "(CHG-2)", "for no. 7"),
      things: fc.subarray(["A", "b", "d"]),
    });
    fc.assert(
      fc.property(fc.array(made, { maxLength: 8 }), said, (list, one) => {
        const tickets = list.map(({ from, ...rest }) =>
          ticket({ ...rest, fromMs: AT + from * HOUR, toMs: AT + (from + 2) * HOUR }),
        );
        const asked = change(one);
        expect(judgeChange(asked, ticketFinder(tickets)(asked))).toEqual(judgeChange(asked, tickets));
      }),
    );
  });
  it("give the same verdict in whatever order tickets come", () => {
    const made = fc.record({
      ref: fc.constantFrom("CHG-1", "CHG-2", "CHG-3"),
      from: fc.integer({ min: -5, max: 5 }),
      things: fc.subarray(["a", "b", "c"]),
    });
    fc.assert(
      fc.property(fc.uniqueArray(made, { selector: (one) => one.ref }), fc.subarray(["a", "b"]), (list, things) => {
        const tickets = list.map(({ ref, from, things: of }) =>
          ticket({ ref, fromMs: AT + from * HOUR, toMs: AT + (from + 2) * HOUR, things: of }),
        );
        const one = change({ things });
        expect(standing(one, tickets)).toBe(standing(one, tickets.toReversed()));
      }),
    );
  });
});

describe("tickets as they come", () => {
  it("are JSON in pages, with instants as text or milliseconds", () => {
    const body = JSON.stringify({
      items: [{ ref: "CHG-1", from: "2026-03-17T09:00:00Z", to: AT + HOUR, things: ["a", ""] }],
      next: "/api/tickets?page=2",
    });
    expect(ticketsOfJson(body)).toEqual({
      ok: true,
      next: "/api/tickets?page=2",
      tickets: [{ ref: "CHG-1", title: "", state: "", person: "", fromMs: AT - HOUR, toMs: AT + HOUR, things: ["a"] }],
    });
  });
  it("are CSV with a head line", () => {
    const parsed = ticketsOfCsv("Ref,Title,From,To,Things\nCHG-2,Swap disk,2026-03-17T09:00Z,,nq-a;nq-b\n");
    expect(parsed).toMatchObject({
      ok: true,
      tickets: [{ ref: "CHG-2", title: "Swap disk", fromMs: AT - HOUR, toMs: null, things: ["nq-a", "nq-b"] }],
    });
  });
  // RFC 5545, section 3.8.5.3: "Daily for 10 occurrences", DTSTART;TZID=America/New_York:19970902T090000.
  it("are a calendar, with what repeats once for each time", () => {
    const calendar = [
      "BEGIN:VCALENDAR",
      "VERSION:2.0",
      "BEGIN:VEVENT",
      "UID:a-1",
      "SUMMARY:CHG-7 Patching",
      "DTSTART:19970902T130000Z",
      "DTEND:19970902T140000Z",
      "RRULE:FREQ=DAILY;COUNT=10",
      "RESOURCES:nq-a,nq-b",
      "END:VEVENT",
      "END:VCALENDAR",
    ].join("\r\n");
    const parsed = ticketsOfCalendar(calendar, Date.parse("1997-09-05T00:00:00Z"));
    if (!parsed.ok) throw new Error(parsed.problem);
    expect(parsed.tickets).toHaveLength(10);
    expect(parsed.tickets.at(-1)).toMatchObject({
      ref: "CHG-7",
      fromMs: Date.parse("1997-09-11T13:00:00Z"),
      toMs: Date.parse("1997-09-11T14:00:00Z"),
      things: ["nq-a", "nq-b"],
    });
  });
  it.each([
    ["{", "no JSON"],
    ["[{}]", "Ticket 1"],
    ['[{"ref":"A-1","from":"soon"}]', "“soon” is no instant"],
    ['[{"ref":"A-1","from":2,"to":1}]', "ends before it begins"],
    ['{"rows":[]}', "items"],
    ["name,when\na,b", "“ref”"],
    ["BEGIN:VCALENDAR\r\nnonsense", "cannot be read"],
  ])("say what is wrong with %s", (body, sentence) => {
    const parsed = parseTickets(body, "", AT);
    expect(parsed.ok ? "" : parsed.problem).toContain(sentence);
  });
  it("never throw, whatever comes", () => {
    fc.assert(
      fc.property(fc.string(), fc.constantFrom("", "application/json", "text/calendar", "text/csv"), (body, type) => {
        expect(typeof parseTickets(body, type, AT).ok).toBe("boolean");
      }),
    );
  });
});
