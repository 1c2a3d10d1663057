import { createHmac, createHash } from "node:crypto";
import { createServer, type IncomingMessage, type Server, type ServerResponse } from "node:http";
import type { AddressInfo } from "node:net";
import { afterEach, describe, expect, it } from "vitest";
import { CompiledMapping, mappingSchema, type MappedCall } from "#core/platforms/mapping";
import type { Access } from "../../vault/kinds";
import { RestClient } from "./client";
import { pagesOf, pathOf } from "./pages";
import { signatureHeaders } from "./sign-in";

let server: Server | undefined;
let client: RestClient | undefined;
afterEach(() => {
  client?.close();
  server?.closeAllConnections();
  server?.close();
});

type Answer = (request: IncomingMessage & { url: string }, response: ServerResponse, body: string) => void;

async function serve(answer: Answer): Promise<string> {
  const made = createServer(async (request, response) => {
    let body = "";
    for await (const part of request) body += String(part);
    answer(request as IncomingMessage & { url: string }, response, body);
  });
  server = made;
  await new Promise<void>((done) => made.listen(0, "127.0.0.1", done));
  return `http://127.0.0.1:${(made.address() as AddressInfo).port}`;
}

const mappingOf = (more: object) =>
  mappingSchema.parse({
    name: "Test",
    limits: { perSecond: 1000, atOnce: 4 },
    account: { path: "/who", id: "id", name: "id" },
    lists: [{ name: "things", path: "/things", kind: "storage.volume", key: "id", label: "id" }],
    ...more,
  });

function clientAt(address: string, more: object = {}, access: Access[] = []): RestClient {
  client = new RestClient({
    address,
    authority: "",
    mapping: mappingOf(more),
    access,
    signal: new AbortController().signal,
  });
  return client;
}

const json = (response: ServerResponse, body: unknown, headers: Record<string, string> = {}) =>
  response.writeHead(200, { "content-type": "application/json", ...headers }).end(JSON.stringify(body));

async function all(address: string, call: Partial<MappedCall>): Promise<unknown[]> {
  const mapping = mappingOf({
    lists: [{ name: "things", path: "/things", kind: "storage.volume", key: "id", label: "id", ...call }],
  });
  const items: unknown[] = [];
  for await (const page of pagesOf(clientAt(address), new CompiledMapping(mapping), mapping.lists[0] as MappedCall, {}))
    items.push(...page);
  return items;
}

const oauth = { signIn: { scheme: "oauth2", path: "/token" } };
const oauthClient: Access = {
  id: 1,
  name: "reader",
  kind: "oauth-client",
  fields: { clientId: "me", clientSecret: "s:e/cret" },
  destinations: "127.0.0.1",
};

describe("signing in by client credentials (RFC 6749 §4.4)", () => {
  it("asks for one token for many calls at once, and for another when it died early", async () => {
    let tokens = 0;
    let good = "";
    const address = await serve((request, response, body) => {
      if (request.url === "/token") {
        expect(body).toBe("grant_type=client_credentials");
        const [id, secret] = Buffer.from(String(request.headers.authorization).slice(6), "base64")
          .toString()
          .split(":");
        expect([id, decodeURIComponent(secret ?? "")]).toEqual(["me", "s:e/cret"]);
        good = `t${++tokens}`;
        return void json(response, { access_token: good, expires_in: 3600 });
      }
      if (request.headers.authorization !== `Bearer ${good}`) return void response.writeHead(401).end();
      json(response, {});
    });
    const one = clientAt(address, oauth, [oauthClient]);
    await Promise.all(Array.from({ length: 8 }, () => one.ask({ method: "GET", path: "/who" })));
    expect(tokens).toBe(1);
    good = "revoked";
    await one.ask({ method: "GET", path: "/who" });
    expect(tokens).toBe(2);
  });
  it("renews a token before it ends", async () => {
    let tokens = 0;
    const address = await serve((request, response) =>
      request.url === "/token"
        ? json(response, { access_token: `t${++tokens}`, expires_in: 1 })
        : json(response, { with: request.headers.authorization }),
    );
    const one = clientAt(address, oauth, [oauthClient]);
    await one.ask({ method: "GET", path: "/who" });
    await expect
      .poll(async () => (await one.ask({ method: "GET", path: "/who" })).json, { timeout: 5000, interval: 100 })
      .toEqual({ with: "Bearer t2" });
  });
  it("says what the other side says where it refuses, and does not try for ever", async () => {
    const address = await serve((_request, response) => void response.writeHead(401).end('{"error":"invalid_client"}'));
    await expect(clientAt(address, oauth, [oauthClient]).ask({ method: "GET", path: "/who" })).rejects.toThrow(
      'Signing in was refused: It does not know the credential (401): “{"error":"invalid_client"}”.',
    );
  });
  it("says which credential is missing", () => {
    expect(() => clientAt("http://127.0.0.1:1", oauth, [])).toThrow("It signs in with an OAuth 2 client.");
  });
});

it("signs requests over what the mapping says (RFC 2104)", () => {
  const scheme = mappingOf({
    signIn: {
      scheme: "signed",
      over: "{method}{newline}{path}{newline}{query}{newline}{time}{newline}{body-hash}",
      headers: { "x-key": "{key-id}", "x-sign": "v1={signature}" },
    },
  }).signIn as Parameters<typeof signatureHeaders>[0];
  const request = { method: "GET", path: "/a/b", query: "c=d%20e", body: "", atMs: 1_773_741_600_123 };
  const over = `GET\n/a/b\nc=d%20e\n2026-03-17T10:00:00Z\n${createHash("sha256").update("").digest("hex")}`;
  expect(signatureHeaders(scheme, { keyId: "k1", key: "secret" }, request)).toEqual({
    "x-key": "k1",
    "x-sign": `v1=${createHmac("sha256", "secret").update(over).digest("hex")}`,
  });
});

describe("limits", () => {
  it("keeps to a rate, and waits as long as it is told to", async () => {
    const times: number[] = [];
    const address = await serve((_request, response) => {
      times.push(performance.now());
      if (times.length === 2) return void response.writeHead(429, { "retry-after": "1" }).end();
      json(response, {});
    });
    const one = clientAt(address, { limits: { perSecond: 50, atOnce: 4 } });
    await Promise.all(Array.from({ length: 4 }, () => one.ask({ method: "GET", path: "/who" })));
    expect(times).toHaveLength(5);
    // Only what must not be earlier is checked: the repeated call came after the second it was told to wait.
    expect((times[4] as number) - (times[1] as number)).toBeGreaterThan(900);
  });
  it("ends an answer that is larger than anybody needs", async () => {
    const address = await serve((_request, response) => void response.end("x".repeat(10 * 1024 * 1024)));
    await expect(clientAt(address).ask({ method: "GET", path: "/who" })).rejects.toThrow("It sends more than 8 MiB.");
  });
  it("ends at once when it is stopped", async () => {
    const address = await serve(() => undefined);
    const abort = new AbortController();
    const one = clientAt(address).under(abort.signal);
    const asked = one.ask({ method: "GET", path: "/who" });
    abort.abort();
    await expect(asked).rejects.toThrow("It was stopped.");
  });
});

describe("pages", () => {
  it("by cursor, until there is none", async () => {
    const address = await serve((request, response) => {
      const at = Number(new URL(request.url, "http://x").searchParams.get("after") ?? 0);
      json(response, { list: [at, at + 1], ...(at < 4 ? { next: at + 2 } : {}) });
    });
    expect(await all(address, { items: "list", paging: { by: "cursor", next: "next", as: "after" } })).toEqual([
      0, 1, 2, 3, 4, 5,
    ]);
  });
  it("by links of the header (RFC 8288), with what else stands there", async () => {
    const address = await serve((request, response) => {
      const at = Number(new URL(request.url, "http://x").searchParams.get("at") ?? 0);
      json(
        response,
        [at],
        at < 2 ? { link: `</docs>; rel="help", </things?at=${at + 1}>; title="a"; rel="next last"` } : {},
      );
    });
    expect(await all(address, { paging: { by: "link" } })).toEqual([0, 1, 2]);
  });
  it("by offset, though the other side gives fewer than asked for", async () => {
    const address = await serve((request, response) => {
      const from = Number(new URL(request.url, "http://x").searchParams.get("skip") ?? 0);
      json(
        response,
        Array.from({ length: Math.max(0, Math.min(3, 8 - from)) }, (_, index) => from + index),
      );
    });
    expect(await all(address, { paging: { by: "offset", as: "skip", sizeAs: "take", size: 100 } })).toEqual([
      0, 1, 2, 3, 4, 5, 6, 7,
    ]);
  });
  it("that come again are noticed, and so are those that never end", async () => {
    const circle = await serve((_request, response) => json(response, { list: [1], next: "same" }));
    await expect(all(circle, { items: "list", paging: { by: "cursor", next: "next", as: "after" } })).rejects.toThrow(
      "Its pages go round in a circle",
    );
    server?.close();
    let next = 0;
    const endless = await serve((_request, response) =>
      json(response, { list: Array.from({ length: 5000 }, () => 1), next: next++ }),
    );
    await expect(all(endless, { items: "list", paging: { by: "cursor", next: "next", as: "after" } })).rejects.toThrow(
      "It lists more than 200,000 items.",
    );
  });
  it("are not followed to another host", async () => {
    const address = await serve((_request, response) =>
      json(response, [1], { link: '<http://evil.example/>; rel="next"' }),
    );
    await expect(all(address, { paging: { by: "link" } })).rejects.toThrow(
      "An answer points to another host; it is not followed.",
    );
  });
  it("words from answers stay one part of a path, and one value of a query", () => {
    const call = mappingOf({}).lists[0] as MappedCall;
    expect(
      pathOf(
        { ...call, path: "/r/{region}/x", query: { ids: "{ids}", most: "5" } },
        { region: "../a b", ids: "1,2&all=1" },
      ),
    ).toBe("/r/..%2Fa%20b/x?ids=1%2C2%26all%3D1&most=5");
  });
});
