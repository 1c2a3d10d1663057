import { createWriteStream, mkdtempSync, rmSync, statSync, renameSync } from "node:fs";
import { once } from "node:events";
import { createReadStream } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import Papa from "papaparse";
import { spendPage } from "#server/pages/spend";
import { spendIdlePage } from "#server/pages/spend-idle";
import { SpendDesk, uploadsOf } from "#server/spend/desk";
import { readSpendFile } from "#server/spend/read-file";
import { partsOf } from "#server/spend/read-parts";
import { migrate, openStore } from "#server/store/database";
import type { Measurement } from "./measurement";

const LINES = 2_000_000;
const DAYS = 60;
const RESOURCES = Math.ceil(LINES / DAYS / 8);
const FIRST_MS = Date.UTC(2026, 1, 1);
const DAY_MS = 86_400_000;
const ASKED = 60;

const HEAD =
  "BilledCost,EffectiveCost,ListCost,BillingAccountId,BillingAccountName,BillingCurrency,BillingPeriodStart,ChargeCategory,ChargePeriodStart,ChargePeriodEnd,ProviderName,ServiceCategory,ServiceName,RegionId,ResourceId,ResourceName,SkuId,PricingQuantity,PricingUnit,Tags";
const iso = (ms: number) => `${new Date(ms).toISOString().slice(0, 19)}Z`;

/** Charges of three hours each of some thousand resources over two months. */
async function write(path: string): Promise<void> {
  const out = createWriteStream(path);
  out.write(`${HEAD}\n`);
  let left = LINES;
  for (let day = 0; day < DAYS && left > 0; day++) {
    const month = day < 28 ? FIRST_MS : FIRST_MS + 28 * DAY_MS;
    for (let part = 0; part < 8 && left > 0; part++) {
      const from = FIRST_MS + day * DAY_MS + part * 10_800_000;
      const lines: string[] = [];
      for (let one = 0; one < RESOURCES && left > 0; one++, left--) {
        const cost = (0.01 + (one % 97) / 500).toFixed(4);
        lines.push(
          `${cost},${cost},${cost},account-${one % 7},Account ${one % 7},EUR,${iso(month)},Usage,${iso(from)},${iso(from + 10_800_000)},Provider ${one % 2},Compute,Service ${one % 23},region-${one % 5},res-${one},resource ${one},sku-${one % 40},3,Hours,"{""app"":""a${one % 50}"",""owner"":""o${one % 9}""}"`,
        );
      }
      if (!out.write(`${lines.join("\n")}\n`)) await once(out, "drain");
    }
  }
  out.end();
  await once(out, "close");
}

/** Only the parsing, without looking at what stands there. */
const plainly = (path: string): Promise<number> =>
  new Promise((resolve, reject) => {
    let rows = 0;
    Papa.parse<string[]>(
      createReadStream(path, { encoding: "utf8", highWaterMark: 1024 * 1024 }) as unknown as Papa.LocalFile,
      {
        chunk: ({ data }) => void (rows += data.length),
        complete: () => resolve(rows),
        error: reject,
      },
    );
  });

/** Two million lines of costs taken in, and the pages over them. */
export async function benchSpend(root: string): Promise<Measurement[]> {
  const folder = mkdtempSync(join(tmpdir(), "holotaxis-spend-"));
  try {
    const db = openStore(join(folder, "store.db"), "writer");
    migrate(db, join(root, "server", "store", "migrations"));
    const desk = new SpendDesk({
      db,
      data: folder,
      now: () => FIRST_MS + DAYS * DAY_MS,
      read: async function* (path) {
        yield* partsOf(await readSpendFile(path));
      },
      onSpend: () => undefined,
    });
    const file = join(folder, "costs.csv");
    await write(file);
    const megabytes = statSync(file).size / 1e6;
    let began = performance.now();
    await plainly(file);
    const plain = (performance.now() - began) / 1000;
    renameSync(file, join(uploadsOf(folder), "bench-costs-csv"));
    began = performance.now();
    const taken = await desk.takeFile({ upload: "bench-costs-csv", name: "costs.csv", replaces: true }, "bench");
    const seconds = (performance.now() - began) / 1000;
    if (taken.lines !== LINES) throw new Error(`${taken.lines} of ${LINES} lines were taken in.`);
    const atMs = FIRST_MS + (DAYS - 5) * DAY_MS;
    const ask = (by: "provider" | "service" | "resource" | "tag:app", account?: string) =>
      spendPage(db, {
        atMs,
        monthMs: undefined,
        by,
        filters: account ? [{ dimension: "account", value: account }] : [],
        cost: "effective",
      });
    const loaded = performance.now();
    ask("provider");
    process.stderr.write(
      `  ${megabytes.toFixed(0)} MB of costs in ${seconds.toFixed(1)} s (parsed alone ${plain.toFixed(1)} s); first page ${((performance.now() - loaded) / 1000).toFixed(2)} s\n`,
    );
    spendIdlePage(db, { atMs });
    const took: number[] = [];
    for (let index = 0; index < ASKED; index++) {
      const start = performance.now();
      ask(
        (["provider", "service", "resource", "tag:app"] as const)[index % 4] ?? "provider",
        index % 3 ? `Account ${index % 7}` : undefined,
      );
      took.push(performance.now() - start);
    }
    took.sort((a, b) => a - b);
    const rows = db.prepare("SELECT count(*) AS count FROM spend_day").get() as { count: number };
    const summed = performance.now();
    db.prepare(
      "SELECT i.provider, sum(d.effective) FROM spend_day d JOIN spend_item i ON i.id = d.item_id GROUP BY 1",
    ).all();
    const sql = performance.now() - summed;
    db.close();
    return [
      {
        name: `${LINES.toLocaleString("en-GB")} lines of costs taken in (FOCUS, CSV)`,
        value: seconds,
        unit: "s",
        better: "lower",
        target: 60,
        reference: { name: "the same file parsed alone", value: plain },
      },
      {
        name: `spend page over ${rows.count.toLocaleString("en-GB")} sums, p95`,
        value: took[Math.floor(took.length * 0.95)] as number,
        unit: "ms",
        better: "lower",
        target: 100,
        reference: { name: "one sum by provider in SQL", value: sql },
      },
    ];
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
