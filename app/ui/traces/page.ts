import type { Answer } from "#server/pages/registry";

/** What the page of traces is asked and answers. */
export type TracesData = Answer<"traces"> & {
  asked: { operation: number | null; least: number | null; most: number | null; failed: string };
};

/** Puts changes into the page's address. */
export type Change = (changes: Record<string, string>) => void;

export const whole = (count: number) => count.toLocaleString("en-GB");
export const percent = (part: number, all: number) =>
  part === 0 ? "none" : `${((part / all) * 100).toFixed(part / all < 0.01 ? 2 : 1)} %`;
