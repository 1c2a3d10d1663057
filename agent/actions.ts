import { spawn } from "node:child_process";
import { readFileSync, statSync } from "node:fs";

/** What the owner of a host allows the agent to do, by its name. */
export interface Action {
  /** A program by its whole path, and its arguments; nothing is ever added to them. */
  argv: readonly string[];
  timeoutSeconds: number;
}

/** How an action ended. */
export interface Done {
  id: string;
  exitCode: number | null;
  output: string;
  failure?: string;
}

const NAME = /^[a-z][a-z0-9-]{0,39}$/;
const MOST_ACTIONS = 50;
const MOST_OUTPUT = 65_536;
const WRITABLE_BY_OTHERS = 0o022;
const FIRST_WAIT_MS = 5_000;
const LONGEST_WAIT_MS = 300_000;
const REQUEST_TIMEOUT_MS = 15_000;

/**
 * Reads the owner's list: {"restart-web": {"argv": ["/usr/bin/systemctl", "restart", "web"], "timeoutSeconds": 60}}.
 * Throws an Error with a sentence where it is not right, or others than its owner may write it.
 */
export function readActions(file: string): Map<string, Action> {
  if (statSync(file).mode & WRITABLE_BY_OTHERS)
    throw new Error(`${file} may be written by others than its owner. Take that away: chmod go-w ${file}.`);
  let given: unknown;
  try {
    given = JSON.parse(readFileSync(file, "utf8"));
  } catch (error) {
    throw new Error(`${file} is not JSON: ${error instanceof Error ? error.message : String(error)}`, { cause: error });
  }
  if (given === null || typeof given !== "object" || Array.isArray(given))
    throw new Error(`${file} holds an object with an action a name.`);
  const entries = Object.entries(given as Record<string, unknown>);
  if (entries.length > MOST_ACTIONS) throw new Error(`${file} has more than ${MOST_ACTIONS} actions.`);
  return new Map(entries.map(([name, one]) => [name, actionOf(file, name, one)]));
}

function actionOf(file: string, name: string, given: unknown): Action {
  const refuse = (what: string) => new Error(`${file}, “${name.slice(0, 60)}”: ${what}`);
  if (!NAME.test(name)) throw refuse("a name has small letters, digits and -, 40 at most.");
  const { argv, timeoutSeconds = 60 } = (given ?? {}) as { argv?: unknown; timeoutSeconds?: unknown };
  if (!Array.isArray(argv) || argv.length === 0 || !argv.every((one) => typeof one === "string" && one !== ""))
    throw refuse("argv is a list of words, the program first.");
  if (!(argv[0] as string).startsWith("/")) throw refuse("give the program by its whole path, as /usr/bin/systemctl.");
  if (typeof timeoutSeconds !== "number" || !(timeoutSeconds >= 1 && timeoutSeconds <= 3600))
    throw refuse("timeoutSeconds is from 1 to 3600.");
  return { argv: argv as string[], timeoutSeconds };
}

/** Carries an action out as its owner wrote it, without a shell; ends it in time with all that it started. */
export function carryOut({ argv, timeoutSeconds }: Action): Promise<Omit<Done, "id">> {
  const [program = "", ...args] = argv;
  return new Promise((resolve) => {
    let output = "";
    let failure: string | undefined;
    const child = spawn(program, args, { stdio: ["ignore", "pipe", "pipe"], detached: true });
    const take = (part: Buffer) => {
      if (output.length < MOST_OUTPUT) output += part.toString("utf8").slice(0, MOST_OUTPUT - output.length);
    };
    child.stdout.on("data", take);
    child.stderr.on("data", take);
    const timer = setTimeout(() => {
      failure = `It did not end within ${timeoutSeconds} s, and was ended.`;
      try {
        if (child.pid !== undefined) process.kill(-child.pid, "SIGKILL");
      } catch {
        // It ended just then.
      }
    }, timeoutSeconds * 1000);
    child.on("error", (error) => {
      clearTimeout(timer);
      resolve({ exitCode: null, output, failure: `It could not be started: ${error.message}` });
    });
    child.on("close", (exitCode, signal) => {
      clearTimeout(timer);
      const ended = failure ?? (exitCode === null ? `It was ended by ${signal ?? "a signal"}.` : undefined);
      resolve({ exitCode, output, ...(ended === undefined ? {} : { failure: ended }) });
    });
  });
}

export interface ActorOptions {
  to: string;
  token: string;
  host: { hostName: string; hostId: string };
  actions: ReadonlyMap<string, Action>;
  /** Milliseconds on a clock that is not set. */
  now: () => number;
  post: typeof fetch;
  say: (sentence: string) => void;
}

/** Asks whether anything of what its owner allows is to be done, does it, one after the other, and says how it ended. */
export class Actor {
  private done: Done[] = [];
  private readonly known = new Set<string>();
  private busy = false;
  private notBefore = 0;
  private tries = 0;

  constructor(private readonly options: ActorOptions) {}

  async look(): Promise<void> {
    if (this.busy || this.options.now() < this.notBefore) return;
    this.busy = true;
    try {
      for (const { id, action } of await this.ask()) {
        // What was asked for once is not done again, though the answer was lost on the way.
        if (this.known.has(id)) continue;
        this.known.add(id);
        const one = this.options.actions.get(action);
        if (!one) {
          this.done.push({
            id,
            exitCode: null,
            output: "",
            failure: `The owner of this host does not allow “${action}”.`,
          });
          continue;
        }
        this.options.say(`Does “${action}”, as asked by ${this.options.to}.`);
        this.done.push({ id, ...(await carryOut(one)) });
      }
      if (this.done.length > 0) await this.ask();
    } finally {
      this.busy = false;
    }
  }

  private async ask(): Promise<{ id: string; action: string }[]> {
    const { to, token, host, actions, post } = this.options;
    const told = this.done.slice(0, MOST_ACTIONS);
    let response: Response;
    try {
      response = await post(`${to}/actions`, {
        method: "POST",
        headers: { "content-type": "application/json", authorization: `Bearer ${token}` },
        body: JSON.stringify({ ...host, actions: [...actions.keys()], done: told }),
        signal: AbortSignal.timeout(REQUEST_TIMEOUT_MS),
      });
    } catch {
      this.later();
      return [];
    }
    const said = await response.text().catch(() => "");
    if (!response.ok) {
      if (this.tries === 0) this.options.say(`${to} asks for no actions (${response.status}): ${said.slice(0, 300)}`);
      this.later();
      return [];
    }
    this.tries = 0;
    this.done = this.done.slice(told.length);
    try {
      const asked = (JSON.parse(said) as { do?: unknown }).do;
      return Array.isArray(asked)
        ? asked.filter(
            (one): one is { id: string; action: string } =>
              typeof (one as { id?: unknown })?.id === "string" &&
              typeof (one as { action?: unknown }).action === "string",
          )
        : [];
    } catch {
      return [];
    }
  }

  private later(): void {
    this.notBefore = this.options.now() + Math.min(LONGEST_WAIT_MS, FIRST_WAIT_MS * 2 ** this.tries++);
  }
}
