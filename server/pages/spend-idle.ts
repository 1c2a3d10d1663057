import { idleVerdict, proofMetrics, type Figure, type IdleVerdict } from "#core/spend/idle";
import { NONE } from "#core/spend/cube";
import { DAY_MS, HOUR_MS } from "#core/time/windows";
import { cubeOf, memoOf } from "../spend/cube-of";
import { prepared, type Db } from "../store/database";
import { spansOf } from "../store/query";
import { seriesOfMetrics } from "../store/signals";
import { reportCurrency } from "../store/spend";

/** Signals are looked at over this long. */
const PROOF_DAYS = 7;
/** Those that cost most are looked at. */
const MOST_LOOKED = 1000;
const COST_DAYS = 30;

interface Owner {
  id: number;
  name: string;
  kind: string;
  valid_from: number;
  valid_to: number | null;
}

export interface IdleRow {
  resource: string;
  provider: string;
  account: string;
  componentId: number | null;
  kind: string | null;
  /** Of the last 30 days that are known. */
  cost: number;
  reason: IdleVerdict["reason"];
  proof: string;
}

/** What is paid for and does nothing: unused by its own signals, gone, attached to nothing, or never seen. */
export function spendIdlePage(db: Db, { atMs }: { atMs: number }) {
  const span = cubeOf(db).span;
  if (!span) return { currency: reportCurrency(db), rows: [], looked: 0, days: PROOF_DAYS, costDays: COST_DAYS };
  // Signals of an hour ago prove as much as those of now.
  const hour = Math.floor(atMs / HOUR_MS) * HOUR_MS;
  return memoOf(db, `idle ${hour}`, () => lookedAt(db, hour, Math.min(span.toMs, Math.floor(atMs / DAY_MS) * DAY_MS)));
}

function lookedAt(db: Db, atMs: number, toMs: number) {
  const cube = cubeOf(db);
  const window = { fromMs: toMs - COST_DAYS * DAY_MS, toMs };
  const charged = cube.groups("component", [window]).filter((one) => (one.sums[0] as number) > 0);
  const owners = charged.filter((one) => one.value !== NONE).slice(0, MOST_LOOKED);
  const rows: IdleRow[] = [];
  for (const { value, sums } of owners) {
    const owner = prepared<Owner>(db, "SELECT id, name, kind, valid_from, valid_to FROM component WHERE id = ?").get(
      Number(value),
    );
    if (!owner) continue;
    const verdict = verdictOf(db, owner, atMs, lastCharge(db, owner.id, toMs));
    if (!verdict) continue;
    const filters = [{ dimension: "component" as const, value }];
    rows.push({
      resource: owner.name,
      provider: cube.groups("provider", [window], filters)[0]?.value ?? "",
      account: cube.groups("account", [window], filters)[0]?.value ?? "",
      componentId: owner.id,
      kind: owner.kind,
      cost: sums[0] as number,
      ...verdict,
    });
  }
  rows.push(...unseen(db, window));
  rows.sort((a, b) => b.cost - a.cost);
  return { currency: reportCurrency(db), rows, looked: owners.length, days: PROOF_DAYS, costDays: COST_DAYS };
}

/** End of the last day that something was charged for. */
function lastCharge(db: Db, componentId: number, toMs: number): number {
  const span = { fromMs: toMs - COST_DAYS * DAY_MS, toMs };
  const [days] = cubeOf(db).daily("component", [String(componentId)], span);
  const last = days ? days.findLastIndex((one) => one > 0) : -1;
  return span.fromMs + (last + 1) * DAY_MS;
}

function verdictOf(db: Db, owner: Owner, atMs: number, chargedMs: number): IdleVerdict | undefined {
  if (owner.valid_to !== null && chargedMs > owner.valid_to + DAY_MS)
    return {
      reason: "gone",
      proof: `It has not been there since ${day(owner.valid_to)} and was charged for until ${day(chargedMs - 1)}.`,
    };
  if (owner.valid_to !== null) return undefined;
  if (owner.kind === "storage.volume" && !isAttached(db, owner.id, atMs))
    return { reason: "unattached", proof: "No machine has it attached." };
  return idleVerdict(owner.kind, ...figuresOf(db, owner, atMs));
}

const day = (ms: number) => new Date(ms).toISOString().slice(0, 10);

const isAttached = (db: Db, id: number, atMs: number) =>
  prepared(
    db,
    "SELECT 1 FROM relation WHERE to_id = ? AND type = 'stored-on' AND (valid_to IS NULL OR valid_to > ?) LIMIT 1",
  ).get(id, atMs - PROOF_DAYS * DAY_MS) !== undefined;

/** What the figures that tell of use did over the window, by hours. */
function figuresOf(db: Db, { id, kind }: Owner, atMs: number): [Figure[], { days: number; cover: number }] {
  const fromMs = atMs - PROOF_DAYS * DAY_MS;
  const metrics = proofMetrics(kind);
  const series = seriesOfMetrics(db, [id], metrics).get(id);
  let cover = 0;
  const figures = metrics.flatMap((metric, index): Figure[] => {
    const one = series?.get(metric);
    if (!one) return [];
    const spans = spansOf(db, one, fromMs, atMs, HOUR_MS);
    let [samples, sum, highest] = [0, 0, -Infinity];
    for (let at = 0; at < spans.starts.length; at++) {
      samples += spans.count[at] as number;
      sum += spans.sum[at] as number;
      highest = Math.max(highest, spans.max[at] as number);
    }
    if (index === 0) cover = spans.starts.length / (PROOF_DAYS * 24);
    return samples ? [{ metric, unit: one.unit, mean: sum / samples, highest, samples }] : [];
  });
  return [figures, { days: PROOF_DAYS, cover }];
}

/** Resources of accounts that are read here, which nobody has ever found there. */
function unseen(db: Db, window: { fromMs: number; toMs: number }): IdleRow[] {
  const cube = cubeOf(db);
  const accounts = cube.groups("account", [window]).map((one) => one.value);
  return accounts.flatMap((account) => {
    const filters = [{ dimension: "account" as const, value: account }];
    const known = cube.groups("component", [window], filters);
    // Nothing of it was ever found: the account is not read here.
    if (!known.some((one) => one.value !== NONE)) return [];
    return cube
      .groups("resource", [window], [...filters, { dimension: "component", value: NONE }])
      .filter((one) => one.value !== NONE && (one.sums[0] as number) > 0)
      .slice(0, 50)
      .map((one) => ({
        resource: one.value,
        provider: cube.groups("provider", [window], filters)[0]?.value ?? "",
        account,
        componentId: null,
        kind: null,
        cost: one.sums[0] as number,
        reason: "unseen" as const,
        proof: "It is charged for, but no source has found it in this account.",
      }));
  });
}
