import { once } from "node:events";
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { request, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";
import pino from "pino";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import type { LiveEvent } from "../events";
import { makeApp } from "./app";
import { HostNames } from "./host-names";
import { LiveUpdates } from "./live";
import { itself } from "../people/principal";

/** A build of pages as React Router hands it over, with one route that answers and one that fails. */
const BUILD = `
export const entry = { module: { default: (request, status, headers) => new Response("page", { status, headers }) } };
const answer = (text) => () => new Response(text);
export const routes = {
  ok: { id: "ok", path: "ok", module: { loader: answer("fine"), action: answer("done") } },
  bad: { id: "bad", path: "bad", module: { loader: () => { throw new Error("secret of the inside"); } } },
};
export const assets = { entry: { imports: [], module: "" }, routes: {}, url: "", version: "1" };
export const publicPath = "/";
export const assetsBuildDirectory = "";
export const basename = "/";
export const future = {};
export const isSpaMode = false;
export const ssr = true;
export const prerender = [];
export const routeDiscovery = { mode: "initial" };
`;

const ANNA = itself("Anna", "test", ["read"]);
/** Knows whoever brings the cookie of Anna. */
const DOOR = {
  identify: async ({ headers }: { headers: Record<string, string> }) => (headers.cookie === "anna" ? ANNA : undefined),
  addressOf: () => "192.0.2.7",
};

let folder: string;
let server: Server;
let port: number;
let live: LiveUpdates;
/** Known once the port is. */
let names: HostNames | undefined;
beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), "holotaxis-"));
  mkdirSync(join(folder, "client", "assets"), { recursive: true });
  writeFileSync(join(folder, "client", "assets", "a-1.js"), "1");
  writeFileSync(join(folder, "build.mjs"), BUILD);
  live = new LiveUpdates();
  const app = await makeApp({
    root: folder,
    clientFolder: join(folder, "client"),
    serverBuild: join(folder, "build.mjs"),
    log: pino({ level: "silent" }),
    live,
    hostNames: {
      isOurs: (host) => names?.isOurs(host) ?? false,
      isOwnOrigin: (origin) => names?.isOwnOrigin(origin) ?? false,
    } as HostNames,
    holotaxis: {} as never,
    parts: { door: DOOR } as never,
  });
  server = app.listen(0, "127.0.0.1");
  await once(server, "listening");
  port = (server.address() as AddressInfo).port;
  names = new HostNames("127.0.0.1", port, []);
});
afterAll(() => {
  live.close();
  server.closeAllConnections();
  server.close();
  rmSync(folder, { recursive: true, force: true });
});

interface Answer {
  status: number;
  headers: Record<string, string | string[] | undefined>;
  text: string;
}
const ask = (path: string, headers: Record<string, string> = {}, method = "GET", body = ""): Promise<Answer> =>
  new Promise((done, failed) => {
    const asked = request({ port, host: "127.0.0.1", path, method, headers, agent: false }, (response) => {
      let text = "";
      response.on("data", (part) => (text += part));
      response.on("end", () => done({ status: response.statusCode ?? 0, headers: response.headers, text }));
    });
    asked.on("error", failed);
    asked.end(body);
  });

describe("what is answered", () => {
  it("comes with a policy that lets no foreign script in, and a nonce of its own each time", async () => {
    const policies = await Promise.all(
      [1, 2].map(async () => String((await ask("/ok")).headers["content-security-policy"])),
    );
    for (const policy of policies) {
      expect(policy).toContain("default-src 'none'");
      expect(policy).toContain("frame-ancestors 'none'");
      expect(policy).not.toMatch(/script-src[^;]*unsafe/);
    }
    const nonces = policies.map((policy) => /'nonce-([^']+)'/.exec(policy)?.[1]);
    expect(nonces[0]).toBeTruthy();
    expect(nonces[0]).not.toBe(nonces[1]);
  });
  it("says nothing of what it is built with", async () => {
    expect((await ask("/ok")).headers["x-powered-by"]).toBeUndefined();
  });
  it("keeps built files for good and says so for one that is not there", async () => {
    expect((await ask("/assets/a-1.js")).headers["cache-control"]).toContain("immutable");
    expect(await ask("/assets/none.js")).toMatchObject({ status: 404, text: "There is no such file." });
    expect((await ask("/assets/..%2f..%2fbuild.mjs")).status).toBeGreaterThanOrEqual(400);
  });
});

describe("what is refused", () => {
  it("a name that is not ours: a page of another site may point its name at this address", async () => {
    expect(await ask("/ok", { host: "elsewhere.example" })).toMatchObject({ status: 421 });
    expect((await ask("/live", { host: "elsewhere.example" })).status).toBe(421);
    expect((await ask("/ok")).text).toBe("fine");
  });
  it("a change from another site's page, while links from there lead in", async () => {
    const foreign = { "sec-fetch-site": "cross-site" };
    expect(await ask("/ok", foreign, "POST")).toMatchObject({
      status: 403,
      text: "Changes are taken from Holotaxis' own pages only.",
    });
    expect((await ask("/ok", { "sec-fetch-site": "same-site" }, "DELETE")).status).toBe(403);
    expect((await ask("/ok", foreign)).status).toBe(200);
    for (const origin of ["https://evil.example", "null", `http://127.0.0.1:${port + 1}`])
      expect((await ask("/ok", { origin, "content-length": "0" }, "POST")).status).toBe(403);
    expect((await ask("/ok", { origin: `http://127.0.0.1:${port}`, "content-length": "0" }, "POST")).text).toBe("done");
    const own = { "sec-fetch-site": "same-origin", "content-length": "0" };
    expect((await ask("/ok", own, "POST")).text).toBe("done");
  });
  it("what no browser sends, each with its own status and never as a fault of ours", async () => {
    const form = { "content-type": "application/x-www-form-urlencoded" };
    const wrong: [answer: Promise<Answer>, status: number][] = [
      [ask("/ok", {}, "TRACE"), 405],
      [ask("/ok", {}, "PUT"), 405],
      [ask("/ok", {}, "OPTIONS"), 405],
      [ask("/%ff"), 400],
      [ask("/assets/%ff.js"), 400],
      [ask("/ok", { ...form, "transfer-encoding": "chunked" }, "POST", "a=1"), 411],
      [ask("/ok", { "content-type": "text/plain", "content-length": "3" }, "POST", "a=1"), 415],
      [ask("/ok", { "content-length": "3" }, "POST", "a=1"), 415],
      [ask("/estate/spend/file", { ...form, "content-length": "3" }, "POST", "a=1"), 415],
      [
        ask(
          "/estate/spend/file",
          { "content-type": "application/octet-stream", "content-length": "5000000000" },
          "POST",
          "a",
        ),
        413,
      ],
    ];
    for (const [answer, status] of wrong) expect((await answer).status).toBe(status);
    expect((await ask("/ok", {}, "PUT")).headers.allow).toBe("GET, HEAD, POST");
    expect((await ask("/ok", { ...form, "content-length": "3" }, "POST", "a=1")).text).toBe("done");
    expect((await ask("/ok?q=%ff")).status).toBe(200);
  });
  it("more than fits, before it is read", async () => {
    expect(await ask("/ok", { "content-length": "300000" }, "POST").catch(() => ({ status: 413 }))).toMatchObject({
      status: 413,
    });
  });
});

describe("live updates", () => {
  const listen = () =>
    new Promise<{ next: () => Promise<string>; end: () => void; status: number }>((done, failed) => {
      const asked = request(
        { port, host: "127.0.0.1", path: "/live", headers: { cookie: "anna" }, agent: false },
        (response) => {
          const waiting: ((text: string) => void)[] = [];
          const parts: string[] = [];
          let text = "";
          response.on("data", (part) => {
            text += part;
            for (let end = text.indexOf("\n\n"); end >= 0; end = text.indexOf("\n\n")) {
              const one = text.slice(0, end);
              text = text.slice(end + 2);
              const taker = waiting.shift();
              if (taker) taker(one);
              else parts.push(one);
            }
          });
          done({
            status: response.statusCode ?? 0,
            next: () =>
              new Promise((take) => {
                const part = parts.shift();
                if (part === undefined) waiting.push(take);
                else take(part);
              }),
            end: () => asked.destroy(),
          });
        },
      );
      asked.on("error", failed);
      asked.end();
    });
  const event: LiveEvent = { topic: "run", id: 7 };

  it("reach every open page as server-sent events", async () => {
    const pages = await Promise.all([listen(), listen()]);
    for (const page of pages) expect(await page.next()).toBe("retry: 2000");
    live.send(event);
    for (const page of pages) expect(await page.next()).toBe(`data: ${JSON.stringify(event)}`);
    for (const page of pages) page.end();
  });
  it("go on for the others when one page is closed", async () => {
    const [gone, stays] = [await listen(), await listen()];
    await Promise.all([gone.next(), stays.next()]);
    gone.end();
    live.send(event);
    live.send(event);
    expect(await stays.next()).toContain("run");
    expect(await stays.next()).toContain("run");
    stays.end();
  });
  it("let a page go that does not read, rather than keep its events in memory", () => {
    const slow = { writableLength: 70_000, destroyed: false, wrote: 0 };
    const updates = new LiveUpdates();
    updates.open(
      ANNA,
      async () => true,
      { on: () => undefined } as never,
      {
        writeHead: () => undefined,
        write: () => slow.wrote++,
        destroy: () => (slow.destroyed = true),
        get writableLength() {
          return slow.writableLength;
        },
      } as never,
    );
    updates.send(event);
    expect(slow.destroyed).toBe(true);
    updates.send(event);
    expect(slow.wrote).toBe(1);
  });
  it("are for people who are signed in", async () => {
    expect((await ask("/live")).status).toBe(401);
  });
  const response = (statuses: number[]) => {
    const one = {
      ended: false,
      writeHead: (status: number) => statuses.push(status),
      write: () => true,
      end: () => (one.ended = true),
      writableLength: 0,
      status: (status: number) => (statuses.push(status), { send: () => undefined }),
    };
    return one;
  };
  const person = (accountId: number) => ({ ...ANNA, accountId });
  it("of one person are bounded: the oldest is let go, and nobody else is locked out", () => {
    const updates = new LiveUpdates();
    const statuses: number[] = [];
    const open = (accountId: number) => {
      const one = response(statuses);
      updates.open(person(accountId), async () => true, { on: () => undefined } as never, one as never);
      return one;
    };
    const mine = Array.from({ length: 25 }, () => open(1));
    const other = open(2);
    expect(mine.map((one) => one.ended)).toEqual([...Array<boolean>(5).fill(true), ...Array<boolean>(20).fill(false)]);
    expect(other.ended).toBe(false);
    expect(new Set(statuses)).toEqual(new Set([200]));
  });
  it("have room for so many pages and say so to one more", () => {
    const updates = new LiveUpdates();
    const statuses: number[] = [];
    for (let index = 0; index < 1001; index++)
      updates.open(person(index), async () => true, { on: () => undefined } as never, response(statuses) as never);
    expect(statuses.filter((status) => status === 200)).toHaveLength(1000);
    expect(statuses.at(-1)).toBe(503);
  });
  it("end when whoever listens may not any more", async () => {
    const updates = new LiveUpdates();
    const [stays, goes] = [response([]), response([])];
    updates.open(person(1), async () => true, { on: () => undefined } as never, stays as never);
    updates.open(person(2), async () => false, { on: () => undefined } as never, goes as never);
    await updates.recheck();
    expect([stays.ended, goes.ended]).toEqual([false, true]);
  });
});

describe("who sends a request", () => {
  it("by a token that is not known is turned away in words, without a page", async () => {
    const answer = await ask("/ok", { authorization: "Bearer nonsense" });
    expect(answer).toMatchObject({ status: 401, text: "This token is unknown, revoked or too old." });
    expect(answer.headers["www-authenticate"]).toBe("Bearer");
  });
});
