import { createServer, type IncomingMessage, type Server } from "node:http";
import type { CloudView } from "./view";

/** What a shape of interface answers to a request. */
export interface CloudAnswer {
  status: number;
  body: unknown;
  headers?: Record<string, string>;
}

export interface CloudRequest {
  method: string;
  url: URL;
  headers: IncomingMessage["headers"];
  body: string;
  atMs: number;
}

/** A cloud's interface: who may ask, and what it answers. */
export interface CloudShape {
  /** The refusal where a request is not signed in. */
  refusal(request: CloudRequest): CloudAnswer | undefined;
  answer(request: CloudRequest): CloudAnswer;
  /** Region that a request is about, if any. */
  regionOf(request: CloudRequest): string | undefined;
}

const MOST_BODY = 1024 * 1024;
/** How long a region that is cut off lets a request hang before its connection ends. */
const HANG_MS = 60_000;

/** Serves a cloud's interface: with its limits, and with regions that hang while they are cut off. */
export function startCloud(view: CloudView, shape: CloudShape, now: () => number): Promise<Server> {
  const { cloud } = view;
  let minute = 0;
  let asked = 0;
  const server = createServer(async (request, response) => {
    const send = ({ status, body, headers = {} }: CloudAnswer) => {
      response.writeHead(status, { "content-type": "application/json", ...headers });
      response.end(JSON.stringify(body));
    };
    try {
      let body = "";
      for await (const part of request as AsyncIterable<Buffer>) {
        body += part.toString("utf8");
        if (body.length > MOST_BODY) return send({ status: 413, body: { error: "too large" } });
      }
      const asking: CloudRequest = {
        method: request.method ?? "GET",
        url: new URL(request.url ?? "/", `http://${request.headers.host ?? "cloud"}`),
        headers: request.headers,
        body,
        atMs: now(),
      };
      const refusal = shape.refusal(asking);
      if (refusal) return send(refusal);
      // Limits are of the machine's time, as those of a real one are.
      const thisMinute = Math.floor(Date.now() / 60_000);
      if (thisMinute !== minute) [minute, asked] = [thisMinute, 0];
      if (++asked > cloud.perMinute)
        return send({ status: 429, body: { error: "slow down" }, headers: { "retry-after": "2" } });
      const region = shape.regionOf(asking);
      if (region !== undefined && view.isCut(region, asking.atMs)) {
        setTimeout(() => response.destroy(), HANG_MS).unref();
        return;
      }
      send(shape.answer(asking));
    } catch (error) {
      send({ status: 500, body: { error: error instanceof Error ? error.message : "failed" } });
    }
  });
  server.keepAliveTimeout = 60_000;
  return new Promise((resolve, reject) => {
    server.once("error", reject);
    server.listen(cloud.port, cloud.address, () => resolve(server));
  });
}
