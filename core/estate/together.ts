import type { MetricInfo } from "../catalogue/metrics";

/** One of many, with what it measured last. */
export interface Measured {
  id: number;
  value: number;
}

/** A figure of many components, as one. */
export interface Together {
  /** How many measure it. */
  count: number;
  /** Their sum, or their mean or highest where a sum would mean nothing. */
  value: number;
  how: MetricInfo["combine"];
  lowest: Measured;
  highest: Measured;
  /** Which of both is the worse one. */
  worst: Measured;
}

/** Adds up what many measured, in the way that their metric is added up. Undefined where nothing is measured. */
export function together(values: readonly Measured[], info: Pick<MetricInfo, "combine" | "bad">): Together | undefined {
  const [first] = values;
  if (!first) return undefined;
  let [sum, lowest, highest] = [0, first, first];
  for (const one of values) {
    sum += one.value;
    if (one.value < lowest.value) lowest = one;
    if (one.value > highest.value) highest = one;
  }
  const value = info.combine === "sum" ? sum : info.combine === "max" ? highest.value : sum / values.length;
  return {
    count: values.length,
    value,
    how: info.combine,
    lowest,
    highest,
    worst: info.bad === "low" ? lowest : highest,
  };
}

/** Those with most, or with least where less is worse; equal ones by their number. */
export const topOf = (values: readonly Measured[], most: number, bad: MetricInfo["bad"]): Measured[] =>
  [...values].sort((a, b) => (bad === "low" ? a.value - b.value : b.value - a.value) || a.id - b.id).slice(0, most);
