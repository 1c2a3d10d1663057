import { gzipSync } from "node:zlib";
import { structureOf, type Inventory } from "./inventory";

export interface ReporterOptions {
  to: string;
  token?: string;
  /** Who reports: hostName, hostId, site, everySeconds. */
  host: Readonly<Record<string, string | number>>;
  read: () => Inventory;
  /** Milliseconds on a clock that is not set. */
  now: () => number;
  post: typeof fetch;
  say: (sentence: string) => void;
}

/** All of it again so often, though nothing changed. */
const AGAIN_MS = 3_600_000;
const TIMEOUT_MS = 30_000;
const LONGEST_WAIT_MS = 600_000;
const FIRST_WAIT_MS = 30_000;

/**
 * Reports what runs on this host: all of it when that has changed and once an hour, between only who talks to whom.
 * What could not be delivered is not kept: the next look says it better.
 */
export class Reporter {
  private structure = "";
  private allMs = -Infinity;
  private notBefore = 0;
  private tries = 0;
  private said = "";

  constructor(private readonly options: ReporterOptions) {}

  async report(): Promise<void> {
    const { now, read, host } = this.options;
    if (now() < this.notBefore) return;
    const all = read();
    const structure = structureOf(all);
    const whole = structure !== this.structure || now() - this.allMs >= AGAIN_MS;
    const { software, listeners, connections } = all;
    const pids = new Set([...listeners, ...connections].map((one) => one.pid));
    const body = whole
      ? { ...host, system: all }
      : { ...host, tables: { software: software.filter((one) => pids.has(one.pid)), listeners, connections } };
    if (!(await this.send(body)) || !whole) return;
    this.structure = structure;
    this.allMs = now();
  }

  private async send(body: unknown): Promise<boolean> {
    const { to, token, post } = this.options;
    let response: Response;
    try {
      response = await post(`${to}/inventory`, {
        method: "POST",
        headers: {
          "content-type": "application/json",
          "content-encoding": "gzip",
          ...(token ? { authorization: `Bearer ${token}` } : {}),
        },
        body: new Uint8Array(gzipSync(JSON.stringify(body))),
        signal: AbortSignal.timeout(TIMEOUT_MS),
      });
    } catch {
      // That nobody answers is said by the figures' outbox already.
      this.later();
      return false;
    }
    const said = await response.text().catch(() => "");
    if (response.ok) {
      this.tries = 0;
      this.said = "";
      return true;
    }
    const sentence = `${to} does not take what runs here (${response.status}): ${said.slice(0, 300)}`;
    if (sentence !== this.said) this.options.say(sentence);
    this.said = sentence;
    this.later();
    return false;
  }

  private later(): void {
    this.notBefore = this.options.now() + Math.min(LONGEST_WAIT_MS, FIRST_WAIT_MS * 2 ** this.tries++);
  }
}
