import { SpendCube, type SpendItem } from "#core/spend/cube";
import { nativeParts } from "#core/platforms/native";
import { DAY_MS } from "#core/time/windows";
import { prepared, type Db } from "../store/database";
import { ratesOf, reportCurrency, spendRevision } from "../store/spend";

/** What is further back than this is in the store and in exports, not on pages. */
const KEPT_DAYS = 800;
/** Who an item belongs to is looked up anew this often, the machine's time. */
const LOOKED_UP_MS = 10 * 60_000;

interface Kept {
  revision: string;
  madeMs: number;
  cube: SpendCube;
  memo: Map<string, unknown>;
}

const kept = new WeakMap<Db, Kept>();

/** All spend in columns; made once for each change, by each thread that reads. */
export function cubeOf(db: Db): SpendCube {
  return keptOf(db).cube;
}

/** Something that is worked out of the cube once, until it changes. */
export function memoOf<T>(db: Db, key: string, make: (cube: SpendCube) => T): T {
  const { cube, memo } = keptOf(db);
  if (!memo.has(key)) {
    if (memo.size > 200) memo.clear();
    memo.set(key, make(cube));
  }
  return memo.get(key) as T;
}

function keptOf(db: Db): Kept {
  const revision = `${spendRevision(db)} ${reportCurrency(db)}`;
  let own = kept.get(db);
  if (!own || own.revision !== revision || Date.now() - own.madeMs > LOOKED_UP_MS) {
    own = { revision, madeMs: Date.now(), cube: load(db), memo: new Map() };
    kept.set(db, own);
  }
  return own;
}

function load(db: Db): SpendCube {
  const last = prepared<{ day: number | null }>(db, "SELECT max(day) AS day FROM spend_day").get()?.day ?? 0;
  const from = last - KEPT_DAYS * DAY_MS;
  const unread = prepared<{ id: number }>(db, "SELECT id FROM spend_import WHERE state = 'reading'")
    .all()
    .map((one) => one.id);
  const most = (
    prepared<{ count: number }>(db, "SELECT count(*) AS count FROM spend_day WHERE day >= ?").get(from) as {
      count: number;
    }
  ).count;
  const columns = {
    item: new Uint32Array(most),
    day: new Uint16Array(most),
    effective: new Float64Array(most),
    billed: new Float64Array(most),
  };
  const place = new Map<number, number>();
  let at = 0;
  const rows = prepared(
    db,
    `SELECT day, item_id, effective, billed FROM spend_day WHERE day >= ?
     ${unread.length ? `AND import_id NOT IN (${unread.join(", ")})` : ""} ORDER BY day`,
  )
    .raw()
    .iterate(from) as Iterable<[number, number, number, number]>;
  for (const [day, id, effective, billed] of rows) {
    let index = place.get(id);
    if (index === undefined) place.set(id, (index = place.size));
    columns.item[at] = index;
    columns.day[at] = Math.round(day / DAY_MS);
    columns.effective[at] = effective;
    columns.billed[at] = billed;
    at++;
  }
  const cut = {
    item: columns.item.subarray(0, at),
    day: columns.day.subarray(0, at),
    effective: columns.effective.subarray(0, at),
    billed: columns.billed.subarray(0, at),
  };
  return new SpendCube(itemsOf(db, place), cut, ratesOf(db));
}

function itemsOf(db: Db, place: ReadonlyMap<number, number>): SpendItem[] {
  const owners = ownersOf(db);
  const items: SpendItem[] = [];
  for (const row of prepared<{ id: number; account_id: string; columns: string }>(
    db,
    "SELECT id, account_id, columns FROM spend_item",
  ).iterate()) {
    const index = place.get(row.id);
    if (index === undefined) continue;
    const columns = JSON.parse(row.columns) as Record<string, string>;
    const text = (name: string) => columns[name] ?? "";
    items[index] = {
      id: row.id,
      provider: text("ProviderName"),
      account: text("BillingAccountName") || text("BillingAccountId"),
      subaccount: text("SubAccountName") || text("SubAccountId"),
      category: text("ServiceCategory"),
      service: text("ServiceName"),
      region: text("RegionName") || text("RegionId"),
      resource: text("ResourceName") || text("ResourceId"),
      charge: text("ChargeCategory"),
      currency: text("BillingCurrency"),
      tags: text("Tags") ? (JSON.parse(text("Tags")) as Record<string, string>) : {},
      componentId:
        owners.get(`${row.account_id} ${text("ResourceId")}`) ??
        owners.get(`${text("SubAccountId")} ${text("ResourceId")}`) ??
        null,
    };
  }
  return items;
}

/** Components by account and id there, as their platform's own keys say; those that are there before those that were. */
function ownersOf(db: Db): Map<string, number> {
  const owners = new Map<string, number>();
  const rows = prepared<{ id: number; key: string }>(
    db,
    `SELECT c.id, k.key FROM component_key k JOIN component c ON c.id = k.component_id
     WHERE k.key >= 'native:' AND k.key < 'native;' ORDER BY c.valid_to IS NULL, c.valid_from`,
  ).iterate();
  for (const { id, key } of rows) {
    const parts = nativeParts(key);
    if (parts) owners.set(`${parts.account} ${parts.id}`, id);
  }
  return owners;
}
