import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { DAY_MS, HOUR_MS } from "../time/windows";
import { calendarOf, calendarProblem, shiftsOfCalendar } from "./calendar";
import { byPerson, gapsIn, onCallAt, shiftsIn, type RotationPlan, type TurnsLayer } from "./rotation";
import { hoursInWords, stretchesOf } from "./week-hours";

const ZONES = ["UTC", "Europe/Lisbon", "America/New_York", "Australia/Lord_Howe", "Pacific/Apia", "Asia/Kathmandu"];
const turns = (given: Partial<TurnsLayer> = {}): TurnsLayer => ({
  kind: "turns",
  name: "Weekly",
  people: [1, 2, 3],
  startsOn: "2026-01-05",
  handOverAt: "09:00",
  turnDays: 7,
  hours: null,
  holidays: "as usual",
  ...given,
});
const planOf = (layers: RotationPlan["layers"], given: Partial<RotationPlan> = {}): RotationPlan => ({
  zone: "Europe/Lisbon",
  layers,
  cover: null,
  holidays: [],
  ...given,
});
const at = (text: string) => Date.parse(text);

describe("rotations", () => {
  it("changes turns at the hand-over time of the place, before and after the clock changes", () => {
    const plan = planOf([turns()]);
    // In Lisbon 09:00 is 09:00 UTC in winter and 08:00 UTC from 29 March 2026 on.
    expect(onCallAt(plan, [], at("2026-03-23T08:59:59Z")).person).toBe(2);
    expect(onCallAt(plan, [], at("2026-03-23T09:00:00Z")).person).toBe(3);
    expect(onCallAt(plan, [], at("2026-03-30T07:59:59Z")).person).toBe(3);
    expect(onCallAt(plan, [], at("2026-03-30T08:00:00Z")).person).toBe(1);
  });

  it("has nobody before the first turn", () => {
    expect(onCallAt(planOf([turns()]), [], at("2026-01-05T08:59:00Z")).person).toBeNull();
  });

  it("lets later layers go before earlier ones, in their hours", () => {
    const night = turns({
      name: "Nights",
      people: [9],
      hours: { days: [1, 2, 3, 4, 5, 6, 7], from: "22:00", to: "06:00" },
    });
    const plan = planOf([turns({ people: [1] }), night], { zone: "UTC" });
    expect(onCallAt(plan, [], at("2026-02-03T21:59:00Z"))).toEqual({ person: 1, because: "Weekly" });
    expect(onCallAt(plan, [], at("2026-02-03T22:00:00Z"))).toEqual({ person: 9, because: "Nights" });
    expect(onCallAt(plan, [], at("2026-02-04T05:59:00Z")).person).toBe(9);
    expect(onCallAt(plan, [], at("2026-02-04T06:00:00Z")).person).toBe(1);
  });

  it("shows one stretch to people where several layers say the same", () => {
    const days = turns({
      name: "Days",
      people: [1],
      hours: { days: [1, 2, 3, 4, 5, 6, 7], from: "08:00", to: "18:00" },
    });
    const plan = planOf([turns({ people: [1, 2] }), days], { zone: "UTC" });
    const shifts = byPerson(shiftsIn(plan, [], at("2026-02-02T09:00:00Z"), at("2026-02-09T09:00:00Z")));
    expect(shifts.every((one, index) => one.person !== shifts[index + 1]?.person)).toBe(true);
    expect(shifts.some((one) => one.because === "Weekly, Days" || one.because === "Days, Weekly")).toBe(true);
  });

  it("goes by who takes over for a while, the latest word first", () => {
    const plan = planOf([turns({ people: [1] })]);
    const overrides = [
      { fromMs: 1e12 * 1.77, toMs: 1e12 * 1.77 + DAY_MS, person: 5 },
      { fromMs: 1e12 * 1.77 + HOUR_MS, toMs: 1e12 * 1.77 + 2 * HOUR_MS, person: 6 },
    ];
    expect(onCallAt(plan, overrides, 1.77e12 + HOUR_MS).person).toBe(6);
    expect(onCallAt(plan, overrides, 1.77e12 + 2 * HOUR_MS).person).toBe(5);
    expect(onCallAt(plan, overrides, 1.77e12 + DAY_MS).person).toBe(1);
  });

  it("keeps holidays on the clock of the place", () => {
    const plan = planOf(
      [turns({ people: [1], holidays: "off" }), turns({ name: "Holidays", people: [7], holidays: "only" })],
      {
        zone: "America/New_York",
        holidays: ["2026-12-25"],
      },
    );
    expect(onCallAt(plan, [], at("2026-12-25T04:59:00Z")).person).toBe(1);
    expect(onCallAt(plan, [], at("2026-12-25T05:00:00Z")).person).toBe(7);
    expect(onCallAt(plan, [], at("2026-12-26T05:00:00Z")).person).toBe(1);
  });

  it("shows gaps in the cover before they happen", () => {
    const office = { days: [1, 2, 3, 4, 5], from: "08:00", to: "18:00" };
    const plan = planOf([turns({ people: [1], hours: { ...office, to: "17:00" } })], { zone: "UTC", cover: office });
    const [from, to] = [at("2026-02-02T00:00:00Z"), at("2026-02-09T00:00:00Z")];
    const gaps = gapsIn(plan, shiftsIn(plan, [], from, to));
    expect(gaps).toHaveLength(5);
    expect(gaps[0]).toEqual({ fromMs: at("2026-02-02T17:00:00Z"), toMs: at("2026-02-02T18:00:00Z") });
  });

  it("gives every instant to whom it gives it in a list of shifts (property)", () => {
    fc.assert(
      fc.property(
        fc.constantFrom(...ZONES),
        fc.integer({ min: at("2026-01-06T00:00:00Z"), max: at("2027-12-01T00:00:00Z") }),
        fc.array(
          fc.record({
            people: fc.array(fc.integer({ min: 1, max: 9 }), { minLength: 1, maxLength: 4 }),
            handOverAt: fc.constantFrom("00:00", "02:30", "09:00", "23:59"),
            turnDays: fc.integer({ min: 1, max: 9 }),
            hours: fc.option(
              fc.record({
                days: fc.uniqueArray(fc.integer({ min: 1, max: 7 }), { minLength: 1, maxLength: 7 }),
                from: fc.constantFrom("00:00", "02:30", "08:00", "20:00"),
                to: fc.constantFrom("00:00", "02:30", "08:00", "20:00"),
              }),
            ),
            holidays: fc.constantFrom("as usual" as const, "off" as const, "only" as const),
          }),
          { minLength: 1, maxLength: 3 },
        ),
        fc.array(fc.integer({ min: 0, max: 20 * DAY_MS }), { minLength: 5, maxLength: 5 }),
        (zone, fromMs, layers, offsets) => {
          const plan = planOf(
            layers.map((one) => turns(one)),
            { zone, holidays: ["2026-03-29", "2026-10-25", "2027-01-01"] },
          );
          const overrides = [{ fromMs: fromMs + 3 * DAY_MS + 17, toMs: fromMs + 5 * DAY_MS, person: 42 }];
          const toMs = fromMs + 20 * DAY_MS;
          const shifts = shiftsIn(plan, overrides, fromMs, toMs);
          // They tile the span.
          expect(shifts[0]?.fromMs).toBe(fromMs);
          expect(shifts.at(-1)?.toMs).toBe(toMs);
          shifts.forEach((one, index) => expect(one.toMs).toBe(shifts[index + 1]?.fromMs ?? toMs));
          for (const offset of offsets) {
            const atMs = fromMs + Math.min(offset, 20 * DAY_MS - 1);
            const shift = shifts.find((one) => one.fromMs <= atMs && atMs < one.toMs);
            expect(shift?.person).toBe(onCallAt(plan, overrides, atMs).person);
          }
        },
      ),
      { numRuns: 60 },
    );
  });

  it("always has somebody where a layer is for all hours, through every change of the clock (property)", () => {
    fc.assert(
      fc.property(
        fc.constantFrom(...ZONES),
        fc.constantFrom("00:00", "01:30", "02:00", "02:30", "03:00", "12:00"),
        fc.integer({ min: 1, max: 14 }),
        (zone, handOverAt, turnDays) => {
          const plan = planOf([turns({ handOverAt, turnDays })], { zone });
          const shifts = shiftsIn(plan, [], at("2026-02-01T00:00:00Z"), at("2027-02-01T00:00:00Z"));
          expect(shifts.every((one) => one.person !== null)).toBe(true);
          expect(gapsIn(plan, shifts)).toEqual([]);
          // No turn is lost or doubled: whoever follows is the next in the order.
          shifts.forEach((one, index) => {
            const next = shifts[index + 1];
            if (next) expect(next.person).toBe(((one.person ?? 0) % 3) + 1);
          });
        },
      ),
      { numRuns: 40 },
    );
  });

  it("covers hours that go through midnight and through a change of the clock without a hole", () => {
    const nights = { days: [1, 2, 3, 4, 5, 6, 7], from: "18:00", to: "06:00" };
    const days = { days: [1, 2, 3, 4, 5, 6, 7], from: "06:00", to: "18:00" };
    for (const zone of ZONES) {
      const plan = planOf([turns({ hours: nights }), turns({ hours: days })], { zone });
      expect(gapsIn(plan, shiftsIn(plan, [], at("2026-02-01T00:00:00Z"), at("2027-02-01T00:00:00Z")))).toEqual([]);
    }
  });

  it("says hours as people do", () => {
    expect(hoursInWords({ days: [1, 2, 3, 4, 5], from: "08:00", to: "18:00" })).toBe("Mon to Fri 08:00–18:00");
    expect(hoursInWords({ days: [6, 1], from: "00:00", to: "00:00" })).toBe("Mon, Sat");
    expect(
      stretchesOf(
        { days: [7], from: "00:00", to: "00:00" },
        "UTC",
        at("2026-02-01T00:00:00Z"),
        at("2026-02-02T00:00:00Z"),
      ),
    ).toHaveLength(1);
  });
});

const vevent = (lines: string) =>
  `BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//x//y//EN\r\nBEGIN:VEVENT\r\nUID:u1\r\nDTSTAMP:20260101T000000Z\r\n${lines}\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n`;

describe("calendars", () => {
  it("reads who is on call from the attendee, else from the summary", () => {
    const text = vevent(
      "DTSTART:20260202T090000Z\r\nDTEND:20260202T170000Z\r\nRRULE:FREQ=DAILY;COUNT=3\r\nSUMMARY:Night\r\nATTENDEE;CN=Mara:mailto:mara@halvane.example",
    );
    expect(calendarProblem(text)).toBeUndefined();
    expect(shiftsOfCalendar(text, at("2026-02-03T00:00:00Z"), at("2026-02-10T00:00:00Z"))).toEqual([
      { who: "mara@halvane.example", fromMs: at("2026-02-03T09:00:00Z"), toMs: at("2026-02-03T17:00:00Z") },
      { who: "mara@halvane.example", fromMs: at("2026-02-04T09:00:00Z"), toMs: at("2026-02-04T17:00:00Z") },
    ]);
  });

  it("refuses what is no calendar, has no event or names nobody, in a sentence", () => {
    expect(calendarProblem("nonsense")).toMatch(/cannot be read/);
    expect(calendarProblem("BEGIN:VCALENDAR\r\nEND:VCALENDAR")).toMatch(/no event/);
    expect(calendarProblem(vevent("DTSTART:20260202T090000Z\r\nDTEND:20260202T170000Z"))).toMatch(/who is on call/);
  });

  it("ends with an event that repeats for ever", () => {
    const text = vevent("DTSTART:20200101T000000Z\r\nDTEND:20200101T010000Z\r\nRRULE:FREQ=SECONDLY\r\nSUMMARY:Mara");
    expect(shiftsOfCalendar(text, at("2026-02-03T00:00:00Z"), at("2026-02-04T00:00:00Z"))).toEqual([]);
  });

  it("feeds a layer: a person by what the calendar calls them, nobody for a stranger", () => {
    const text = vevent("DTSTART:20260202T090000Z\r\nDTEND:20260202T170000Z\r\nSUMMARY:Mara Tolvane");
    const plan = planOf([turns({ people: [1] }), { kind: "calendar", name: "From the calendar", text }], {
      zone: "UTC",
    });
    const personOf = (name: string) => (name === "Mara Tolvane" ? 8 : undefined);
    expect(onCallAt(plan, [], at("2026-02-02T10:00:00Z"), personOf)).toEqual({
      person: 8,
      because: "From the calendar",
    });
    expect(onCallAt(plan, [], at("2026-02-02T10:00:00Z")).person).toBe(1);
  });

  it("is read again as it was written", () => {
    const shifts = [
      {
        fromMs: at("2026-03-28T09:00:00Z"),
        toMs: at("2026-03-30T08:00:00Z"),
        who: "Mara, of the night",
        mail: "mara@halvane.example",
      },
      { fromMs: at("2026-03-30T08:00:00Z"), toMs: at("2026-04-06T08:00:00Z"), who: "Edo", mail: null },
    ];
    const text = calendarOf("Operations", "rotation-1", shifts, at("2026-01-01T00:00:00Z"));
    expect(shiftsOfCalendar(text, 0, at("2027-01-01T00:00:00Z"))).toEqual([
      { who: "mara@halvane.example", fromMs: shifts[0]?.fromMs, toMs: shifts[0]?.toMs },
      { who: "Edo", fromMs: shifts[1]?.fromMs, toMs: shifts[1]?.toMs },
    ]);
  });
});
