import { DAY_MS } from "../time/windows";
import { LineProblem, type Amounts, type FocusLine } from "./focus";

/** Charges are spread over at most so many days; what is for longer stands at its first day. */
const MOST_SPREAD_DAYS = 31;

/** Sums of one item on one day, of one billing period. */
export interface DaySum {
  item: number;
  /** First instant of the day, UTC. */
  dayMs: number;
  billingMs: number;
  amounts: Amounts;
  lines: number;
}

/** More than is held at once, whatever else comes. */
export class TooMuch extends LineProblem {
  override name = "TooMuch";
}

/** Limits of what one file may hold, so that it cannot fill the memory. */
export interface GatherLimits {
  items: number;
  sums: number;
}

/**
 * Adds up charges by item, day and billing period as they come. A charge for several days is spread over them evenly, to
 * the cent and below: the last day takes what is left. Throws a LineProblem where there is too much.
 */
export class SpendGather {
  readonly items: (readonly string[])[] = [];
  private readonly known = new Map<string, number>();
  private readonly days: Map<number, DaySum>[] = [];
  private count = 0;
  lines = 0;
  /** Of billing periods, those that anything is said of. */
  readonly months = new Set<number>();

  constructor(private readonly limits: GatherLimits) {}

  add({ item, fromMs, toMs, billingMs, amounts }: FocusLine): void {
    const id = this.idOf(item);
    this.lines++;
    this.months.add(billingMs);
    const first = Math.floor(fromMs / DAY_MS);
    const days = Math.ceil(toMs / DAY_MS) - first;
    if (days === 1 || days > MOST_SPREAD_DAYS) return this.put(id, first, billingMs, amounts, 1);
    let before = 0;
    for (let index = 0; index < days; index++) {
      const end = Math.min(toMs, (first + index + 1) * DAY_MS);
      const share = (end - fromMs) / (toMs - fromMs);
      const part = amounts.map((one) => one * share - one * before) as Amounts;
      this.put(id, first + index, billingMs, part, index === 0 ? 1 : 0);
      before = share;
    }
  }

  private idOf(item: readonly string[]): number {
    const key = item.join("\u0001");
    let id = this.known.get(key);
    if (id === undefined) {
      if (this.items.length >= this.limits.items)
        throw new TooMuch(
          `The file is of more than ${this.limits.items.toLocaleString("en-GB")} different charges. Cut it into files of a month or an account each.`,
        );
      id = this.items.length;
      this.known.set(key, id);
      this.items.push(item);
      this.days.push(new Map());
    }
    return id;
  }

  private put(item: number, day: number, billingMs: number, amounts: Amounts, lines: number): void {
    const own = this.days[item] as Map<number, DaySum>;
    // Two billing periods of one day are months apart at the most: a line of a correction.
    const key = day * 4096 + (Math.round(billingMs / (28 * DAY_MS)) % 4096);
    const sum = own.get(key);
    if (sum) {
      for (let index = 0; index < amounts.length; index++)
        sum.amounts[index as 0] = (sum.amounts[index as 0] as number) + (amounts[index as 0] as number);
      sum.lines += lines;
      return;
    }
    if (++this.count > this.limits.sums)
      throw new TooMuch(
        `The file has more than ${this.limits.sums.toLocaleString("en-GB")} different charges and days. Cut it into files of a month or an account each.`,
      );
    own.set(key, { item, dayMs: day * DAY_MS, billingMs, amounts: [...amounts], lines });
  }

  *sums(): Generator<DaySum> {
    for (const own of this.days) yield* own.values();
  }
}
