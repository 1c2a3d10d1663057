import { mkdtempSync, rmSync, writeFileSync, readdirSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { parquetWriteBuffer } from "hyparquet-writer";
import Papa from "papaparse";
import { afterAll, beforeEach, describe, expect, it } from "vitest";
import { FOCUS_COLUMNS, ITEM_COLUMNS, type FocusLine } from "#core/spend/focus";
import { DAY_MS } from "#core/time/windows";
import { useStore } from "../../tests/store";
import { spendDataPage, spendPage } from "../pages/spend";
import { spendLines } from "../pages/spend-lines";
import type { Db } from "../store/database";
import { insertSource } from "../store/sources";
import { listImports, setCurrencies } from "../store/spend";
import { SpendDesk, uploadsOf } from "./desk";
import { FileProblem, readSpendFile } from "./read-file";
import { partsOf, type SpendPart } from "./read-parts";

const NOW = Date.parse("2026-03-17T10:00:00Z");
const data = mkdtempSync(join(tmpdir(), "holotaxis-spend-"));
let db: Db;
let desk: SpendDesk;
let sent = 0;
useStore((made) => (db = made));
afterAll(() => rmSync(data, { recursive: true, force: true }));

/** What the thread does, without one. */
async function* readHere(path: string): AsyncGenerator<SpendPart> {
  try {
    yield* partsOf(await readSpendFile(path));
  } catch (error) {
    if (!(error instanceof FileProblem)) throw error;
    yield { what: "problem", message: error.message };
  }
}

beforeEach(() => {
  db.exec("DELETE FROM spend_import; DELETE FROM spend_item; DELETE FROM spend_rate; DELETE FROM budget");
  setCurrencies(db, "EUR", new Map());
  desk = new SpendDesk({ db, data, now: () => NOW, read: readHere, onSpend: () => undefined });
});

type Row = Record<string, string>;
const row = (changes: Row = {}): Row => ({
  BilledCost: "10",
  EffectiveCost: "8",
  BillingAccountId: "a-1",
  BillingAccountName: "Quays",
  BillingCurrency: "EUR",
  BillingPeriodStart: "2026-03-01T00:00:00Z",
  ChargeCategory: "Usage",
  ChargePeriodStart: "2026-03-02T00:00:00Z",
  ChargePeriodEnd: "2026-03-03T00:00:00Z",
  ProviderName: "Altoform",
  ServiceName: "Machines",
  ResourceId: "m-1",
  Tags: '{"app":"gate"}',
  ...changes,
});

function send(content: string | Uint8Array): string {
  const upload = `file-${String(sent++).padStart(6, "0")}-upload`;
  writeFileSync(join(uploadsOf(data), upload), content);
  return upload;
}
const csv = (rows: Row[]) => Papa.unparse(rows);
const take = (content: string | Uint8Array, replaces = true, name = "march.csv") =>
  desk.takeFile({ upload: send(content), name, replaces }, "Edo");
const refusal = async (content: string | Uint8Array): Promise<string> => {
  try {
    await take(content);
  } catch (error) {
    return (error as Error).message;
  }
  return "";
};
const asked = { atMs: NOW, monthMs: undefined, by: "service" as const, filters: [], cost: "effective" as const };
const spent = () => {
  const page = spendPage(db, asked);
  return page.period === null ? null : page.spent;
};

describe("a file of costs", () => {
  it("is taken in, shown, and given out so that it comes back the same", async () => {
    await take(
      csv([
        row(),
        row({ ChargePeriodStart: "2026-03-03T00:00:00Z", ChargePeriodEnd: "2026-03-04T00:00:00Z" }),
        row({ ServiceName: "Drives", EffectiveCost: "2.5", BilledCost: "2.5" }),
      ]),
    );
    expect(spent()).toBeCloseTo(18.5, 9);
    const page = spendPage(db, asked);
    expect(page.groups?.map((one) => [one.value, one.spent])).toEqual([
      ["Machines", 16],
      ["Drives", 2.5],
    ]);
    const out = spendLines(db, { after: null });
    const again = Papa.unparse({ fields: [...FOCUS_COLUMNS], data: out.rows });
    await take(again, true, "again.csv");
    expect(spent()).toBeCloseTo(18.5, 9);
    expect(spendLines(db, { after: null }).rows).toEqual(out.rows);
    expect(spendDataPage(db, {}).imports.map((one) => one.name)).toEqual(["again.csv"]);
    expect(readdirSync(uploadsOf(data))).toEqual([]);
  });

  it("is the same as Parquet, tags as a map and costs as numbers included", async () => {
    const rows = [row(), row({ ServiceName: "Drives", BilledCost: "2.25", EffectiveCost: "2.25" })];
    await take(csv(rows));
    const before = spendLines(db, { after: null }).rows;
    db.exec("DELETE FROM spend_import; DELETE FROM spend_item");
    const column = (name: string, type: string, of: (one: Row) => unknown) => ({ name, type, data: rows.map(of) });
    const names = Object.keys(row());
    const file = parquetWriteBuffer({
      columnData: names.map((name) =>
        name.endsWith("Cost")
          ? column(name, "DOUBLE", (one) => Number(one[name]))
          : /Start$|End$/.test(name)
            ? column(name, "TIMESTAMP", (one) => new Date(one[name] as string))
            : name === "Tags"
              ? column(name, "JSON", (one) => JSON.parse(one[name] as string) as unknown)
              : column(name, "STRING", (one) => one[name]),
      ) as never,
    });
    await take(new Uint8Array(file), true, "march.parquet");
    expect(spendLines(db, { after: null }).rows).toEqual(before);
  });

  it("replaces what was known of the same account and billing period, corrections of it included, and nothing else", async () => {
    await take(csv([row(), row({ BillingAccountId: "a-2", BillingAccountName: "Depot" })]));
    await take(
      csv([
        row({
          BillingPeriodStart: "2026-02-01T00:00:00Z",
          ChargePeriodStart: "2026-02-02T00:00:00Z",
          ChargePeriodEnd: "2026-02-03T00:00:00Z",
        }),
      ]),
      true,
      "february.csv",
    );
    await take(
      csv([row({ EffectiveCost: "20" }), row({ EffectiveCost: "-3", BilledCost: "-3", ChargeClass: "Correction" })]),
      true,
      "later.csv",
    );
    const page = spendPage(db, { ...asked, by: "account" });
    expect(page.groups?.map((one) => [one.value, one.spent, one.before])).toEqual([
      ["Quays", 17, 8],
      ["Depot", 8, 0],
    ]);
    expect(listImports(db, 10).map((one) => one.name)).toEqual(["later.csv", "february.csv", "march.csv"]);
  });

  it("is added where it is asked for, and refused when it is the very same file", async () => {
    await take(csv([row()]));
    await take(csv([row({ ResourceId: "m-2" })]), false, "more.csv");
    expect(spent()).toBe(16);
    expect(await refusal(csv([row()]))).toContain("This very file was taken in already, as march.csv");
    expect(spent()).toBe(16);
  });

  it.each<[string, string | Uint8Array, string]>([
    ["empty", "", "The file is empty."],
    ["a head alone", Object.keys(row()).join(","), "no line below its head"],
    ["something else", "time,value\n1,2\n", "none of the columns of FOCUS"],
    ["a spreadsheet", new Uint8Array([0x50, 0x4b, 3, 4, 1]), "an archive or a spreadsheet"],
    ["gzip", new Uint8Array([0x1f, 0x8b, 8, 0]), "a file of gzip"],
    ["broken Parquet", new TextEncoder().encode("PAR1 and nothing more"), "The Parquet file cannot be read"],
    ["an open quote", `${csv([row()])}\r\n"never closed,1,2`, "is no proper CSV"],
    ["a wrong line", csv([row(), row({ BilledCost: "1.234,50" })]), "Line 3: BilledCost “1.234,50” is no number"],
    [
      "many wrong lines",
      csv(Array.from({ length: 40 }, () => row({ BillingCurrency: "€" }))),
      "40 lines are wrong, so nothing was taken.",
    ],
  ])("that is %s is refused with a sentence, and nothing is half-written", async (_name, content, words) => {
    await take(csv([row()]));
    expect(await refusal(content)).toContain(words);
    expect(spent()).toBe(8);
    expect(listImports(db, 10)).toHaveLength(1);
    expect(db.prepare("SELECT count(*) FROM spend_import").pluck().get()).toBe(1);
    expect(readdirSync(uploadsOf(data))).toEqual([]);
  });

  it("of other currencies is shown apart until there is a rate", async () => {
    await take(csv([row(), row({ BillingCurrency: "GBP", BillingAccountId: "b" })]));
    expect(spent()).toBe(8);
    expect(spendPage(db, asked).apart).toEqual([{ currency: "GBP", sum: 8 }]);
    setCurrencies(db, "EUR", new Map([["GBP", 1.5]]));
    expect(spent()).toBe(20);
    expect(spendPage(db, asked).apart).toEqual([]);
  });

  it("names what does not lead out of its folder", async () => {
    await expect(desk.takeFile({ upload: "../../etc/passwd", name: "x", replaces: true }, "Edo")).rejects.toThrow(
      "did not arrive whole",
    );
  });
});

describe("what a platform tells", () => {
  const line = (effective: number, day: number): FocusLine => ({
    item: ITEM_COLUMNS.map((name) => (row() as Record<string, string>)[name] ?? ""),
    fromMs: Date.UTC(2026, 2, day),
    toMs: Date.UTC(2026, 2, day) + DAY_MS,
    billingMs: Date.UTC(2026, 2, 1),
    amounts: [effective, effective, effective, effective, 1, 1],
  });

  it("takes the place of what it told before, and leaves what a file says", async () => {
    const id = insertSource(
      db,
      {
        kind: "platform",
        name: "Cloud",
        site: "Cloud",
        settings: { address: "http://127.0.0.1:1", mapping: "M", authority: "" },
      },
      undefined,
      NOW,
    );
    const source = { id, name: "Cloud" };
    await desk.takeTold(source, [line(5, 2)]);
    await desk.takeTold(source, [line(5, 2), line(6, 3)]);
    expect(spent()).toBe(11);
    const [first] = listImports(db, 10);
    await desk.takeTold(source, [line(5, 2), line(6, 3)]);
    // The same again is no news.
    expect(listImports(db, 10)).toEqual([first]);
    await take(csv([row({ EffectiveCost: "100" })]));
    expect(spent()).toBe(100);
    await desk.takeTold(source, [line(5, 2), line(6, 3)]);
    expect(spent()).toBe(100);
    expect(listImports(db, 10).map((one) => one.name)).toEqual(["march.csv"]);
  });
});
