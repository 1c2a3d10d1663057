import Papa from "papaparse";
import { mapCsvRows, type CsvMapping, type CsvSeries } from "#core/telemetry/csv-map";

const PREVIEW_ROWS = 12;
/** Samples sent at once; the server takes no more. */
const PART = 4000;
/** Series sent at once. */
const MOST_SERIES = 400;
const MOST_REASONS = 5;

export interface ChosenFile {
  file: File;
  head: string[];
  rows: string[][];
}

export interface ImportProgress {
  /** Bytes of the file read. */
  read: number;
  samples: number;
  skipped: number;
  reasons: string[];
  done: boolean;
}

/** Reads the head and the first rows of a file, whatever its size. */
export function previewOf(file: File): Promise<ChosenFile> {
  return new Promise((resolve, reject) => {
    // The first part of a large file is enough; a row cut off at its end is not shown.
    Papa.parse<string[]>(file.slice(0, 262_144) as File, {
      preview: PREVIEW_ROWS + 1,
      skipEmptyLines: true,
      complete: ({ data }) => {
        const [head, ...rows] = data;
        if (!head || rows.length === 0) reject(new Error("The file has no row below its head."));
        else resolve({ file, head, rows });
      },
      error: (error) => reject(new Error(`The file cannot be read: ${error.message}.`)),
    });
  });
}

/** Series cut into parts that the server takes at once. */
export function partsOf(series: readonly CsvSeries[]): CsvSeries[][] {
  const result: CsvSeries[][] = [];
  let part: CsvSeries[] = [];
  let room = PART;
  for (const one of series)
    for (let from = 0; from < one.times.length;) {
      const count = Math.min(room, one.times.length - from);
      part.push({ ...one, times: one.times.slice(from, from + count), values: one.values.slice(from, from + count) });
      from += count;
      room -= count;
      if (room === 0 || part.length >= MOST_SERIES) {
        result.push(part);
        part = [];
        room = PART;
      }
    }
  if (part.length) result.push(part);
  return result;
}

/** Sends some series to the server; the number of samples it has kept. */
export async function sendSeries(
  file: string,
  componentId: number | null,
  series: readonly CsvSeries[],
): Promise<number> {
  const response = await fetch("/signals/import/rows", {
    method: "POST",
    headers: { "content-type": "application/json" },
    body: JSON.stringify({ file: file.slice(0, 120) || "file", componentId, series }),
  });
  const answer = (await response
    .json()
    .catch(() => ({ ok: false, problem: `The server answered ${response.status}. Try again.` }))) as
    | { ok: true; samples: number; refused: string[] }
    | { ok: false; problem: string };
  if (!answer.ok) throw new Error(answer.problem);
  if (answer.refused.length) throw new Error(answer.refused[0]);
  return answer.samples;
}

interface ImportOptions {
  file: File;
  mapping: CsvMapping;
  nowMs: number;
  /** Keeps some series; the number of samples kept. */
  send: (series: readonly CsvSeries[]) => Promise<number>;
  isStopped: () => boolean;
  onProgress: (progress: ImportProgress) => void;
  onProblem: (message: string) => void;
}

/** Reads a file part by part; each part is safe on the server before the next is read. */
export function importFile({ file, mapping, nowMs, send, isStopped, onProgress, onProblem }: ImportOptions): void {
  const state: ImportProgress = { read: 0, samples: 0, skipped: 0, reasons: [], done: false };
  let row = 1;
  onProgress({ ...state });
  Papa.parse<string[]>(file, {
    chunkSize: 131_072,
    skipEmptyLines: true,
    chunk: ({ data, meta: { cursor } }, parser) => {
      parser.pause();
      const rows = row === 1 ? data.slice(1) : data;
      const mapped = mapCsvRows(rows, mapping, row === 1 ? 2 : row + 1, nowMs);
      row += data.length;
      state.skipped += mapped.skipped;
      state.reasons = [...state.reasons, ...mapped.reasons].slice(0, MOST_REASONS);
      (async () => {
        for (const part of partsOf(mapped.series)) state.samples += await send(part);
        state.read = cursor;
        onProgress({ ...state });
        if (isStopped()) parser.abort();
        else parser.resume();
      })().catch((error: unknown) => {
        onProblem(error instanceof Error ? error.message : "Something went wrong.");
        parser.abort();
      });
    },
    complete: () => onProgress({ ...state, done: true }),
    error: (error) => {
      onProblem(`The file cannot be read: ${error.message}.`);
      onProgress({ ...state, done: true });
    },
  });
}
