import type { Request, Response } from "express";
import type { LiveEvent } from "../events";
import type { Principal } from "../people/principal";

/** Most pages that can be open at once, in all and of one person; the one that is open longest is let go first. */
const MOST_LISTENERS = 1_000;
const MOST_OF_ONE = 20;

interface Listener {
  who: string;
  accountId: number | null;
  response: Response;
  /** Whether whoever opened it may still listen. */
  isWelcome: () => Promise<boolean>;
}

/** Sends what changes to open pages as server-sent events (WHATWG HTML, 9.2). */
export class LiveUpdates {
  private readonly listeners = new Set<Listener>();

  /** Opens a line for somebody who may read. */
  open(who: Principal, isWelcome: () => Promise<boolean>, request: Request, response: Response): void {
    const own = `${who.via} ${who.accountId ?? who.name}`;
    const mine = [...this.listeners].filter((one) => one.who === own);
    if (mine.length >= MOST_OF_ONE) this.drop(mine[0] as Listener);
    if (this.listeners.size >= MOST_LISTENERS) {
      response.status(503).send("Too many open pages. Close some and load again.");
      return;
    }
    response.writeHead(200, {
      "Content-Type": "text/event-stream",
      "Cache-Control": "no-store",
      "X-Accel-Buffering": "no",
    });
    response.write("retry: 2000\n\n");
    const listener = { who: own, accountId: who.accountId ?? null, response, isWelcome };
    this.listeners.add(listener);
    request.on("close", () => this.listeners.delete(listener));
  }

  private drop(listener: Listener): void {
    this.listeners.delete(listener);
    listener.response.end();
  }

  /** Sessions or rights changed: lines of those who may not listen any more are ended. */
  async recheck(): Promise<void> {
    for (const listener of this.listeners) if (!(await listener.isWelcome().catch(() => false))) this.drop(listener);
  }

  send(event: LiveEvent): void {
    const text = `data: ${JSON.stringify(event)}\n\n`;
    for (const listener of this.listeners) {
      // What is for one person is for nobody else's eyes.
      if (event.topic === "told" && listener.accountId !== event.accountId) continue;
      // A page that does not read is let go rather than kept in memory; the browser connects again.
      if (listener.response.writableLength > 65_536) {
        listener.response.destroy();
        this.listeners.delete(listener);
      } else listener.response.write(text);
    }
  }

  close(): void {
    for (const { response } of this.listeners) response.end();
    this.listeners.clear();
  }
}
