import type { Request, Response } from "express";
import type { LiveEvent } from "../events";

/** Most pages that can be open at once. */
const MOST_LISTENERS = 200;

/** Sends what changes to open pages as server-sent events (WHATWG HTML, 9.2). */
export class LiveUpdates {
  private readonly listeners = new Set<Response>();

  handle = (request: Request, response: Response): void => {
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
    this.listeners.add(response);
    request.on("close", () => this.listeners.delete(response));
  };

  send(event: LiveEvent): void {
    const text = `data: ${JSON.stringify(event)}\n\n`;
    for (const listener of this.listeners) {
      // A page that does not read is let go rather than kept in memory; the browser connects again.
      if (listener.writableLength > 65_536) {
        listener.destroy();
        this.listeners.delete(listener);
      } else listener.write(text);
    }
  }

  close(): void {
    for (const listener of this.listeners) listener.end();
    this.listeners.clear();
  }
}
