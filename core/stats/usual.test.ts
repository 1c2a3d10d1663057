import { describe, expect, it } from "vitest";
import { usualInWords, usualOf } from "./usual";

const from = (values: Readonly<Record<number, number>>) => (daysBefore: number) => values[daysBefore];
/** Wednesday. */
const AT = Date.parse("2026-03-18T10:00:00Z");

describe("what is usual at an hour", () => {
  it("is that of the same weekday: a quiet Sunday is no broken workday", () => {
    const workdays = { 1: 2, 2: 300, 3: 300, 4: 300, 5: 300, 6: 300, 7: 4, 14: 6 };
    expect(usualOf(from(workdays))).toEqual({ value: 5, basis: "weekday", count: 2 });
  });
  it("looks back four weeks and no further", () =>
    expect(usualOf(from({ 7: 1, 14: 2, 21: 3, 28: 4, 35: 100 }))).toEqual({ value: 2.5, basis: "weekday", count: 4 }));
  it("is that of the days before where the weekday has no past yet, or where it is asked for", () => {
    expect(usualOf(from({ 1: 10, 2: 20 }))).toEqual({ value: 15, basis: "days", count: 2 });
    expect(usualOf(from({ 1: 10, 7: 20 }), "days")).toEqual({ value: 15, basis: "days", count: 2 });
  });
  it("is nothing without a past", () => expect(usualOf(() => undefined)).toBeUndefined());
  it.each([
    ["weekday", 1, "last Wednesday"],
    ["weekday", 3, "last 3 Wednesdays"],
    ["days", 7, "past 7 days"],
    ["days", 1, "yesterday"],
  ] as const)("says what it was made of: %s of %d is %s", (basis, count, words) =>
    expect(usualInWords({ basis, count }, AT)).toBe(words),
  );
});
