import { mkdtempSync, rmSync } from "node:fs";
import { createServer, type Server } from "node:https";
import type { AddressInfo } from "node:net";
import { createServer as createPlain } from "node:http";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { makeAuthority } from "../../tests/certificates";
import { fetchText } from "./fetch-text";

let folder: string;
let authority: ReturnType<typeof makeAuthority>;
let server: Server;
let asking: Server;
const limits = { timeoutMs: 2000, mostBytes: 1024 };
const urlOf = (one: { address(): unknown }, host = "localhost") =>
  `https://${host}:${(one.address() as AddressInfo).port}/`;
const listen = <S extends { listen(port: number, host: string, done: () => void): unknown }>(one: S) =>
  new Promise<S>((done) => one.listen(0, "127.0.0.1", () => done(one)));

beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), "holotaxis-"));
  authority = makeAuthority(folder);
  const own = authority.issue("localhost");
  const answer = (request: { headers: { authorization?: string } }, response: { end(text: string): void }) =>
    response.end(request.headers.authorization ?? "hello");
  server = await listen(createServer({ key: own.key, cert: own.cert }, answer));
  asking = await listen(
    createServer(
      { key: own.key, cert: own.cert, ca: authority.cert, requestCert: true, rejectUnauthorized: true },
      answer,
    ),
  );
});
afterAll(() => {
  server.close();
  asking.close();
  rmSync(folder, { recursive: true, force: true });
});

describe("calls over TLS", () => {
  it("trust a private authority where it was given, for that call only", async () => {
    expect(await fetchText(urlOf(server), limits, { authority: authority.cert })).toMatchObject({
      status: 200,
      text: "hello",
    });
    await expect(fetchText(urlOf(server), limits)).rejects.toThrow(
      "The certificate is signed by an authority that is not trusted.",
    );
  });
  it("say the true reason when they fail", async () => {
    const failure = async (url: string) =>
      fetchText(url, limits, { authority: authority.cert }).then(
        () => "",
        (error: Error) => error.message,
      );
    expect(await failure(urlOf(server, "127.0.0.1"))).toBe("The certificate is for another name than 127.0.0.1.");
    const expired = authority.issue("localhost", { days: -1 });
    const old = await listen(createServer({ key: expired.key, cert: expired.cert }, () => undefined));
    expect(await failure(urlOf(old))).toBe("The certificate has expired.");
    old.close();
    const plain = await listen(createPlain(() => undefined));
    expect(await failure(urlOf(plain))).toContain("It does not speak TLS there");
    plain.close();
    expect(await failure(urlOf(asking))).toMatch(/It asks for a client certificate|closed the connection/);
    await expect(fetchText("https://no-such-host.invalid/", limits)).rejects.toThrow(
      /no host of this name|cannot be looked up/,
    );
  });
  it("bring a client certificate, a user and password, or a token", async () => {
    const own = authority.issue("scraper");
    const access = (kind: string, fields: Record<string, string>) => ({
      access: { kind, fields },
      authority: authority.cert,
    });
    const certificate = access("client-certificate", { certificate: own.cert, privateKey: own.key });
    expect((await fetchText(urlOf(asking), limits, certificate)).text).toBe("hello");
    const basic = await fetchText(urlOf(server), limits, access("basic", { user: "anna", password: "a:b" }));
    expect(basic.text).toBe(`Basic ${Buffer.from("anna:a:b").toString("base64")}`);
    expect((await fetchText(urlOf(server), limits, access("bearer", { token: "t0ken" }))).text).toBe("Bearer t0ken");
    await expect(
      fetchText(urlOf(asking), limits, access("client-certificate", { certificate: "x", privateKey: "y" })),
    ).rejects.toThrow("cannot be read");
  });
});
