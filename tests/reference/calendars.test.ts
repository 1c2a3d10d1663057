import { expect, it } from "vitest";
import { shiftsOfCalendar } from "#core/telling/calendar";
import { onCallAt, shiftsIn, type RotationPlan } from "#core/telling/rotation";

// Examples of RFC 5545 §3.8.5.3 (from memory; days as the RFC lists them), as calendars of who is on call. All begin on
// 2 September 1997 at 09:00 in New York unless an example says otherwise; the zone is named, not described.
const calendar = (rule: string, start = "19970902T090000", more = "") =>
  [
    "BEGIN:VCALENDAR",
    "VERSION:2.0",
    "PRODID:-//test//EN",
    "BEGIN:VEVENT",
    "UID:example",
    "DTSTAMP:19970101T000000Z",
    `DTSTART;TZID=America/New_York:${start}`,
    "DURATION:PT1H",
    `RRULE:${rule}`,
    ...(more ? [more] : []),
    "SUMMARY:Mara Tolvane",
    "END:VEVENT",
    "END:VCALENDAR",
  ].join("\r\n");

/** Days of New York on which the occurrences of a year or more begin: "9-2". */
const daysOf = (text: string, from = "1997-09-01", to = "1998-12-31") =>
  shiftsOfCalendar(text, Date.parse(`${from}T00:00:00Z`), Date.parse(`${to}T00:00:00Z`)).map((one) =>
    new Intl.DateTimeFormat("en-US", { timeZone: "America/New_York", month: "numeric", day: "numeric" })
      .format(one.fromMs)
      .replace("/", "-"),
  );
const span = (month: number, first: number, last: number) =>
  Array.from({ length: last - first + 1 }, (_, index) => `${month}-${first + index}`);

it.each<[string, string, string[], string?]>([
  ["daily for 10 occurrences", "FREQ=DAILY;COUNT=10", span(9, 2, 11)],
  [
    "daily until December 24, 1997",
    "FREQ=DAILY;UNTIL=19971224T000000Z",
    [...span(9, 2, 30), ...span(10, 1, 31), ...span(11, 1, 30), ...span(12, 1, 23)],
  ],
  ["every 10 days, 5 occurrences", "FREQ=DAILY;INTERVAL=10;COUNT=5", ["9-2", "9-12", "9-22", "10-2", "10-12"]],
  [
    "weekly for 10 occurrences",
    "FREQ=WEEKLY;COUNT=10",
    ["9-2", "9-9", "9-16", "9-23", "9-30", "10-7", "10-14", "10-21", "10-28", "11-4"],
  ],
  [
    "weekly on Tuesday and Thursday for five weeks",
    "FREQ=WEEKLY;COUNT=10;WKST=SU;BYDAY=TU,TH",
    ["9-2", "9-4", "9-9", "9-11", "9-16", "9-18", "9-23", "9-25", "9-30", "10-2"],
  ],
  [
    "every other week on Tuesday and Thursday, for 8 occurrences",
    "FREQ=WEEKLY;INTERVAL=2;COUNT=8;WKST=SU;BYDAY=TU,TH",
    ["9-2", "9-4", "9-16", "9-18", "9-30", "10-2", "10-14", "10-16"],
  ],
  [
    "monthly on the first Friday for 10 occurrences",
    "FREQ=MONTHLY;COUNT=10;BYDAY=1FR",
    ["9-5", "10-3", "11-7", "12-5", "1-2", "2-6", "3-6", "4-3", "5-1", "6-5"],
    "19970905T090000",
  ],
  [
    "monthly on the second-to-last Monday of the month for 6 months",
    "FREQ=MONTHLY;COUNT=6;BYDAY=-2MO",
    ["9-22", "10-20", "11-17", "12-22", "1-19", "2-16"],
    "19970922T090000",
  ],
  [
    "monthly on the third-to-the-last day of the month",
    "FREQ=MONTHLY;BYMONTHDAY=-3;COUNT=6",
    ["9-28", "10-29", "11-28", "12-29", "1-29", "2-26"],
    "19970928T090000",
  ],
  [
    "monthly on the 2nd and 15th of the month for 10 occurrences",
    "FREQ=MONTHLY;COUNT=10;BYMONTHDAY=2,15",
    ["9-2", "9-15", "10-2", "10-15", "11-2", "11-15", "12-2", "12-15", "1-2", "1-15"],
  ],
])("%s", (_title, rule, days, start) => {
  expect(daysOf(calendar(rule, start))).toEqual(days);
});

it("every Friday the 13th, with an occurrence taken out (EXDATE)", () => {
  const text = calendar(
    "FREQ=MONTHLY;BYDAY=FR;BYMONTHDAY=13",
    "19970902T090000",
    "EXDATE;TZID=America/New_York:19970902T090000",
  );
  expect(daysOf(text, "1997-09-03", "2000-12-31")).toEqual(["2-13", "3-13", "11-13", "8-13", "10-13"]);
});

it("keeps to the clock of New York through its change: 09:00 is 13:00 UTC in summer and 14:00 in winter", () => {
  const hours = new Set(
    shiftsOfCalendar(calendar("FREQ=DAILY;UNTIL=19971224T000000Z"), Date.UTC(1997, 8, 1), Date.UTC(1998, 0, 1)).map(
      (one) => `${one.fromMs < Date.UTC(1997, 9, 26, 6) ? "summer" : "winter"} ${new Date(one.fromMs).getUTCHours()}`,
    ),
  );
  expect([...hours]).toEqual(["summer 13", "winter 14"]);
});

it("a rotation has these shifts as its own, and nobody between them", () => {
  const plan: RotationPlan = {
    zone: "America/New_York",
    cover: null,
    holidays: [],
    layers: [{ kind: "calendar", name: "C", text: calendar("FREQ=WEEKLY;COUNT=10") }],
  };
  const personOf = (name: string) => (name === "Mara Tolvane" ? 7 : undefined);
  const shifts = shiftsIn(plan, [], Date.UTC(1997, 8, 1), Date.UTC(1997, 11, 1), personOf);
  expect(shifts.filter((one) => one.person === 7)).toHaveLength(10);
  expect(onCallAt(plan, [], Date.UTC(1997, 8, 9, 13, 30), personOf).person).toBe(7);
  expect(onCallAt(plan, [], Date.UTC(1997, 8, 9, 14, 0), personOf).person).toBeNull();
});

it("a time without a zone is on the clock of the rotation, not on that of the machine", () => {
  const text = calendar("FREQ=DAILY;COUNT=1").replace(";TZID=America/New_York", "");
  const [shift] = shiftsOfCalendar(text, 0, Date.UTC(2000, 0, 1), "Asia/Kathmandu");
  expect(new Date(shift?.fromMs ?? 0).toISOString()).toBe("1997-09-02T03:15:00.000Z");
});
