import { appendFileSync, mkdirSync } from "node:fs";
import { outputFile } from "../store/run-outputs";
import { appendOutput } from "../store/runs";
import type { RunnerWorld } from "./world";

/** Output of one step is kept in the store up to this many characters; what comes after goes into a file. */
const MOST_KEPT = 65_536;
/** The file holds so much; what comes after is counted and left out. */
const MOST_FILED = 32 * 1024 * 1024;
const MOST_WAITING = 1024 * 1024;
const WRITE_EVERY_MS = 200;
const MASK = "•••";

/** Takes what a step prints, hides secrets in it, keeps it bounded and tells open pages. */
export class StepOutput {
  private waiting = "";
  private kept = 0;
  private filed = 0;
  /** Characters that came while the store took nothing, beyond what waits. */
  private lost = 0;
  private secrets: string[] = [];
  private pattern: RegExp | undefined;
  private readonly timer: NodeJS.Timeout;

  constructor(
    private readonly world: RunnerWorld,
    private readonly runId: number,
    private readonly position: number,
    private readonly tell: () => void,
  ) {
    this.timer = setInterval(() => this.tryWrite(), WRITE_EVERY_MS);
  }

  keepSecret(secrets: Iterable<string | undefined>): void {
    for (const one of secrets) if (one && !this.secrets.includes(one)) this.secrets.push(one);
    // Longer ones first: one may be the beginning of another.
    this.secrets.sort((a, b) => b.length - a.length);
    this.pattern = this.secrets.length
      ? new RegExp(this.secrets.map((one) => one.replaceAll(/[.*+?^${}()|[\]\\]/g, "\\$&")).join("|"), "g")
      : undefined;
  }

  take(text: string): void {
    this.waiting += text;
    if (this.waiting.length > MOST_KEPT) this.tryWrite();
  }

  end(): void {
    clearInterval(this.timer);
    this.write(true);
  }

  /** While the store takes nothing what has come waits in memory, so much of it. */
  private tryWrite(): void {
    try {
      this.write(false);
    } catch {
      const over = this.waiting.length - MOST_WAITING;
      if (over <= 0) return;
      this.waiting = this.waiting.slice(0, MOST_WAITING);
      this.lost += over;
    }
  }

  /** Writes what has come; the last characters wait where a secret could go on in what comes next. */
  private write(isLast: boolean): void {
    if (!this.waiting) {
      if (isLast) this.tell();
      return;
    }
    const { ready, left } = this.masked(isLast);
    if (!ready) return;
    const here = ready.slice(0, Math.max(0, MOST_KEPT - this.kept));
    const rest = ready.slice(here.length);
    appendOutput(this.world.db, this.runId, this.position, here, rest.length + this.lost);
    // Only what was taken is gone from here.
    this.waiting = left;
    this.lost = 0;
    this.kept += here.length;
    this.file(rest);
    this.tell();
  }

  /** What can be written, secrets hidden, and what must wait: a secret may begin there and go on in what comes next. */
  private masked(isLast: boolean): { ready: string; left: string } {
    const text = this.waiting;
    const longest = this.secrets[0]?.length ?? 1;
    const limit = isLast ? text.length : Math.max(0, text.length - longest + 1);
    let ready = "";
    let at = 0;
    for (const found of this.pattern ? text.matchAll(this.pattern) : []) {
      if (found.index >= limit) break;
      ready += text.slice(at, found.index) + MASK;
      at = found.index + found[0].length;
    }
    if (at < limit) {
      ready += text.slice(at, limit);
      at = limit;
    }
    return { ready, left: text.slice(at) };
  }

  private file(rest: string): void {
    const { outputs } = this.world;
    if (!rest) return;
    const text = outputs === undefined ? "" : rest.slice(0, Math.max(0, MOST_FILED - this.filed));
    if (!text || outputs === undefined) return;
    try {
      mkdirSync(outputs, { recursive: true });
      appendFileSync(outputFile(outputs, this.runId, this.position), text);
      this.filed += text.length;
    } catch {
      // The disk is full: it stays counted as left out.
      this.filed = MOST_FILED;
    }
  }
}
