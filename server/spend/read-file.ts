import { createReadStream } from "node:fs";
import { open } from "node:fs/promises";
import { asyncBufferFromFile, parquetMetadataAsync, parquetReadObjects, type FileMetaData } from "hyparquet";
import { compressors } from "hyparquet-compressors";
import Papa from "papaparse";
import { FocusReader, isFocusColumn, LineProblem } from "#core/spend/focus";
import { SpendGather, TooMuch, type GatherLimits } from "#core/spend/gather";

/** Problems of one file that are told; it is refused as a whole. */
const MOST_PROBLEMS = 5;
/** Rows of Parquet that are held at once. */
const PARQUET_ROWS = 20_000;

export const FILE_LIMITS: GatherLimits & { lines: number } = { items: 300_000, sums: 3_000_000, lines: 20_000_000 };

/** A file that is not taken; its message is a sentence, or several. */
export class FileProblem extends Error {
  override name = "FileProblem";
}

export interface ReadFile {
  gather: SpendGather;
  /** Columns that FOCUS does not know. */
  unknown: readonly string[];
}

/** Takes lines one by one and remembers what is wrong with some. */
class Lines {
  readonly gather: SpendGather;
  private reader: FocusReader | undefined;
  private readonly problems: string[] = [];
  private wrong = 0;
  private count = 0;

  constructor(private readonly limits: typeof FILE_LIMITS) {
    this.gather = new SpendGather(limits);
  }

  head(cells: readonly string[]): void {
    this.reader = new FocusReader(cells);
  }

  get hasHead(): boolean {
    return this.reader !== undefined;
  }

  /** @param name of the line, for whoever looks it up: "Line 7" */
  add(cells: readonly (string | undefined)[], name: () => string): void {
    if (++this.count > this.limits.lines)
      throw new FileProblem(
        `The file has more than ${this.limits.lines.toLocaleString("en-GB")} lines. Cut it into files of a month or an account each.`,
      );
    try {
      this.gather.add((this.reader as FocusReader).read(cells));
    } catch (error) {
      if (!(error instanceof LineProblem)) throw error;
      if (error instanceof TooMuch) throw new FileProblem(error.message);
      this.wrong++;
      if (this.problems.length < MOST_PROBLEMS) this.problems.push(`${name()}: ${error.message}`);
    }
  }

  end(): ReadFile {
    if (!this.reader) throw new FileProblem("The file is empty.");
    if (this.wrong)
      throw new FileProblem(
        `${this.wrong === 1 ? "One line is" : `${this.wrong.toLocaleString("en-GB")} lines are`} wrong, so nothing was taken.\n${this.problems.join("\n")}${this.wrong > this.problems.length ? "\n…" : ""}`,
      );
    if (this.count === 0) throw new FileProblem("The file has no line below its head.");
    return { gather: this.gather, unknown: this.reader.unknown };
  }
}

/** Reads a file of costs in the format of FOCUS, CSV or Parquet, whatever its size. Throws a FileProblem. */
export async function readSpendFile(path: string, limits = FILE_LIMITS): Promise<ReadFile> {
  try {
    return (await isParquet(path)) ? await readParquet(path, limits) : await readCsv(path, limits);
  } catch (error) {
    if (error instanceof LineProblem) throw new FileProblem(error.message);
    throw error;
  }
}

async function isParquet(path: string): Promise<boolean> {
  const file = await open(path);
  try {
    const { buffer, bytesRead } = await file.read(Buffer.alloc(4), 0, 4, 0);
    if (bytesRead >= 2 && buffer[0] === 0x1f && buffer[1] === 0x8b)
      throw new FileProblem("This is a file of gzip. Unpack it first; what is inside is taken, CSV or Parquet.");
    if (buffer.toString("latin1", 0, 2) === "PK")
      throw new FileProblem("This is an archive or a spreadsheet. Save what is inside as CSV, or as Parquet.");
    return buffer.toString("latin1") === "PAR1";
  } finally {
    await file.close();
  }
}

function readCsv(path: string, limits: typeof FILE_LIMITS): Promise<ReadFile> {
  const lines = new Lines(limits);
  const stream = createReadStream(path, { encoding: "utf8", highWaterMark: 1024 * 1024 });
  return new Promise((resolve, reject) => {
    let line = 0;
    let failed = false;
    const fail = (error: unknown) => {
      failed = true;
      stream.destroy();
      reject(error instanceof Error ? error : new FileProblem(String(error)));
    };
    Papa.parse<string[]>(stream as unknown as Papa.LocalFile, {
      skipEmptyLines: true,
      chunk({ data, errors }, parser) {
        try {
          const first = errors.find((one) => one.type !== "Delimiter");
          if (first)
            throw new FileProblem(`Line ${line + 1 + (first.row ?? 0)}: ${first.message}. The file is no proper CSV.`);
          for (const cells of data) {
            line++;
            if (!lines.hasHead) lines.head(cells);
            else lines.add(cells, () => `Line ${line}`);
          }
        } catch (error) {
          // Ending the parser calls what is called at the end of the file.
          fail(error);
          parser.abort();
        }
      },
      complete() {
        if (failed) return;
        try {
          resolve(lines.end());
        } catch (error) {
          fail(error);
        }
      },
      error: fail,
    });
    stream.once("error", fail);
  });
}

/** A value of Parquet as FOCUS writes it in text. */
function text(value: unknown): string | undefined {
  if (value === null || value === undefined) return undefined;
  if (value instanceof Date) return value.toISOString();
  if (typeof value === "string") return value;
  if (typeof value === "bigint" || typeof value === "number" || typeof value === "boolean") return String(value);
  // Tags may come as a map: a list of keys and values, or an object.
  if (Array.isArray(value) && value.every((one) => one !== null && typeof one === "object" && "key" in one))
    return JSON.stringify(
      Object.fromEntries(value.map((one: { key: unknown; value?: unknown }) => [String(one.key), one.value ?? null])),
    );
  return JSON.stringify(value, (_name, one: unknown) => (typeof one === "bigint" ? Number(one) : one));
}

async function readParquet(path: string, limits: typeof FILE_LIMITS): Promise<ReadFile> {
  const lines = new Lines(limits);
  const file = await asyncBufferFromFile(path);
  let metadata: FileMetaData;
  let names: string[];
  try {
    metadata = await parquetMetadataAsync(file);
    const [root] = metadata.schema;
    names = childNames(metadata, root?.num_children ?? 0);
  } catch (error) {
    throw new FileProblem(
      `The Parquet file cannot be read: ${error instanceof Error ? error.message : String(error)}.`,
    );
  }
  lines.head(names);
  const wanted = names.filter(isFocusColumn);
  const place = new Map(names.map((name, index) => [name, index]));
  const rows = Number(metadata.num_rows);
  for (let from = 0; from < rows; from += PARQUET_ROWS) {
    let part: Record<string, unknown>[];
    try {
      part = await parquetReadObjects({
        file,
        metadata,
        columns: wanted,
        rowStart: from,
        rowEnd: Math.min(rows, from + PARQUET_ROWS),
        compressors,
      });
    } catch (error) {
      throw new FileProblem(
        `The Parquet file cannot be read at row ${(from + 1).toLocaleString("en-GB")}: ${error instanceof Error ? error.message : String(error)}.`,
      );
    }
    for (const [index, row] of part.entries()) {
      const cells: (string | undefined)[] = [];
      for (const name of wanted) cells[place.get(name) as number] = text(row[name]);
      lines.add(cells, () => `Row ${from + index + 1}`);
    }
  }
  return lines.end();
}

/** Names of the columns at the top: those below a column are its own. */
function childNames({ schema }: FileMetaData, children: number): string[] {
  const names: string[] = [];
  let at = 1;
  const skip = (): void => {
    const below = schema[at++]?.num_children ?? 0;
    for (let index = 0; index < below; index++) skip();
  };
  for (let index = 0; index < children; index++) {
    names.push(schema[at]?.name ?? "");
    skip();
  }
  return names;
}
