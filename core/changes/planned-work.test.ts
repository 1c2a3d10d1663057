import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { MINUTE_MS } from "../time/windows";
import {
  endedBefore,
  nextWindow,
  plannedWorkSchema,
  repeatsInWords,
  workWindows,
  type PlannedWork,
} from "./planned-work";

const work = (changes: Partial<PlannedWork> = {}): PlannedWork => ({
  title: "Patches",
  scope: { of: "components", filter: "kind=host.linux" },
  startsAt: "2026-03-17T22:00",
  zone: "UTC",
  minutes: 120,
  repeats: "",
  ...changes,
});
const at = (text: string) => Date.parse(text);
const begins = (one: PlannedWork, from: string, to: string) =>
  workWindows(one, at(from), at(to)).map((window) => new Date(window.fromMs).toISOString().slice(0, 16));

describe("windows of planned work", () => {
  it("are one where it does not repeat", () => {
    expect(begins(work(), "2026-01-01T00:00Z", "2027-01-01T00:00Z")).toEqual(["2026-03-17T22:00"]);
    expect(workWindows(work(), at("2026-03-17T23:59Z"), at("2026-03-18T00:00Z"))).toHaveLength(1);
    expect(workWindows(work(), at("2026-03-18T00:00Z"), at("2026-03-19T00:00Z"))).toEqual([]);
  });

  // Examples of RFC 5545, 3.8.5.3, with the times of day that they have there.
  it.each([
    ["FREQ=DAILY;COUNT=3", ["1997-09-02T13:00", "1997-09-03T13:00", "1997-09-04T13:00"]],
    ["FREQ=WEEKLY;COUNT=2", ["1997-09-02T13:00", "1997-09-09T13:00"]],
    ["FREQ=WEEKLY;INTERVAL=2;COUNT=3;BYDAY=TU,TH", ["1997-09-02T13:00", "1997-09-04T13:00", "1997-09-16T13:00"]],
    ["FREQ=MONTHLY;COUNT=2;BYDAY=1FR", ["1997-09-05T13:00", "1997-10-03T13:00"]],
    ["FREQ=MONTHLY;COUNT=3;BYMONTHDAY=-1", ["1997-09-30T13:00", "1997-10-31T14:00", "1997-11-30T14:00"]],
  ])("repeat by %s", (repeats, expected) => {
    const one = work({ startsAt: "1997-09-02T09:00", zone: "America/New_York", repeats });
    expect(begins(one, "1997-09-01T00:00Z", "1998-09-01T00:00Z")).toEqual(expected);
  });

  it("keep the hour of the place when its clock changes, and take an hour that it leaves out an hour later", () => {
    const one = work({ startsAt: "2026-03-28T02:30", zone: "Europe/Lisbon", repeats: "FREQ=DAILY;COUNT=3" });
    expect(begins(one, "2026-03-01T00:00Z", "2026-04-30T00:00Z")).toEqual([
      "2026-03-28T02:30",
      "2026-03-29T01:30",
      "2026-03-30T01:30",
    ]);
    const lost = work({ startsAt: "2026-03-29T01:30", zone: "Europe/Lisbon" });
    expect(begins(lost, "2026-03-01T00:00Z", "2026-04-30T00:00Z")).toEqual(["2026-03-29T01:30"]);
  });

  it("are the same however a span is cut", () => {
    fc.assert(
      fc.property(
        fc.constantFrom("", "FREQ=DAILY", "FREQ=WEEKLY;BYDAY=MO,WE", "FREQ=MONTHLY", "FREQ=DAILY;INTERVAL=3;COUNT=9"),
        fc.integer({ min: 5, max: 10_000 }),
        fc.nat(90),
        fc.nat(90),
        (repeats, minutes, from, days) => {
          const one = work({ repeats, minutes });
          const [begin, end] = [
            at("2026-03-01T00:00Z") + from * 864e5,
            at("2026-03-01T00:00Z") + (from + days) * 864e5,
          ];
          const middle = begin + (end - begin) / 2;
          const parts = [...workWindows(one, begin, middle), ...workWindows(one, middle, end)];
          const whole = workWindows(one, begin, end);
          expect(new Set(parts.map((window) => window.fromMs))).toEqual(new Set(whole.map((window) => window.fromMs)));
          for (const window of whole) expect(window.toMs - window.fromMs).toBe(minutes * MINUTE_MS);
        },
      ),
    );
  });

  it("give the one that is under way before the next, and end when somebody ends it", () => {
    const one = work({ repeats: "FREQ=DAILY" });
    const now = at("2026-03-19T23:00Z");
    const window = nextWindow(one, now, 864e5);
    expect(window).toEqual({ fromMs: at("2026-03-19T22:00Z"), toMs: at("2026-03-20T00:00Z") });
    expect(window && endedBefore(window, now).toMs).toBe(now);
    expect(window && endedBefore(window, at("2026-03-18T22:30Z"))).toEqual(window);
  });
});

describe("what is refused", () => {
  const problem = (changes: object) => {
    const result = plannedWorkSchema.safeParse({ ...work(), ...changes });
    return result.success ? undefined : result.error.issues[0]?.message;
  };
  it.each([
    [{ title: " " }, "Say what is done."],
    [
      { scope: { of: "components", filter: "" } },
      "Say what it is on: without a filter it would keep the whole estate quiet.",
    ],
    [
      { scope: { of: "components", filter: "health=unwell" } },
      "Say what it is on: without a filter it would keep the whole estate quiet.",
    ],
    [{ startsAt: "tomorrow" }, "Say when it begins, as 2026-12-24T22:00."],
    [{ startsAt: "2026-02-30T22:00" }, "Say when it begins, as 2026-12-24T22:00."],
    [{ zone: "Atlantis" }, "There is no such time zone. Write it as Europe/Lisbon or UTC."],
    [{ minutes: 0 }, "Five minutes at least."],
    [
      { repeats: "FREQ=SECONDLY" },
      "This is no rule of RFC 5545 that repeats by days, weeks, months or years, such as FREQ=WEEKLY;BYDAY=SU.",
    ],
    [
      { repeats: "FREQ=MONTHLY;BYDAY=7MO" },
      "This is no rule of RFC 5545 that repeats by days, weeks, months or years, such as FREQ=WEEKLY;BYDAY=SU.",
    ],
    [
      { repeats: "FREQ=MONTHLY;BYMONTHDAY=32" },
      "This is no rule of RFC 5545 that repeats by days, weeks, months or years, such as FREQ=WEEKLY;BYDAY=SU.",
    ],
    [
      { repeats: "now and then" },
      "This is no rule of RFC 5545 that repeats by days, weeks, months or years, such as FREQ=WEEKLY;BYDAY=SU.",
    ],
  ])("%j", (changes, expected) => expect(problem(changes)).toBe(expected));

  it("is nothing of what is right, and rules are said in words", () => {
    expect(problem({})).toBeUndefined();
    expect(problem({ repeats: "FREQ=WEEKLY;BYDAY=SU" })).toBeUndefined();
    expect(repeatsInWords(work({ repeats: "FREQ=WEEKLY" }))).toBe("every week, for 2 h");
    expect(repeatsInWords(work({ repeats: "FREQ=WEEKLY;BYDAY=SU", minutes: 30 }))).toBe(
      "FREQ=WEEKLY;BYDAY=SU, for 30 min",
    );
  });
});
