import { fork, type ChildProcess } from "node:child_process";
import { readFileSync } from "node:fs";
import { PersonError } from "../store/database";
import type { WorkbenchResult } from "./open";

/** A statement may take this long, then its process is ended. */
const LONGEST_MS = 10_000;
/** Memory of the process's own objects, and of all of it, MB. */
const MOST_HEAP = 256;
const MOST_RESIDENT = 400;
/** A process that nobody asks is ended after this long. */
const IDLE_MS = 120_000;
/** Statements that run at once, each of somebody else. */
const AT_ONCE = 3;
/** Others wait so long for the one that runs longest; then it is ended. */
const PATIENCE_MS = 2_000;
const MOST_WAITING = 50;
const LOOK_MS = 100;

interface Work {
  who: string;
  sql: string;
  mostRows: number;
  startedMs: number;
  end: (outcome: WorkbenchResult | Error) => void;
}

/** A process for people's SQL; runs one statement at a time. */
class Lane {
  private child: ChildProcess | undefined;
  private idle: ReturnType<typeof setTimeout> | undefined;
  private nextId = 1;
  work: Work | undefined;

  constructor(
    private readonly script: string,
    private readonly file: string,
    private readonly longestMs: number,
  ) {}

  run(work: Work): void {
    clearTimeout(this.idle);
    this.work = work;
    const child = (this.child ??= fork(this.script, [this.file], {
      stdio: ["ignore", "ignore", "ignore", "ipc"],
      execArgv: [`--max-old-space-size=${MOST_HEAP}`],
      env: { NODE_ENV: "production" },
    }));
    const id = this.nextId++;
    const done = (outcome: WorkbenchResult | Error) => {
      clearTimeout(late);
      clearInterval(look);
      child.off("message", hear);
      child.off("exit", gone);
      this.end = () => undefined;
      this.work = undefined;
      this.idle = setTimeout(() => this.close(), IDLE_MS);
      this.idle.unref();
      work.end(outcome);
    };
    const stop = (why: string) => {
      this.close();
      done(new PersonError(why));
    };
    const hear = (message: { id?: number; result?: WorkbenchResult; problem?: string }) => {
      if (message.id !== id) return;
      done(message.result ?? new PersonError(message.problem ?? "The statement could not be run."));
    };
    const tooMuch = `The statement used more than ${MOST_RESIDENT} MB and was ended. Ask for less: a shorter window, fewer columns, a LIMIT.`;
    const gone = () => {
      if (this.child === child) this.child = undefined;
      done(new PersonError(tooMuch));
    };
    const late = setTimeout(
      () =>
        stop(
          `The statement took longer than ${this.longestMs / 1000} seconds and was ended. Narrow it: a shorter window, a join on equal columns, a LIMIT.`,
        ),
      this.longestMs,
    );
    const look = setInterval(() => {
      if (residentMb(child.pid) > MOST_RESIDENT) stop(tooMuch);
    }, LOOK_MS);
    this.end = stop;
    child.on("message", hear);
    child.once("exit", gone);
    child.send({ id, sql: work.sql, mostRows: work.mostRows });
  }

  /** Ends the statement that runs, with the reason for whoever waits for it. */
  end: (why: string) => void = () => undefined;

  close(): void {
    clearTimeout(this.idle);
    this.child?.removeAllListeners("exit");
    this.child?.kill("SIGKILL");
    this.child = undefined;
  }
}

/** Resident memory of a process, MB (Linux); 0 where it cannot be known. */
function residentMb(pid: number | undefined): number {
  try {
    return Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, "utf8"))?.[1] ?? 0) / 1024;
  } catch {
    return 0;
  }
}

/**
 * Runs people's SQL in processes of its own: one statement a person, whose next one takes its place, and a few people at
 * once. While others wait, the statement that has run longest is ended.
 */
export class Workbench {
  private readonly lanes: Lane[];
  private waiting: Work[] = [];
  private hurry: ReturnType<typeof setTimeout> | undefined;

  constructor(script: string, file: string, longestMs = LONGEST_MS) {
    this.lanes = Array.from({ length: AT_ONCE }, () => new Lane(script, file, longestMs));
  }

  run = (who: string, sql: string, mostRows: number): Promise<WorkbenchResult> => {
    const replaced = "A newer statement of yours took its place.";
    for (const work of this.waiting.filter((one) => one.who === who)) work.end(new PersonError(replaced));
    this.waiting = this.waiting.filter((one) => one.who !== who);
    if (this.waiting.length >= MOST_WAITING)
      return Promise.reject(new PersonError("Many people's statements are waiting. Try again in a few seconds."));
    return new Promise((resolve, reject) => {
      const end = (outcome: WorkbenchResult | Error) => {
        if (outcome instanceof Error) reject(outcome);
        else resolve(outcome);
        this.next();
      };
      this.waiting.push({ who, sql, mostRows, startedMs: 0, end });
      this.lanes.find((lane) => lane.work?.who === who)?.end(replaced);
      this.next();
    });
  };

  private next(): void {
    for (const lane of this.lanes) {
      if (lane.work) continue;
      const work = this.waiting.shift();
      if (!work) break;
      lane.run(Object.assign(work, { startedMs: performance.now() }));
    }
    clearTimeout(this.hurry);
    if (!this.waiting.length) return;
    const oldest = this.lanes.reduce((a, b) => ((a.work?.startedMs ?? 0) <= (b.work?.startedMs ?? 0) ? a : b));
    const waitMs = Math.max(0, (oldest.work?.startedMs ?? 0) + PATIENCE_MS - performance.now());
    this.hurry = setTimeout(
      () =>
        oldest.end("Others were waiting and this statement had run longest, so it was ended. Narrow it and try again."),
      waitMs,
    );
  }

  close(): void {
    clearTimeout(this.hurry);
    for (const lane of this.lanes) lane.close();
  }
}
