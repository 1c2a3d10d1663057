import express from "express";
import type { Server } from "node:http";
import type { CallBox } from "./mailbox";

/**
 * A receiver of webhooks of the pretended house: keeps what it is sent and says so. /busy puts off, /closed refuses,
 * /stall never answers.
 */
export function startWebhookReceiver(door: { address: string; port: number }, box: CallBox): Promise<Server> {
  const app = express();
  app.disable("x-powered-by");
  app.use(express.text({ type: () => true, limit: "2mb" }));
  app.post("*path", (request, response) => {
    const { path } = request;
    if (path === "/stall") return;
    if (path === "/busy") return void response.status(503).set("Retry-After", "20").send("Come back later");
    if (path === "/closed") return void response.status(410).send("This hook was closed");
    const headers = Object.fromEntries(Object.entries(request.headers).map(([name, value]) => [name, String(value)]));
    const number = box.take({ path, headers, body: typeof request.body === "string" ? request.body : "" });
    response.status(202).send(`Call ${number} kept`);
  });
  return new Promise((resolve, reject) => {
    const server = app.listen(door.port, door.address, (error?: Error) => (error ? reject(error) : resolve(server)));
    server.once("error", reject);
  });
}
