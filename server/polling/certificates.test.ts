import { mkdtempSync, rmSync } from "node:fs";
import { createServer as createPlain } from "node:net";
import { createServer, type Server } from "node:tls";
import type { AddressInfo } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { makeAuthority } from "../../tests/certificates";
import { useStore } from "../../tests/store";
import type { SampleWriter } from "../ingest/sample-writer";
import type { Db } from "../store/database";
import { insertComponent } from "../store/estate";
import { CertificatePoller } from "./certificates";

let db: Db;
useStore((made) => (db = made));

let folder: string;
let authority: ReturnType<typeof makeAuthority>;
let server: Server;
beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), "holotaxis-"));
  authority = makeAuthority(folder);
  server = createServer(authority.issue("localhost", { days: 20 }));
  server.on("tlsClientError", () => undefined);
  await new Promise<void>((done) => server.listen(0, "127.0.0.1", done));
});
afterAll(() => {
  server.close();
  rmSync(folder, { recursive: true, force: true });
});

/** Samples as they were recorded: component and days left. */
let samples: [component: number, left: number][];
let poller: CertificatePoller;
beforeEach(() => {
  db.exec("UPDATE component SET valid_to = 2");
  samples = [];
  const writer = {
    series: (owner: { componentId: number }) => owner.componentId,
    record: (component: number, _at: number, value: number) => void samples.push([component, value]),
  };
  poller = new CertificatePoller(db, writer as unknown as SampleWriter);
});

const add = (port: number | undefined, facts: Record<string, string>) =>
  insertComponent(
    db,
    {
      kind: "app.web",
      name: `front ${port}`,
      site: "S",
      sourceId: null,
      hostId: null,
      address: "127.0.0.1",
      port,
      reason: "",
      keys: [`name:front ${port}`],
      facts,
    },
    1,
  );
const portOf = (one: { address(): unknown }) => (one.address() as AddressInfo).port;
const TLS = { "certificate expires": "2026-03-26" };
const look = (atMs: number) => {
  poller.reload(atMs);
  return poller.pollDue(() => atMs);
};

describe("certificates that are shown", () => {
  it("are told by the days that are left, below zero once they are over", async () => {
    const id = add(portOf(server), TLS);
    const now = Date.now();
    await look(now);
    expect(samples).toEqual([[id, expect.closeTo(20, 0)]]);
    await look(now + 30 * 86_400_000);
    expect(samples[1]).toEqual([id, expect.closeTo(-10, 0)]);
  });
  it("are looked at every two minutes, and every half a minute on their last day", async () => {
    add(portOf(server), TLS);
    const now = Date.now();
    for (const seconds of [0, 60, 119, 120]) await look(now + seconds * 1000);
    expect(samples.length).toBe(2);
    const last = now + 21 * 86_400_000;
    for (const seconds of [0, 29, 30]) await look(last + seconds * 1000);
    expect(samples.length).toBe(4);
  });
  it("are not asked of what has none, has no port, or left the estate", async () => {
    const gone = add(portOf(server), TLS);
    add(undefined, TLS);
    add(1, {});
    poller.reload(1);
    db.exec(`UPDATE component SET valid_to = 2 WHERE id = ${gone}`);
    await look(Date.now());
    expect(samples).toEqual([]);
  });
  it("are told by the one that ends first, of what listens by several", async () => {
    const sooner = createServer(authority.issue("localhost", { days: 3 }));
    await new Promise<void>((done) => sooner.listen(0, "127.0.0.1", done));
    const id = add(1, { ...TLS, "TLS ports": `${portOf(server)}, ${portOf(sooner)}` });
    await look(Date.now());
    expect(samples).toEqual([[id, expect.closeTo(3, 0)]]);
    sooner.close();
  });
  it("are left out where nothing answers, or no TLS; the others are looked at all the same", async () => {
    const plain = createPlain((socket) => socket.end("220 hello\r\n"));
    await new Promise<void>((done) => plain.listen(0, "127.0.0.1", done));
    add(portOf(plain), TLS);
    add(1, TLS);
    const id = add(portOf(server), TLS);
    await look(Date.now());
    expect(samples.map(([component]) => component)).toEqual([id]);
    plain.close();
  });
});
