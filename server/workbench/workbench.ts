import { fork, type ChildProcess } from "node:child_process";
import { PersonError } from "../store/database";
import type { WorkbenchResult } from "./open";

/** A statement may take this long, then its process is ended. */
const LONGEST_MS = 10_000;
/** Memory of the process, MB. */
const MOST_MEMORY = 256;
/** A process that nobody asks is ended after this long. */
const IDLE_MS = 120_000;

/** Runs people's SQL in a process of its own, one statement at a time. */
export class Workbench {
  private child: ChildProcess | undefined;
  private last: Promise<unknown> = Promise.resolve();
  private nextId = 1;
  private waiting = 0;
  private idle: ReturnType<typeof setTimeout> | undefined;

  constructor(
    private readonly script: string,
    private readonly file: string,
    private readonly longestMs = LONGEST_MS,
  ) {}

  run = (sql: string, mostRows: number): Promise<WorkbenchResult> => {
    if (this.waiting >= 5)
      return Promise.reject(new PersonError("Five statements are waiting already. Try again when they are done."));
    this.waiting++;
    const turn = this.last.then(() => this.once(sql, mostRows)).finally(() => this.waiting--);
    this.last = turn.catch(() => undefined);
    return turn;
  };

  private once(sql: string, mostRows: number): Promise<WorkbenchResult> {
    clearTimeout(this.idle);
    const child = (this.child ??= fork(this.script, [this.file], {
      stdio: ["ignore", "ignore", "ignore", "ipc"],
      execArgv: [`--max-old-space-size=${MOST_MEMORY}`],
      env: { NODE_ENV: "production" },
    }));
    const id = this.nextId++;
    return new Promise((resolve, reject) => {
      const done = () => {
        clearTimeout(late);
        child.off("message", hear);
        child.off("exit", gone);
        this.idle = setTimeout(() => this.close(), IDLE_MS);
        this.idle.unref();
      };
      const hear = (message: { id?: number; result?: WorkbenchResult; problem?: string }) => {
        if (message.id !== id) return;
        done();
        if (message.result) resolve(message.result);
        else reject(new PersonError(message.problem ?? "The statement could not be run."));
      };
      const gone = () => {
        done();
        if (this.child === child) this.child = undefined;
        reject(
          new PersonError(
            `The statement used more than ${MOST_MEMORY} MB and was ended. Ask for less: a shorter window, fewer columns, a LIMIT.`,
          ),
        );
      };
      const late = setTimeout(() => {
        done();
        this.close();
        reject(
          new PersonError(
            `The statement took longer than ${this.longestMs / 1000} seconds and was ended. Narrow it: a shorter window, a join on equal columns, a LIMIT.`,
          ),
        );
      }, this.longestMs);
      child.on("message", hear);
      child.once("exit", gone);
      child.send({ id, sql, mostRows });
    });
  }

  close(): void {
    clearTimeout(this.idle);
    this.child?.removeAllListeners("exit");
    this.child?.kill("SIGKILL");
    this.child = undefined;
  }
}
