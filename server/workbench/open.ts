import { parseInstant, HOUR_MS } from "#core/time/windows";
import { openStore, type Db } from "../store/database";
import { selectSeries, spansOf } from "../store/query";
import { readSamples } from "../store/signals";
import { hiddenTable } from "./hidden";
import { WORKBENCH_VIEWS } from "./views";

export interface WorkbenchResult {
  columns: string[];
  rows: (string | number | null)[][];
  /** There were more rows than are shown. */
  more: boolean;
  tookMs: number;
}

/** A connection that cannot write, with the documented views over it. */
export function openWorkbench(file: string): Db {
  const db = openStore(file, "reader");
  // What a sort or a join puts aside goes to the disk, not to memory.
  db.pragma("temp_store = FILE");
  // While a statement steps, its connection answers nobody else; tables that read do so on another.
  const inner = openStore(file, "reader");
  const instant = (text: unknown, what: string): number => {
    const at = parseInstant(String(text ?? ""));
    if (at === undefined)
      throw new Error(
        `${what} “${String(text ?? "").slice(0, 40)}” is not an instant. Write it like 2026-03-17T10:00Z.`,
      );
    return at;
  };
  const iso = (atMs: number) => new Date(atMs).toISOString();
  db.table("samples", {
    columns: ["at", "component", "instance", "value"],
    parameters: ["_metric", "_from", "_to"],
    *rows(metric: unknown, from: unknown, to: unknown) {
      const fromMs = instant(from, "from");
      const toMs = instant(to, "to");
      for (const series of selectSeries(inner, { metric: String(metric) })) {
        const { times, values } = readSamples(inner, series.id, fromMs, toMs);
        for (let index = 0; index < times.length; index++)
          yield [
            iso(times[index] as number),
            series.component ?? series.service,
            series.instance,
            values[index] as number,
          ];
      }
    },
  });
  db.table("hours", {
    columns: ["at", "component", "instance", "lowest", "mean", "highest", "count"],
    parameters: ["_metric", "_from", "_to"],
    *rows(metric: unknown, from: unknown, to: unknown) {
      const fromMs = instant(from, "from");
      const toMs = instant(to, "to");
      for (const series of selectSeries(inner, { metric: String(metric) })) {
        const spans = spansOf(inner, series, fromMs, toMs, HOUR_MS);
        for (let index = 0; index < spans.starts.length; index++)
          yield [
            iso(spans.starts[index] as number),
            series.component ?? series.service,
            series.instance,
            spans.min[index] as number,
            (spans.sum[index] as number) / (spans.count[index] as number),
            spans.max[index] as number,
            spans.count[index] as number,
          ];
      }
    },
  });
  for (const view of WORKBENCH_VIEWS) if (view.sql) db.exec(`CREATE TEMP VIEW "${view.name}" AS ${view.sql}`);
  // After its views are there, nothing can be made any more.
  db.pragma("query_only = ON");
  return db;
}

const BEGINS: ReadonlySet<string> = new Set(["select", "with", "values", "explain"]);

/** The first word of a statement, in small letters, after white space and comments; in one pass over them. */
export function firstWord(sql: string): string {
  let at = 0;
  for (;;) {
    while (/\s/.test(sql[at] ?? "")) at++;
    const end = sql.startsWith("--", at)
      ? sql.indexOf("\n", at)
      : sql.startsWith("/*", at)
        ? sql.indexOf("*/", at + 2)
        : undefined;
    if (end === undefined) break;
    if (end < 0) return "";
    at = end + (sql[end] === "\n" ? 1 : 2);
  }
  return (/^[a-z]*/i.exec(sql.slice(at, at + 20))?.[0] ?? "").toLowerCase();
}

/** Runs one reading statement. Throws an Error with a sentence when it is anything else or cannot be run. */
export function runWorkbench(db: Db, sql: string, mostRows: number): WorkbenchResult {
  const first = firstWord(sql);
  if (!BEGINS.has(first)) throw new Error("Only reading is possible here: begin with SELECT or WITH.");
  const began = performance.now();
  const statement = db.prepare(sql);
  if (!statement.reader || !statement.readonly)
    throw new Error("Only reading is possible here: this statement would write.");
  // A program that is only shown opens nothing.
  const hidden = first === "explain" ? undefined : hiddenTable(db, sql);
  if (hidden !== undefined)
    throw new Error(`The table “${hidden}” is not read by SQL: it holds secrets or who did what. See Setup.`);
  const columns = statement.columns().map((column) => column.name);
  const rows: WorkbenchResult["rows"] = [];
  let more = false;
  for (const row of statement.raw().iterate() as Iterable<unknown[]>) {
    if (rows.length >= mostRows) {
      more = true;
      break;
    }
    rows.push(row.map(plain));
  }
  return { columns, rows, more, tookMs: performance.now() - began };
}

function plain(value: unknown): string | number | null {
  if (value === null || typeof value === "number") return value;
  if (typeof value === "bigint") return Number(value);
  if (typeof value === "string") return value.length > 2000 ? `${value.slice(0, 2000)}…` : value;
  return value instanceof Uint8Array ? `${value.length} bytes` : String(value);
}
