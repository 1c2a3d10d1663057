import { createHash } from "node:crypto";
import { createReadStream, existsSync, mkdirSync, readdirSync, rmSync, statSync } from "node:fs";
import { join } from "node:path";
import { Worker } from "node:worker_threads";
import type { FocusLine } from "#core/spend/focus";
import { SpendGather } from "#core/spend/gather";
import { dayAndTime } from "#core/time/windows";
import { PersonError, type Db } from "../store/database";
import {
  beginImport,
  dropPlace,
  dropUnfinishedImports,
  endImport,
  importOfDigest,
  isToldByFile,
  placesOfImport,
  putItem,
  putSums,
  removeImport,
  replaceBefore,
  TOLD,
  type SpendDayRow,
} from "../store/spend";
import { FILE_LIMITS } from "./read-file";
import { AMOUNTS_OF_SUM, partsOf, type SpendPart } from "./read-parts";

export interface SpendFile {
  /** Name of the file that was sent, within the folder of what is sent. */
  upload: string;
  name: string;
  /** What was taken in before of the same accounts and billing periods goes. */
  replaces: boolean;
}

export interface TakenSpend {
  lines: number;
  items: number;
  months: number[];
  unknown: readonly string[];
  replaced: number;
}

/** A file that takes longer to read than this is given up. */
const READ_MS = 15 * 60_000;
/** Memory of the thread that reads, MiB. */
const READ_MIB = 1536;
const UPLOADS = "uploads";
const LINES_AT_ONCE = 2000;

export const uploadsOf = (data: string): string => join(data, UPLOADS);

/** Takes costs in: whole files or what platforms tell, all of it or nothing. */
export class SpendDesk {
  private isBusy = false;
  private told: Promise<void> = Promise.resolve();

  constructor(
    private readonly context: {
      db: Db;
      data: string;
      now: () => number;
      /** Parts of a file as they are read. */
      read: (path: string) => AsyncIterable<SpendPart>;
      onSpend: () => void;
    },
  ) {
    dropUnfinishedImports(context.db);
    const folder = uploadsOf(context.data);
    if (existsSync(folder)) for (const name of readdirSync(folder)) rmSync(join(folder, name), { force: true });
    else mkdirSync(folder, { recursive: true, mode: 0o700 });
  }

  /** Takes a file in that was sent; throws a PersonError with what is wrong with it. */
  async takeFile({ upload, name, replaces }: SpendFile, by: string): Promise<TakenSpend> {
    const path = join(uploadsOf(this.context.data), upload);
    if (!/^[a-z0-9-]{10,80}$/.test(upload) || !existsSync(path))
      throw new PersonError("The file did not arrive whole. Send it again.");
    try {
      if (this.isBusy) throw new PersonError("Another file of costs is being read. Send this one when it is done.");
      this.isBusy = true;
      try {
        return await this.takeWhole(path, name, replaces, by);
      } finally {
        this.isBusy = false;
      }
    } finally {
      rmSync(path, { force: true });
    }
  }

  private async takeWhole(path: string, name: string, replaces: boolean, by: string): Promise<TakenSpend> {
    const { db, now } = this.context;
    const digest = await digestOf(path);
    const same = importOfDigest(db, digest);
    if (same)
      throw new PersonError(
        `This very file was taken in already, as ${same.name} on ${dayAndTime(same.taken_at)} by ${same.taken_by}. Nothing was changed.`,
      );
    const id = beginImport(db, {
      source_id: null,
      name,
      digest,
      bytes: statSync(path).size,
      taken_at: now(),
      taken_by: by,
    });
    try {
      const taken = await this.fill(id, this.context.read(path));
      const places = placesOfImport(db, id);
      const note = taken.unknown.length ? `Columns left out: ${taken.unknown.slice(0, 8).join(", ")}` : "";
      const replaced = db.transaction(() => {
        const gone = replaces ? replaceBefore(db, id, places) : 0;
        endImport(db, id, taken.lines, note);
        return gone;
      })();
      this.context.onSpend();
      return { ...taken, replaced };
    } catch (error) {
      removeImport(db, id);
      throw error;
    }
  }

  private async fill(
    id: number,
    parts: AsyncIterable<SpendPart> | Iterable<SpendPart>,
  ): Promise<Omit<TakenSpend, "replaced">> {
    const { db } = this.context;
    const items: number[] = [];
    for await (const part of parts) {
      if (part.what === "problem") throw new PersonError(part.message);
      if (part.what === "end")
        return { lines: part.lines, items: items.length, months: part.months, unknown: part.unknown };
      db.transaction(() => {
        if (part.what === "items") for (const one of part.items) items.push(putItem(db, one));
        else putSums(db, id, rowsOf(part, items));
      })();
      await turn();
    }
    throw new PersonError("The file could not be read to its end. Send it again.");
  }

  /** Takes in what a platform told of some billing periods, one after the other; what files say of the same ones stands. */
  takeTold(source: { id: number; name: string }, lines: readonly FocusLine[]): Promise<void> {
    const own = this.told.then(() => this.keepTold(source, lines));
    this.told = own.catch(() => undefined);
    return own;
  }

  private async keepTold(source: { id: number; name: string }, lines: readonly FocusLine[]): Promise<void> {
    const { db, now } = this.context;
    const gather = new SpendGather(FILE_LIMITS);
    const hash = createHash("sha256");
    for (const [index, line] of lines.entries()) {
      gather.add(line);
      hash.update(JSON.stringify(line));
      if (index % LINES_AT_ONCE === LINES_AT_ONCE - 1) await turn();
    }
    // Mostly it tells what it told an hour ago.
    const digest = `${TOLD}${source.id}:${hash.digest("hex")}`;
    if (lines.length === 0 || importOfDigest(db, digest)) return;
    const id = beginImport(db, {
      source_id: source.id,
      name: source.name,
      digest,
      bytes: 0,
      taken_at: now(),
      taken_by: source.name,
    });
    try {
      await this.fill(id, partsOf({ gather, unknown: [] }));
      db.transaction(() => {
        const places = placesOfImport(db, id);
        const ours = places.filter((one) => {
          if (!isToldByFile(db, one)) return true;
          dropPlace(db, id, one);
          return false;
        });
        replaceBefore(db, id, ours);
        if (ours.length === 0) removeImport(db, id);
        else endImport(db, id, gather.lines, "");
      })();
    } catch (error) {
      removeImport(db, id);
      throw error;
    }
    this.context.onSpend();
  }
}

/** Polls and pages have their turn between parts. */
const turn = () => new Promise((done) => setImmediate(done));

function rowsOf(part: Extract<SpendPart, { what: "sums" }>, items: readonly number[]): SpendDayRow[] {
  return Array.from(part.item, (item, index) => ({
    item: items[item] as number,
    day: part.day[index] as number,
    billing: part.billing[index] as number,
    amounts: [...part.amounts.subarray(index * AMOUNTS_OF_SUM, (index + 1) * AMOUNTS_OF_SUM)],
    lines: part.lines[index] as number,
  }));
}

async function digestOf(path: string): Promise<string> {
  const hash = createHash("sha256");
  for await (const part of createReadStream(path, { highWaterMark: 1024 * 1024 })) hash.update(part as Buffer);
  return hash.digest("hex");
}

/** Reads a file on a thread of its own, which cannot fill the memory of the others. */
export async function* readOnThread(thread: URL, path: string): AsyncGenerator<SpendPart> {
  const worker = new Worker(thread, { workerData: { path }, resourceLimits: { maxOldGenerationSizeMb: READ_MIB } });
  const parts: SpendPart[] = [];
  let ended: Error | true | undefined;
  let wake: (() => void) | undefined;
  worker.on("message", (part: SpendPart) => {
    parts.push(part);
    wake?.();
  });
  worker.once("error", (error) => {
    ended = error;
    wake?.();
  });
  worker.once("exit", () => {
    ended ??= true;
    wake?.();
  });
  const timer = setTimeout(() => void worker.terminate(), READ_MS);
  try {
    for (;;) {
      const part = parts.shift();
      if (part) {
        worker.postMessage("next");
        yield part;
        if (part.what === "end" || part.what === "problem") return;
      } else if (ended instanceof Error) throw tooMuch(ended);
      else if (ended) return;
      else await new Promise<void>((resolve) => (wake = resolve));
    }
  } finally {
    clearTimeout(timer);
    void worker.terminate();
  }
}

const tooMuch = (error: Error) =>
  (error as { code?: string }).code === "ERR_WORKER_OUT_OF_MEMORY"
    ? new PersonError(
        "The file needs more memory than there is for it. Cut it into files of a month or an account each.",
      )
    : error;
