import { createHash } from "node:crypto";
import { ITEM_COLUMNS } from "#core/spend/focus";
import { prepared, readMeta, writeMeta, type Db } from "./database";

export interface SpendImportRow {
  id: number;
  source_id: number | null;
  name: string;
  digest: string | null;
  bytes: number;
  state: "reading" | "taken";
  taken_at: number;
  taken_by: string;
  lines: number;
  note: string;
}

export interface SpendDayRow {
  item: number;
  day: number;
  billing: number;
  amounts: readonly number[];
  lines: number;
}

export interface BudgetRow {
  id: number;
  name: string;
  dimension: string | null;
  value: string | null;
  amount: number;
  made_at: number;
  made_by: string;
}

/** What digests of what platforms told begin with; others are those of files. */
export const TOLD = "told:";

const REVISION = "spend_revision";
const CURRENCY = "spend_currency";

export const spendRevision = (db: Db): string => readMeta(db, REVISION) ?? "0";
/** Whoever keeps sums of spend makes them anew. */
export const noteSpend = (db: Db): void => writeMeta(db, REVISION, String(Number(spendRevision(db)) + 1));

/** What was being read when Holotaxis ended counts for nothing. */
export function dropUnfinishedImports(db: Db): void {
  prepared(db, "DELETE FROM spend_import WHERE state = 'reading'").run();
}

export function beginImport(
  db: Db,
  one: Pick<SpendImportRow, "source_id" | "name" | "digest" | "bytes" | "taken_at" | "taken_by">,
): number {
  return Number(
    prepared(
      db,
      `INSERT INTO spend_import (source_id, name, digest, bytes, state, taken_at, taken_by)
       VALUES (@source_id, @name, @digest, @bytes, 'reading', @taken_at, @taken_by)`,
    ).run(one).lastInsertRowid,
  );
}

export const importOfDigest = (db: Db, digest: string): SpendImportRow | undefined =>
  prepared<SpendImportRow>(
    db,
    `SELECT * FROM spend_import i WHERE digest = ? AND state = 'taken'
     AND EXISTS (SELECT 1 FROM spend_day WHERE import_id = i.id)`,
  ).get(digest);

export const listImports = (db: Db, most: number): (SpendImportRow & { sums: number })[] =>
  prepared<SpendImportRow & { sums: number }>(
    db,
    `SELECT i.*, (SELECT count(*) FROM (SELECT 1 FROM spend_day WHERE import_id = i.id LIMIT 1000000)) AS sums
     FROM spend_import i WHERE state = 'taken' ORDER BY taken_at DESC, id DESC LIMIT ?`,
  ).all(most);

export const importById = (db: Db, id: number): SpendImportRow | undefined =>
  prepared<SpendImportRow>(db, "SELECT * FROM spend_import WHERE id = ? AND state = 'taken'").get(id);

export function removeImport(db: Db, id: number): void {
  prepared(db, "DELETE FROM spend_import WHERE id = ?").run(id);
}

/** What platforms tell next is taken in as if it were news. */
export function askPlatformsAnew(db: Db): void {
  prepared(db, `UPDATE spend_import SET digest = NULL WHERE digest LIKE '${TOLD}%'`).run();
}

const PROVIDER = ITEM_COLUMNS.indexOf("ProviderName");
const ACCOUNT = ITEM_COLUMNS.indexOf("BillingAccountId");
const ACCOUNT_NAME = ITEM_COLUMNS.indexOf("BillingAccountName");
const RESOURCE = ITEM_COLUMNS.indexOf("ResourceId");

/** The number of an item, which is made where there is none yet. */
export function putItem(db: Db, item: readonly string[]): number {
  const digest = createHash("sha1").update(item.join("\u0001")).digest("base64");
  const known = prepared<{ id: number }>(db, "SELECT id FROM spend_item WHERE digest = ?").get(digest);
  if (known) return known.id;
  const columns = Object.fromEntries(
    ITEM_COLUMNS.flatMap((name, index) => (item[index] ? [[name, item[index] as string] as const] : [])),
  );
  return Number(
    prepared(
      db,
      "INSERT INTO spend_item (digest, provider, account_id, account, resource_id, columns) VALUES (?, ?, ?, ?, ?, ?)",
    ).run(
      digest,
      item[PROVIDER],
      item[ACCOUNT],
      item[ACCOUNT_NAME] || item[ACCOUNT],
      item[RESOURCE],
      JSON.stringify(columns),
    ).lastInsertRowid,
  );
}

export function putSums(db: Db, importId: number, rows: readonly SpendDayRow[]): void {
  const put = prepared(
    db,
    `INSERT INTO spend_day (day, item_id, import_id, billing_at, billed, effective, list, contracted, consumed, priced, lines)
     VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)
     ON CONFLICT DO UPDATE SET billed = billed + excluded.billed, effective = effective + excluded.effective,
       list = list + excluded.list, contracted = contracted + excluded.contracted, consumed = consumed + excluded.consumed,
       priced = priced + excluded.priced, lines = lines + excluded.lines`,
  );
  for (const { item, day, billing, amounts, lines } of rows) put.run(day, item, importId, billing, ...amounts, lines);
}

/** What others said of the same accounts and billing periods goes; those of which nothing is left are forgotten. */
export function replaceBefore(db: Db, importId: number, places: readonly SpendPlace[]): number {
  const drop = prepared(
    db,
    `DELETE FROM spend_day WHERE import_id <> ? AND billing_at = ?
     AND item_id IN (SELECT id FROM spend_item WHERE provider = ? AND account_id = ?)`,
  );
  let gone = 0;
  for (const { provider, account, billing } of places) gone += drop.run(importId, billing, provider, account).changes;
  if (gone)
    prepared(
      db,
      `DELETE FROM spend_import WHERE state = 'taken' AND id <> ? AND NOT EXISTS (SELECT 1 FROM spend_day WHERE import_id = spend_import.id)`,
    ).run(importId);
  return gone;
}

export function endImport(db: Db, id: number, lines: number, note: string): void {
  prepared(db, "UPDATE spend_import SET state = 'taken', lines = ?, note = ? WHERE id = ?").run(lines, note, id);
  noteSpend(db);
}

interface SpendPlace {
  provider: string;
  account: string;
  billing: number;
}

/** Whether a file says something of an account and billing period. */
export const isToldByFile = (db: Db, { provider, account, billing }: SpendPlace): boolean =>
  prepared(
    db,
    `SELECT 1 FROM spend_day d JOIN spend_import i ON i.id = d.import_id AND i.state = 'taken' AND i.digest NOT LIKE '${TOLD}%'
     JOIN spend_item m ON m.id = d.item_id WHERE d.billing_at = ? AND m.provider = ? AND m.account_id = ? LIMIT 1`,
  ).get(billing, provider, account) !== undefined;

/** Takes out what an import says of an account and billing period. */
export function dropPlace(db: Db, importId: number, { provider, account, billing }: SpendPlace): void {
  prepared(
    db,
    `DELETE FROM spend_day WHERE import_id = ? AND billing_at = ?
     AND item_id IN (SELECT id FROM spend_item WHERE provider = ? AND account_id = ?)`,
  ).run(importId, billing, provider, account);
}

/** Accounts and billing periods that an import says something of. */
export const placesOfImport = (db: Db, id: number): SpendPlace[] =>
  prepared<SpendPlace>(
    db,
    `SELECT DISTINCT i.provider, i.account_id AS account, d.billing_at AS billing FROM spend_day d
     JOIN spend_item i ON i.id = d.item_id WHERE d.import_id = ?`,
  ).all(id);

export const listBudgets = (db: Db): BudgetRow[] => prepared<BudgetRow>(db, "SELECT * FROM budget ORDER BY name").all();
export const budgetById = (db: Db, id: number): BudgetRow | undefined =>
  prepared<BudgetRow>(db, "SELECT * FROM budget WHERE id = ?").get(id);
export const removeBudget = (db: Db, id: number): boolean =>
  prepared(db, "DELETE FROM budget WHERE id = ?").run(id).changes > 0;
export function putBudget(db: Db, one: Omit<BudgetRow, "id">): number {
  return Number(
    prepared(
      db,
      `INSERT INTO budget (name, dimension, value, amount, made_at, made_by) VALUES (@name, @dimension, @value, @amount, @made_at, @made_by)
       ON CONFLICT (name) DO UPDATE SET dimension = excluded.dimension, value = excluded.value, amount = excluded.amount,
         made_at = excluded.made_at, made_by = excluded.made_by`,
    ).run(one).lastInsertRowid,
  );
}

export const hasSpend = (db: Db): boolean => prepared(db, "SELECT 1 FROM spend_day LIMIT 1").get() !== undefined;

const currencies = new WeakMap<Db, { revision: string; found: string[] }>();

/** Currencies that anything was paid in; looked for once for each change of what was taken in. */
export function paidIn(db: Db): string[] {
  const revision = spendRevision(db);
  const known = currencies.get(db);
  if (known?.revision === revision) return known.found;
  const found = prepared<{ currency: string }>(
    db,
    "SELECT DISTINCT columns ->> 'BillingCurrency' AS currency FROM spend_item ORDER BY 1",
  )
    .all()
    .map((one) => one.currency);
  currencies.set(db, { revision, found });
  return found;
}

/** The currency that sums are in: the one that was chosen, else the first that anything was paid in. */
export const reportCurrency = (db: Db): string => readMeta(db, CURRENCY) ?? paidIn(db)[0] ?? "EUR";

export function ratesOf(db: Db): Map<string, number> {
  const rates = new Map(
    prepared<{ currency: string; rate: number }>(db, "SELECT currency, rate FROM spend_rate")
      .all()
      .map((one) => [one.currency, one.rate] as const),
  );
  return rates.set(reportCurrency(db), 1);
}

export function setCurrencies(db: Db, currency: string, rates: ReadonlyMap<string, number>): void {
  writeMeta(db, CURRENCY, currency);
  prepared(db, "DELETE FROM spend_rate").run();
  const put = prepared(db, "INSERT INTO spend_rate (currency, rate) VALUES (?, ?)");
  for (const [one, rate] of rates) if (one !== currency) put.run(one, rate);
  noteSpend(db);
}
