/** An axis of values: where it begins and ends, and its marks. */
export interface ValueAxis {
  min: number;
  max: number;
  ticks: number[];
}

/** Round steps of a decimal unit: 1, 2, 2.5 or 5 times a power of ten. */
const DECIMAL = [1, 2, 2.5, 5, 10] as const;
/** Round steps of bytes, within one binary prefix. */
const BINARY = [1, 2, 4, 8, 16, 32, 64, 128, 256, 512, 1024] as const;

/** The smallest round step that is at least so wide, in the unit that is shown. */
export function roundStep(least: number, unit: string): number {
  if (!(least > 0)) return 1;
  if (unit === "By") {
    const prefix = 1024 ** Math.max(0, Math.floor(Math.log(least) / Math.log(1024)));
    return (BINARY.find((one) => one * prefix >= least) ?? 1024) * prefix;
  }
  // What is shown in seconds once it is long is counted in round seconds; so are milliseconds below.
  const power = 10 ** Math.floor(Math.log10(least));
  const step = DECIMAL.find((one) => one * power >= least * (1 - 1e-9)) ?? 10;
  return Number((step * power).toPrecision(3));
}

/**
 * An axis for values from `low` to `high`, with at most `most` marks on round values of the unit shown. It begins at
 * zero where the values lie on one side of it; percentages up to 100 end at 100, states have the marks 0 and 1.
 */
export function valueAxis(low: number, high: number, unit: string, most: number): ValueAxis {
  if (unit === "0/1") return { min: 0, max: 1, ticks: [0, 1] };
  const bottom = Number.isFinite(low) ? Math.min(0, low) : 0;
  const top = Number.isFinite(high) ? Math.max(0, high) : 0;
  if (unit === "%" && bottom >= 0 && top <= 100)
    return { min: 0, max: 100, ticks: most >= 5 ? [0, 25, 50, 75, 100] : [0, 50, 100] };
  // What is smaller than any number worth a mark is nothing.
  if (top - bottom < 1e-12) return { min: 0, max: 1, ticks: [0, 1] };
  const step = roundStep((top - bottom) / Math.max(1, most - 1), unit);
  const first = Math.floor(bottom / step);
  const last = Math.ceil(top / step);
  const ticks = Array.from({ length: last - first + 1 }, (_, index) =>
    Number(((first + index) * step).toPrecision(12)),
  );
  return { min: ticks[0] as number, max: ticks.at(-1) as number, ticks };
}
