/** What "usual" was made of: the same weekday of so many weeks, or so many of the days before. */
export interface Usual {
  value: number;
  basis: "weekday" | "days";
  /** Weeks or days that had a value. */
  count: number;
}

export const USUAL_BASES = ["weekday", "days"] as const;
export type UsualBasis = (typeof USUAL_BASES)[number];

/** Weeks back that the same weekday is looked for. */
export const USUAL_WEEKS = 4;

const mean = (values: readonly number[]) => values.reduce((sum, value) => sum + value, 0) / values.length;

/**
 * What is usual at an hour: the mean of the same hour of the same weekday in the past four weeks, since a weekend is no
 * workday; where none of them has a value, or where it is asked for, the mean of the past seven days.
 * @param valueOf value of the hour so many days before, 1 for yesterday; undefined where there is none
 */
export function usualOf(
  valueOf: (daysBefore: number) => number | undefined,
  basis: UsualBasis = "weekday",
): Usual | undefined {
  const of = (days: readonly number[]) => days.map(valueOf).filter((value): value is number => value !== undefined);
  if (basis === "weekday") {
    const weeks = of(Array.from({ length: USUAL_WEEKS }, (_, index) => (index + 1) * 7));
    if (weeks.length) return { value: mean(weeks), basis: "weekday", count: weeks.length };
  }
  const days = of([1, 2, 3, 4, 5, 6, 7]);
  return days.length ? { value: mean(days), basis: "days", count: days.length } : undefined;
}

const WEEKDAYS = ["Sunday", "Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday"] as const;

/** "last Wednesday", "last 3 Wednesdays", "past 7 days": what was compared with, at an instant. */
export function usualInWords({ basis, count }: Pick<Usual, "basis" | "count">, atMs: number): string {
  if (basis === "days") return count === 1 ? "yesterday" : `past ${count} days`;
  const day = WEEKDAYS[new Date(atMs).getUTCDay()] as string;
  return count === 1 ? `last ${day}` : `last ${count} ${day}s`;
}
