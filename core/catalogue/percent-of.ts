import { metricInfo } from "./metrics";

/**
 * How much of a size a value takes, percent; undefined where the size is not known.
 * @param over metric of the size: of one that says nothing by being zero there is no percentage
 */
export function percentOf(value: number, whole: number | undefined, over: string): number | undefined {
  if (whole === undefined || !Number.isFinite(whole)) return undefined;
  if (whole === 0) return metricInfo(over).zeroIsFull ? 100 : undefined;
  return (value / whole) * 100;
}
