import { gzipSync } from "node:zlib";

export interface OutboxOptions {
  /** Where OTLP over HTTP is taken, without /v1/metrics. */
  to: string;
  token?: string;
  /** Reports kept while nobody takes them; then the oldest are dropped. */
  most: number;
  /** Milliseconds on a clock that is not set. */
  now: () => number;
  random: () => number;
  post: typeof fetch;
  say: (sentence: string) => void;
}

const FIRST_WAIT_MS = 1000;
const LONGEST_WAIT_MS = 60_000;
const REQUEST_TIMEOUT_MS = 10_000;

/**
 * Reports on their way, in order. What cannot be delivered now waits here, longer from try to try and as long as the
 * receiver asks for; what the receiver will never take is dropped with a sentence.
 */
export class Outbox {
  private readonly waiting: Buffer[] = [];
  private notBefore = 0;
  private tries = 0;
  private busy = false;
  dropped = 0;

  constructor(private readonly options: OutboxOptions) {}

  get length(): number {
    return this.waiting.length;
  }

  put(report: unknown): void {
    this.waiting.push(gzipSync(JSON.stringify(report)));
    while (this.waiting.length > this.options.most) {
      this.waiting.shift();
      this.dropped++;
    }
  }

  /** Sends what waits until something hinders it. */
  async send(): Promise<void> {
    if (this.busy) return;
    this.busy = true;
    try {
      while (this.waiting.length && this.options.now() >= this.notBefore)
        if (!(await this.sendOne(this.waiting[0] as Buffer))) break;
    } finally {
      this.busy = false;
    }
  }

  private async sendOne(body: Buffer): Promise<boolean> {
    const { to, token, post, say } = this.options;
    let response: Response;
    try {
      response = await post(`${to}/v1/metrics`, {
        method: "POST",
        headers: {
          "content-type": "application/json",
          "content-encoding": "gzip",
          ...(token ? { authorization: `Bearer ${token}` } : {}),
        },
        body: new Uint8Array(body),
        signal: AbortSignal.timeout(REQUEST_TIMEOUT_MS),
      });
    } catch (error) {
      if (this.tries === 0)
        say(`Nobody takes reports at ${to}: ${reasonOf(error)}. They wait here, up to ${this.options.most} of them.`);
      this.later(undefined);
      return false;
    }
    const said = await response.text().catch(() => "");
    if (response.ok) {
      if (this.tries > 0) say(`Reports are taken again at ${to}.`);
      this.tries = 0;
      this.hearRefusals(said);
      this.taken(body);
      return true;
    }
    // OTLP 1.x: these may be tried again, all others must not.
    if ([429, 502, 503, 504].includes(response.status)) {
      if (this.tries === 0) say(`${to} asks to wait (${response.status}).`);
      this.later(Number(response.headers.get("retry-after")) || undefined);
      return false;
    }
    say(`${to} will not take a report (${response.status}): ${said.slice(0, 300)}`);
    this.dropped++;
    this.taken(body);
    return true;
  }

  /** A receiver may take a report and refuse points of it; the reason is said when it is a new one. */
  private hearRefusals(said: string): void {
    let why = "";
    try {
      why =
        (JSON.parse(said || "{}") as { partialSuccess?: { errorMessage?: string } }).partialSuccess?.errorMessage ?? "";
    } catch {
      // It answers in a form of its own; that it took the report is enough.
    }
    if (why && why !== this.refusal) this.options.say(`${this.options.to} refuses a part of the reports: ${why}`);
    this.refusal = why;
  }
  private refusal = "";

  private taken(body: Buffer): void {
    // Others may have been dropped from the front meanwhile.
    const place = this.waiting.indexOf(body);
    if (place >= 0) this.waiting.splice(place, 1);
  }

  private later(seconds: number | undefined): void {
    const wait =
      seconds === undefined
        ? Math.min(LONGEST_WAIT_MS, FIRST_WAIT_MS * 2 ** this.tries) * (0.5 + this.options.random() / 2)
        : seconds * 1000;
    this.tries++;
    this.notBefore = this.options.now() + wait;
  }
}

function reasonOf(error: unknown): string {
  const cause = error instanceof Error ? (error.cause as { code?: string } | undefined) : undefined;
  return cause?.code ?? (error instanceof Error ? error.message : String(error));
}
