import { createServer, type RequestListener, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import { afterEach, describe, expect, it } from "vitest";
import { fetchText } from "./fetch-text";

let server: Server | undefined;
afterEach(() => {
  server?.closeAllConnections();
  server?.close();
});

async function serve(answer: RequestListener): Promise<string> {
  const made = createServer(answer);
  server = made;
  await new Promise<void>((done) => made.listen(0, "127.0.0.1", done));
  return `http://127.0.0.1:${(made.address() as AddressInfo).port}/`;
}

const limits = { timeoutMs: 300, mostBytes: 1024 };
/** Where an answer comes, however busy the machine is. */
const patient = { ...limits, timeoutMs: 20_000 };

describe("a call to the outside", () => {
  it("returns status and text", async () => {
    const url = await serve((_request, response) => response.writeHead(418).end("short"));
    expect(await fetchText(url, patient)).toMatchObject({ status: 418, text: "short" });
  });
  it("ends when the body stalls", async () => {
    const url = await serve((_request, response) => void response.writeHead(200).write("begun"));
    await expect(fetchText(url, limits)).rejects.toThrow("No answer within 0.3 seconds.");
  });
  it("ends when nothing is answered at all", async () => {
    const url = await serve(() => undefined);
    await expect(fetchText(url, limits)).rejects.toThrow("No answer within 0.3 seconds.");
  });
  it("counts bytes, not headers", async () => {
    const url = await serve((_request, response) => response.end("x".repeat(5000)));
    await expect(fetchText(url, patient)).rejects.toThrow("It sends more than 1 KiB.");
  });
  it("says that nothing answers", async () => {
    const url = await serve(() => undefined);
    await new Promise<void>((done) => (server as Server).close(() => done()));
    await expect(fetchText(url, patient)).rejects.toThrow("Nothing answers there.");
  });
});
