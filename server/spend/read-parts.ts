import type { ReadFile } from "./read-file";

/** What was read of a file, in parts that are handed from thread to thread. */
export type SpendPart =
  | { what: "items"; items: (readonly string[])[] }
  | {
      what: "sums";
      item: Uint32Array;
      day: Float64Array;
      billing: Float64Array;
      amounts: Float64Array;
      lines: Uint32Array;
    }
  | { what: "end"; lines: number; unknown: readonly string[]; months: number[] }
  | { what: "problem"; message: string };

const ITEMS = 1000;
const SUMS = 5000;
export const AMOUNTS_OF_SUM = 6;

/** Cuts what was read into parts: first what it is of, then the sums in the order of days. */
export function* partsOf({ gather, unknown }: ReadFile): Generator<SpendPart> {
  for (let at = 0; at < gather.items.length; at += ITEMS)
    yield { what: "items", items: gather.items.slice(at, at + ITEMS) };
  const sums = [...gather.sums()].sort((a, b) => a.dayMs - b.dayMs || a.item - b.item);
  for (let at = 0; at < sums.length; at += SUMS) {
    const part = sums.slice(at, at + SUMS);
    const amounts = new Float64Array(part.length * AMOUNTS_OF_SUM);
    part.forEach((one, index) => amounts.set(one.amounts, index * AMOUNTS_OF_SUM));
    yield {
      what: "sums",
      item: Uint32Array.from(part, (one) => one.item),
      day: Float64Array.from(part, (one) => one.dayMs),
      billing: Float64Array.from(part, (one) => one.billingMs),
      amounts,
      lines: Uint32Array.from(part, (one) => one.lines),
    };
  }
  yield { what: "end", lines: gather.lines, unknown, months: [...gather.months] };
}
