import { DAY_MS } from "../time/windows";

/** What spend can be looked at by. */
export const DIMENSIONS = [
  "provider",
  "account",
  "subaccount",
  "category",
  "service",
  "region",
  "resource",
  "charge",
] as const;
export type Dimension = (typeof DIMENSIONS)[number] | "component" | `tag:${string}`;

export const DIMENSION_LABELS: Readonly<Record<(typeof DIMENSIONS)[number] | "component", string>> = {
  provider: "Provider",
  account: "Account",
  subaccount: "Sub-account",
  category: "Service category",
  service: "Service",
  region: "Region",
  resource: "Resource",
  charge: "Charge type",
  component: "Component",
};

export const isDimension = (text: string): text is Dimension =>
  text === "component" || (DIMENSIONS as readonly string[]).includes(text) || /^tag:.{1,80}$/.test(text);
export const dimensionLabel = (dimension: Dimension): string =>
  dimension.startsWith("tag:")
    ? `Tag ${dimension.slice(4)}`
    : DIMENSION_LABELS[dimension as (typeof DIMENSIONS)[number]];

/** One item of what is paid for. */
export interface SpendItem {
  id: number;
  provider: string;
  account: string;
  subaccount: string;
  category: string;
  service: string;
  region: string;
  resource: string;
  charge: string;
  currency: string;
  tags: Readonly<Record<string, string>>;
  componentId: number | null;
}

/** Which cost is counted: what it is worth over time, or what the bill says. */
export const COSTS = ["effective", "billed"] as const;
export type Cost = (typeof COSTS)[number];

/** Values of a dimension, as numbers by item. */
interface Codes {
  of: Int32Array;
  values: string[];
  index: Map<string, number>;
}

/** What lacks a value of a dimension. */
export const NONE = "";

export interface Filter {
  dimension: Dimension;
  value: string;
}

/** Columns of sums by item and day, each as long as the others, in the order of days. */
export interface SpendColumns {
  /** Index into the items. */
  item: Uint32Array;
  /** Days since 1970. */
  day: Uint16Array;
  effective: Float64Array;
  billed: Float64Array;
}

export interface Group {
  value: string;
  /** Sum of each span asked for, in their order, in the currency of reporting. */
  sums: number[];
}

/**
 * Spend by item and day, held in columns: a question over millions of sums is a pass over them. Currencies without a rate
 * are counted apart, never added up.
 */
export class SpendCube {
  private readonly codes = new Map<Dimension, Codes>();
  private readonly rate: Float64Array;

  /** @param rates of each currency, in the currency of reporting; that one itself is 1 */
  constructor(
    readonly items: readonly SpendItem[],
    private readonly columns: SpendColumns,
    rates: ReadonlyMap<string, number>,
  ) {
    this.rate = Float64Array.from(items, (one) => rates.get(one.currency) ?? Number.NaN);
  }

  get sums(): number {
    return this.columns.day.length;
  }

  /** Instants of the first day and of the end of the last one; undefined without any. */
  get span(): { fromMs: number; toMs: number } | undefined {
    const { day } = this.columns;
    if (day.length === 0) return undefined;
    return { fromMs: (day[0] as number) * DAY_MS, toMs: ((day.at(-1) as number) + 1) * DAY_MS };
  }

  /** Values of a dimension by item. */
  private codesOf(dimension: Dimension): Codes {
    let known = this.codes.get(dimension);
    if (!known) {
      const values: string[] = [];
      const index = new Map<string, number>();
      const of = Int32Array.from(this.items, (item) => {
        const value = valueOf(item, dimension);
        let code = index.get(value);
        if (code === undefined) {
          index.set(value, (code = values.length));
          values.push(value);
        }
        return code;
      });
      this.codes.set(dimension, (known = { of, values, index }));
    }
    return known;
  }

  /** Names of tags, those of most items first. */
  tagNames(most = 20): string[] {
    const counts = new Map<string, number>();
    for (const { tags } of this.items)
      for (const name of Object.keys(tags)) counts.set(name, (counts.get(name) ?? 0) + 1);
    return [...counts]
      .sort(([a, first], [b, second]) => second - first || a.localeCompare(b))
      .slice(0, most)
      .map(([name]) => name);
  }

  /** Which items pass all filters and have a rate. */
  private passing(filters: readonly Filter[]): Uint8Array {
    const pass = new Uint8Array(this.items.length).fill(1);
    for (const { dimension, value } of filters) {
      const { of, index: codes } = this.codesOf(dimension);
      const wanted = codes.get(value) ?? -1;
      for (let index = 0; index < pass.length; index++) if (of[index] !== wanted) pass[index] = 0;
    }
    for (let index = 0; index < pass.length; index++) if (Number.isNaN(this.rate[index])) pass[index] = 0;
    return pass;
  }

  /** Index of the first sum of a day or later. */
  private from(ms: number): number {
    const { day } = this.columns;
    const wanted = Math.floor(ms / DAY_MS);
    let low = 0;
    let high = day.length;
    while (low < high) {
      const middle = (low + high) >> 1;
      if ((day[middle] as number) < wanted) low = middle + 1;
      else high = middle;
    }
    return low;
  }

  /** Sums of some spans by the values of a dimension, those with most in the first span first. */
  groups(
    dimension: Dimension,
    spans: readonly { fromMs: number; toMs: number }[],
    filters: readonly Filter[] = [],
    cost: Cost = "effective",
  ): Group[] {
    const { of, values } = this.codesOf(dimension);
    const pass = this.passing(filters);
    const { item } = this.columns;
    const amount = this.columns[cost];
    const sums = spans.map(() => new Float64Array(values.length));
    const met = new Uint8Array(values.length);
    for (const [which, { fromMs, toMs }] of spans.entries()) {
      const own = sums[which] as Float64Array;
      const end = this.from(toMs);
      for (let index = this.from(fromMs); index < end; index++) {
        const one = item[index] as number;
        if (!pass[one]) continue;
        const code = of[one] as number;
        own[code] = (own[code] as number) + (amount[index] as number) * (this.rate[one] as number);
        met[code] = 1;
      }
    }
    return values
      .flatMap((value, code) => (met[code] ? [{ value, sums: sums.map((own) => own[code] as number) }] : []))
      .sort((a, b) => (b.sums[0] as number) - (a.sums[0] as number) || (a.value < b.value ? -1 : 1));
  }

  /** Sums day by day from the day of `fromMs` to before that of `toMs`, of the values of a dimension; one array a value. */
  daily(
    dimension: Dimension,
    wanted: readonly string[],
    { fromMs, toMs }: { fromMs: number; toMs: number },
    filters: readonly Filter[] = [],
    cost: Cost = "effective",
  ): Float64Array[] {
    const { of, values, index: codes } = this.codesOf(dimension);
    const first = Math.floor(fromMs / DAY_MS);
    const days = Math.max(0, Math.floor(toMs / DAY_MS) - first);
    const row = new Int32Array(values.length).fill(-1);
    wanted.forEach((value, index) => {
      const code = codes.get(value);
      if (code !== undefined) row[code] = index;
    });
    const result = wanted.map(() => new Float64Array(days));
    const pass = this.passing(filters);
    const { item, day } = this.columns;
    const amount = this.columns[cost];
    const end = this.from(toMs);
    for (let index = this.from(fromMs); index < end; index++) {
      const one = item[index] as number;
      if (!pass[one]) continue;
      const own = result[row[of[one] as number] as number];
      if (!own) continue;
      const at = (day[index] as number) - first;
      own[at] = (own[at] as number) + (amount[index] as number) * (this.rate[one] as number);
    }
    return result;
  }

  /** Sum of each day, of everything that passes. */
  total(
    span: { fromMs: number; toMs: number },
    filters: readonly Filter[] = [],
    cost: Cost = "effective",
  ): Float64Array {
    const first = Math.floor(span.fromMs / DAY_MS);
    const result = new Float64Array(Math.max(0, Math.floor(span.toMs / DAY_MS) - first));
    const pass = this.passing(filters);
    const { item, day } = this.columns;
    const amount = this.columns[cost];
    const end = this.from(span.toMs);
    for (let index = this.from(span.fromMs); index < end; index++) {
      const one = item[index] as number;
      if (!pass[one]) continue;
      const at = (day[index] as number) - first;
      result[at] = (result[at] as number) + (amount[index] as number) * (this.rate[one] as number);
    }
    return result;
  }

  /** What has no rate, by currency, in that currency. */
  apart(
    { fromMs, toMs }: { fromMs: number; toMs: number },
    cost: Cost = "effective",
  ): { currency: string; sum: number }[] {
    const sums = new Map<string, number>();
    const { item } = this.columns;
    const amount = this.columns[cost];
    const end = this.from(toMs);
    for (let index = this.from(fromMs); index < end; index++) {
      const one = item[index] as number;
      if (!Number.isNaN(this.rate[one])) continue;
      const { currency } = this.items[one] as SpendItem;
      sums.set(currency, (sums.get(currency) ?? 0) + (amount[index] as number));
    }
    return [...sums].map(([currency, sum]) => ({ currency, sum }));
  }
}

function valueOf(item: SpendItem, dimension: Dimension): string {
  if (dimension === "component") return item.componentId === null ? NONE : String(item.componentId);
  if (dimension.startsWith("tag:")) return item.tags[dimension.slice(4)] ?? NONE;
  return item[dimension as (typeof DIMENSIONS)[number]];
}
