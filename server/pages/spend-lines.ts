import { FOCUS_COLUMNS, monthAfter, type FocusColumn } from "#core/spend/focus";
import { DAY_MS } from "#core/time/windows";
import { prepared, type Db } from "../store/database";

const ROWS = 4000;

interface Row {
  day: number;
  item_id: number;
  import_id: number;
  billing_at: number;
  billed: number;
  effective: number;
  list: number;
  contracted: number;
  consumed: number;
  priced: number;
  columns: string;
}

export interface LinePlace {
  day: number;
  item: number;
  import: number;
  billing: number;
}

const iso = (ms: number) => `${new Date(ms).toISOString().slice(0, 19)}Z`;
/** Cents and below, without the dust of binary fractions. */
const plain = (value: number) => String(Number(value.toPrecision(12)));

/** Charges as lines of FOCUS, in the order of days, a part at a time. */
export function spendLines(
  db: Db,
  { after }: { after: LinePlace | null },
): { rows: string[][]; next: LinePlace | null } {
  const rows = prepared<Row>(
    db,
    `SELECT d.*, i.columns FROM spend_day d JOIN spend_item i ON i.id = d.item_id
     WHERE d.import_id IN (SELECT id FROM spend_import WHERE state = 'taken')
       AND (d.day, d.item_id, d.import_id, d.billing_at) > (?, ?, ?, ?)
     ORDER BY d.day, d.item_id, d.import_id, d.billing_at LIMIT ${ROWS}`,
  ).all(after?.day ?? -1, after?.item ?? -1, after?.import ?? -1, after?.billing ?? -1);
  const last = rows.at(-1);
  return {
    rows: rows.map(lineOf),
    next:
      rows.length === ROWS && last
        ? { day: last.day, item: last.item_id, import: last.import_id, billing: last.billing_at }
        : null,
  };
}

function lineOf(row: Row): string[] {
  const columns = JSON.parse(row.columns) as Partial<Record<FocusColumn, string>>;
  const perUnit = (cost: number) => (row.priced ? plain(cost / row.priced) : "");
  const worked: Partial<Record<FocusColumn, string>> = {
    BilledCost: plain(row.billed),
    EffectiveCost: plain(row.effective),
    ListCost: plain(row.list),
    ContractedCost: plain(row.contracted),
    ConsumedQuantity: columns.ConsumedUnit ? plain(row.consumed) : "",
    PricingQuantity: columns.PricingUnit ? plain(row.priced) : "",
    ListUnitPrice: columns.PricingUnit ? perUnit(row.list) : "",
    ContractedUnitPrice: columns.PricingUnit ? perUnit(row.contracted) : "",
    ChargePeriodStart: iso(row.day),
    ChargePeriodEnd: iso(row.day + DAY_MS),
    BillingPeriodStart: iso(row.billing_at),
    BillingPeriodEnd: iso(monthAfter(row.billing_at)),
  };
  return FOCUS_COLUMNS.map((name) => worked[name] ?? columns[name] ?? "");
}
