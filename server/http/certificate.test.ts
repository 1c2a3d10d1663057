import { mkdtempSync, rmSync, utimesSync, writeFileSync } from "node:fs";
import { createServer, request } from "node:https";
import type { AddressInfo } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { makeAuthority } from "../../tests/certificates";
import { Certificate } from "./certificate";

let folder: string;
let authority: ReturnType<typeof makeAuthority>;
const file = (name: string) => join(folder, name);
let turn = 0;
const put = (pair: { cert: string; key: string }) => {
  writeFileSync(file("a.pem"), pair.cert);
  writeFileSync(file("a.key"), pair.key);
  // Files written within one tick of the file system's clock look unchanged.
  const at = new Date(1_700_000_000_000 + 1000 * turn++);
  utimesSync(file("a.pem"), at, at);
  utimesSync(file("a.key"), at, at);
};
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), "holotaxis-"));
  authority = makeAuthority(folder);
});
afterEach(() => rmSync(folder, { recursive: true, force: true }));

const servedBy = (port: number) =>
  new Promise<string>((done, failed) => {
    const asked = request(
      { port, host: "127.0.0.1", servername: "x", ca: authority.cert, rejectUnauthorized: false, agent: false },
      (response) => {
        done(
          (response.socket as unknown as { getPeerCertificate(): { subject: { CN: string } } }).getPeerCertificate()
            .subject.CN,
        );
        response.destroy();
      },
    );
    asked.on("error", failed);
    asked.end();
  });

describe("the certificate of the pages", () => {
  it("is taken up anew while it is served, when its files change", async () => {
    put(authority.issue("first.example"));
    const certificate = new Certificate(file("a.pem"), file("a.key"));
    const server = createServer(certificate.current, (_request, response) => response.end("ok"));
    await new Promise<void>((done) => server.listen(0, "127.0.0.1", done));
    const { port } = server.address() as AddressInfo;
    certificate.follow(server);
    expect(await servedBy(port)).toBe("first.example");
    put(authority.issue("second.example"));
    certificate.look();
    expect(await servedBy(port)).toBe("second.example");
    expect(certificate.state()).toMatchObject({ names: "second.example", problem: null });
    certificate.close();
    server.close();
  });
  it("stays when what follows cannot be used, and that is said", () => {
    const first = authority.issue("first.example");
    put(first);
    const said: string[] = [];
    const certificate = new Certificate(file("a.pem"), file("a.key"), (sentence) => said.push(sentence));
    put({ cert: first.cert, key: authority.issue("other.example").key });
    certificate.look();
    expect(certificate.current.key).toBe(first.key);
    expect(said.join()).toContain(
      "are not a certificate and its key in PEM form. The certificate before stays in use.",
    );
    expect(certificate.state().problem).toContain("are not a certificate");
  });
  it("says at once when it ends soon or has ended, and refuses what is no certificate", () => {
    const said: string[] = [];
    const take = () => new Certificate(file("a.pem"), file("a.key"), (sentence) => said.push(sentence));
    put(authority.issue("old.example", { days: -1 }));
    take();
    put(authority.issue("soon.example", { days: 5 }));
    take();
    expect(said.map((one) => /ended on|ends on/.exec(one)?.[0])).toEqual(["ended on", "ends on"]);
    expect(() => new Certificate(file("none.pem"), file("a.key"))).toThrow("cannot be read");
  });
});
