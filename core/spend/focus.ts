/**
 * The columns of FOCUS, the open cost and usage specification (version 1.2, https://focus.finops.org/focus-specification/),
 * in its order; versions 1.0 and 1.1 have a part of them.
 */
export const FOCUS_COLUMNS = [
  "AvailabilityZone",
  "BilledCost",
  "BillingAccountId",
  "BillingAccountName",
  "BillingAccountType",
  "BillingCurrency",
  "BillingPeriodEnd",
  "BillingPeriodStart",
  "CapacityReservationId",
  "CapacityReservationStatus",
  "ChargeCategory",
  "ChargeClass",
  "ChargeDescription",
  "ChargeFrequency",
  "ChargePeriodEnd",
  "ChargePeriodStart",
  "CommitmentDiscountCategory",
  "CommitmentDiscountId",
  "CommitmentDiscountName",
  "CommitmentDiscountQuantity",
  "CommitmentDiscountStatus",
  "CommitmentDiscountType",
  "CommitmentDiscountUnit",
  "ConsumedQuantity",
  "ConsumedUnit",
  "ContractedCost",
  "ContractedUnitPrice",
  "EffectiveCost",
  "InvoiceId",
  "InvoiceIssuerName",
  "ListCost",
  "ListUnitPrice",
  "PricingCategory",
  "PricingCurrency",
  "PricingCurrencyContractedUnitPrice",
  "PricingCurrencyEffectiveCost",
  "PricingCurrencyListUnitPrice",
  "PricingQuantity",
  "PricingUnit",
  "ProviderName",
  "PublisherName",
  "RegionId",
  "RegionName",
  "ResourceId",
  "ResourceName",
  "ResourceType",
  "ServiceCategory",
  "ServiceName",
  "ServiceSubcategory",
  "SkuId",
  "SkuMeter",
  "SkuPriceDetails",
  "SkuPriceId",
  "SubAccountId",
  "SubAccountName",
  "SubAccountType",
  "Tags",
] as const;
export type FocusColumn = (typeof FOCUS_COLUMNS)[number];
const KNOWN: ReadonlySet<string> = new Set(FOCUS_COLUMNS);
export const isFocusColumn = (name: string): name is FocusColumn => KNOWN.has(name);

/** Columns without which a line says nothing. */
export const NEEDED = [
  "BilledCost",
  "BillingAccountId",
  "BillingCurrency",
  "ChargeCategory",
  "ChargePeriodEnd",
  "ChargePeriodStart",
  "ProviderName",
  "ServiceName",
] as const satisfies readonly FocusColumn[];

/** Amounts and quantities, in the order in which a line holds them. */
export const AMOUNTS = [
  "BilledCost",
  "EffectiveCost",
  "ListCost",
  "ContractedCost",
  "ConsumedQuantity",
  "PricingQuantity",
] as const satisfies readonly FocusColumn[];
export type Amounts = [
  billed: number,
  effective: number,
  list: number,
  contracted: number,
  used: number,
  priced: number,
];

/** What is worked out from others, or holds for one line only. */
const NOT_KEPT: ReadonlySet<string> = new Set<FocusColumn>([
  ...AMOUNTS,
  "BillingPeriodEnd",
  "BillingPeriodStart",
  "ChargePeriodEnd",
  "ChargePeriodStart",
  "CommitmentDiscountQuantity",
  "ContractedUnitPrice",
  "ListUnitPrice",
  "PricingCurrencyContractedUnitPrice",
  "PricingCurrencyEffectiveCost",
  "PricingCurrencyListUnitPrice",
]);
/** Columns that say what a charge is of: lines that are equal in them are of one item. */
export const ITEM_COLUMNS: readonly FocusColumn[] = FOCUS_COLUMNS.filter((one) => !NOT_KEPT.has(one));

const CATEGORIES: ReadonlySet<string> = new Set(["Usage", "Purchase", "Tax", "Credit", "Adjustment"]);

/** One charge: what it is of, for when, and how much. */
export interface FocusLine {
  /** Values of ITEM_COLUMNS, in their order; empty where there is none. */
  item: readonly string[];
  /** Epoch milliseconds; the end is not part of it. */
  fromMs: number;
  toMs: number;
  /** First instant of the billing period. */
  billingMs: number;
  amounts: Amounts;
}

/** What is wrong with a line; its message is a sentence for people. */
export class LineProblem extends Error {
  override name = "LineProblem";
}

const OFFSET = /(?:z|[+-]\d{2}:?\d{2})$/i;
const INSTANT = /^\d{4}-\d{2}-\d{2}(?:[t ]\d{2}:\d{2}(?::\d{2}(?:\.\d+)?)?(?:z|[+-]\d{2}:?\d{2})?)?$/i;
/** Charges are believed from 2000 to 2100. */
const FIRST_MS = Date.UTC(2000, 0, 1);
const LAST_MS = Date.UTC(2100, 0, 1);

/** First instant of the month (UTC) that an instant is in. */
export const monthOf = (ms: number): number => {
  const date = new Date(ms);
  return Date.UTC(date.getUTCFullYear(), date.getUTCMonth(), 1);
};
export const monthAfter = (monthMs: number, months = 1): number => {
  const date = new Date(monthMs);
  return Date.UTC(date.getUTCFullYear(), date.getUTCMonth() + months, 1);
};

/** Reads lines of one file by the order of its columns. */
export class FocusReader {
  /** Columns of the file that FOCUS does not know, its own custom ones (x_) aside. */
  readonly unknown: readonly string[];
  private readonly place: ReadonlyMap<string, number>;
  private readonly itemPlaces: readonly number[];
  private readonly instants = new Map<string, number>();
  private readonly tags = new Map<string, string>();

  /** Throws a LineProblem where a column that is needed lacks or stands there twice. */
  constructor(head: readonly string[]) {
    const names = head.map((one) => one.trim().replace(/^\uFEFF/, ""));
    const place = new Map<string, number>();
    for (const [index, name] of names.entries()) {
      if (place.has(name) && KNOWN.has(name)) throw new LineProblem(`The column ${name} stands there twice.`);
      place.set(name, index);
    }
    const lacking = NEEDED.filter((one) => !place.has(one));
    if (lacking.length === NEEDED.length)
      throw new LineProblem(
        "This has none of the columns of FOCUS. Export the costs in the FOCUS format (1.0 or later); its columns are called BilledCost, ChargePeriodStart and so on.",
      );
    if (lacking.length)
      throw new LineProblem(
        `The ${lacking.length === 1 ? "column" : "columns"} ${lacking.join(", ")} ${lacking.length === 1 ? "is" : "are"} missing; FOCUS has ${lacking.length === 1 ? "it" : "them"} in every file.`,
      );
    this.place = place;
    this.itemPlaces = ITEM_COLUMNS.map((one) => place.get(one) ?? -1);
    this.unknown = names.filter((one) => one !== "" && !KNOWN.has(one) && !/^x_/i.test(one));
  }

  /** Throws a LineProblem with a sentence that names column and value. */
  read(cells: readonly (string | undefined)[]): FocusLine {
    const text = (column: FocusColumn) => {
      const at = this.place.get(column);
      return at === undefined ? "" : (cells[at] ?? "").trim();
    };
    const item = this.itemPlaces.map((at) => (at < 0 ? "" : (cells[at] ?? "").trim()));
    for (const column of ["BillingAccountId", "ProviderName", "ServiceName"] as const)
      if (text(column) === "") throw new LineProblem(`${column} is empty.`);
    const currency = text("BillingCurrency");
    if (!/^[A-Z]{3}$/.test(currency))
      throw new LineProblem(
        `BillingCurrency “${short(currency)}” is no currency: three capital letters are meant (ISO 4217).`,
      );
    const category = text("ChargeCategory");
    if (!CATEGORIES.has(category))
      throw new LineProblem(`ChargeCategory “${short(category)}” is none of ${[...CATEGORIES].join(", ")}.`);
    const kind = text("ChargeClass");
    if (kind !== "" && !/^(?:correction|null)$/i.test(kind))
      throw new LineProblem(`ChargeClass “${short(kind)}” is not empty and not Correction.`);
    const fromMs = this.instant("ChargePeriodStart", text("ChargePeriodStart"));
    const toMs = this.instant("ChargePeriodEnd", text("ChargePeriodEnd"));
    if (toMs <= fromMs)
      throw new LineProblem("ChargePeriodEnd is not after ChargePeriodStart; the end is the first instant after it.");
    const billing = text("BillingPeriodStart");
    const billed = amount("BilledCost", text("BilledCost"), 0);
    const effective = amount("EffectiveCost", text("EffectiveCost"), billed);
    const contracted = amount("ContractedCost", text("ContractedCost"), effective);
    return {
      item: this.plainTags(item),
      fromMs,
      toMs,
      billingMs: monthOf(billing === "" ? fromMs : this.instant("BillingPeriodStart", billing)),
      amounts: [
        billed,
        effective,
        amount("ListCost", text("ListCost"), contracted),
        contracted,
        amount("ConsumedQuantity", text("ConsumedQuantity"), 0),
        amount("PricingQuantity", text("PricingQuantity"), 0),
      ],
    };
  }

  private instant(column: FocusColumn, text: string): number {
    const known = this.instants.get(text);
    if (known !== undefined) return known;
    const at = INSTANT.test(text)
      ? Date.parse(/[t ]/i.test(text) && !OFFSET.test(text) ? `${text.replace(" ", "T")}Z` : text.replace(" ", "T"))
      : Number.NaN;
    if (Number.isNaN(at) || at < FIRST_MS || at >= LAST_MS)
      throw new LineProblem(
        `${column} “${short(text)}” is no instant between 2000 and 2100. Write it like 2026-03-01T00:00:00Z.`,
      );
    if (this.instants.size > 100_000) this.instants.clear();
    this.instants.set(text, at);
    return at;
  }

  /** Tags in the order of their names, so that one item is not two. */
  private plainTags(item: string[]): string[] {
    const text = item[TAGS] as string;
    if (text === "" || text === "{}" || /^null$/i.test(text)) {
      item[TAGS] = "";
      return item;
    }
    let plain = this.tags.get(text);
    if (plain === undefined) {
      plain = tagsText(text);
      if (this.tags.size > 50_000) this.tags.clear();
      this.tags.set(text, plain);
    }
    item[TAGS] = plain;
    return item;
  }
}

const TAGS = ITEM_COLUMNS.indexOf("Tags");

function tagsText(text: string): string {
  let json: unknown;
  try {
    json = JSON.parse(text);
  } catch {
    throw new LineProblem(`Tags “${short(text)}” are no JSON object of names and values.`);
  }
  if (json === null || typeof json !== "object" || Array.isArray(json))
    throw new LineProblem(`Tags “${short(text)}” are no JSON object of names and values.`);
  const tags = Object.entries(json)
    .map(([name, value]) => [name, value === null || value === true ? "" : String(value)] as const)
    .sort(([a], [b]) => (a < b ? -1 : 1));
  return tags.length ? JSON.stringify(Object.fromEntries(tags)) : "";
}

function amount(column: FocusColumn, text: string, otherwise: number): number {
  if (text === "" || /^null$/i.test(text)) {
    if (column === "BilledCost") throw new LineProblem("BilledCost is empty.");
    return otherwise;
  }
  const value = Number(text);
  if (!/^[+-]?(?:\d+\.?\d*|\.\d+)(?:e[+-]?\d+)?$/i.test(text) || Math.abs(value) > 1e15)
    throw new LineProblem(
      `${column} “${short(text)}” is no number: FOCUS writes amounts with a point and without separators or signs of a currency.`,
    );
  return value;
}

const short = (text: string) => (text.length > 40 ? `${text.slice(0, 40)}…` : text);
