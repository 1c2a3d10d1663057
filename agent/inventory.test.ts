import { mkdirSync, mkdtempSync, rmSync, symlinkSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { dirname, join } from "node:path";
import { gunzipSync } from "node:zlib";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { Inventories, readInstalled, structureOf } from "./inventory";
import type { Reading } from "./reading";
import { Reporter } from "./reporter";
import { readTcp } from "./sockets";

let root: string;
const put = (file: string, text: string) => {
  mkdirSync(dirname(join(root, file)), { recursive: true });
  writeFileSync(join(root, file), text);
};
const linked = (file: string, to: string) => {
  mkdirSync(dirname(join(root, file)), { recursive: true });
  symlinkSync(to, join(root, file));
};
const HEAD = "  sl  local_address rem_address   st tx_queue rx_queue tr tm->when retrnsmt   uid  timeout inode\n";
const row = (local: string, remote: string, state: string, inode: number) =>
  `   0: ${local} ${remote} ${state} 00000000:00000000 00:00000000 00000000     0        0 ${inode} 1 0 100 0\n`;

function process(
  pid: number,
  given: { command: string[]; name: string; group?: string; net?: string; sockets?: number[] },
) {
  put(`proc/${pid}/cmdline`, given.command.map((one) => `${one}\0`).join(""));
  put(`proc/${pid}/status`, `Name:\t${given.name}\nPPid:\t1\nUid:\t33\t33\t33\t33\n`);
  put(`proc/${pid}/cgroup`, `0::${given.group ?? "/"}\n`);
  linked(`proc/${pid}/ns/net`, `net:[${given.net ?? "1"}]`);
  mkdirSync(join(root, `proc/${pid}/fd`), { recursive: true });
  for (const [index, inode] of (given.sockets ?? []).entries())
    linked(`proc/${pid}/fd/${index + 3}`, `socket:[${inode}]`);
}

const CONTAINER = "ab".repeat(32);

beforeEach(() => {
  root = mkdtempSync(join(tmpdir(), "holotaxis-agent-"));
  put("etc/passwd", "root:x:0:0::/root:/bin/sh\nwww-data:x:33:33::/var/www:/bin/sh\n");
  put("etc/os-release", 'PRETTY_NAME="A Linux"\n');
  put("proc/version", "Linux version 6.1.0 (someone)\n");
  put(
    "proc/1/net/tcp",
    HEAD + row("00000000:1F90", "00000000:0000", "0A", 11) + row("0500000A:9C40", "0900000A:1538", "01", 12),
  );
  put(
    "proc/1/net/tcp6",
    HEAD + row("00000000000000000000000001000000:0050", "00000000000000000000000000000000:0000", "0A", 13),
  );
  process(1, { command: ["/sbin/init"], name: "systemd" });
  process(40, {
    command: ["node", "/srv/orders/main.js"],
    name: "node",
    group: "/system.slice/orders.service",
    sockets: [11, 12],
  });
  process(50, {
    command: ["/bin/cache", "--port", "1"],
    name: "cache",
    group: `/docker/${CONTAINER}`,
    net: "2",
    sockets: [21],
  });
  put(
    "proc/50/net/tcp",
    HEAD + row("00000000:18EB", "00000000:0000", "0A", 20) + row("020011AC:9C41", "0900000A:1538", "01", 21),
  );
  put("sys/class/net/eth0/address", "02:5e:00:00:00:01\n");
  put("sys/class/net/eth0/operstate", "up\n");
  put("sys/class/dmi/id/product_uuid", "ABCDEF00-0000-0000-0000-000000000001\n");
});
afterEach(() => rmSync(root, { recursive: true }));

const reading = {
  processors: { cores: [1, 2] },
  memory: { totalBytes: 8192, availableBytes: 2048 },
  disks: [],
} as unknown as Reading;

describe("what runs on a host", () => {
  it("is read with whose each socket is, containers in their own networks", () => {
    const { software, listeners, connections } = new Inventories(root).tables();
    expect(software.find((one) => one.pid === 40)).toMatchObject({
      name: "node",
      parameters: "/srv/orders/main.js",
      unit: "orders",
      user: "www-data",
    });
    expect(software.find((one) => one.pid === 50)?.container).toBe(CONTAINER);
    expect(listeners).toEqual([
      { address: "0.0.0.0", port: 8080, pid: 40 },
      { address: "0:0:0:0:0:0:0:1", port: 80, pid: 0 },
    ]);
    expect(connections).toEqual([
      { localAddress: "10.0.0.5", localPort: 40000, remoteAddress: "10.0.0.9", remotePort: 5432, pid: 40 },
      { localAddress: "172.17.0.2", localPort: 40001, remoteAddress: "10.0.0.9", remotePort: 5432, pid: 50 },
    ]);
  });

  it("finds the owner of a new socket among those that had some, without asking all", () => {
    const inventories = new Inventories(root);
    inventories.tables();
    put("proc/1/net/tcp", HEAD + row("0500000A:9C50", "0900000A:1538", "01", 77));
    linked("proc/40/fd/9", "socket:[77]");
    expect(inventories.tables().connections[0]).toMatchObject({ localPort: 40016, pid: 40 });
  });

  it("tells the machine by its own numbers", () => {
    const all = new Inventories(root).all(reading, ["10.0.0.5"]);
    expect(all).toMatchObject({
      description: "A Linux, Linux 6.1.0",
      processors: 2,
      memory: { totalBytes: 8192, usedBytes: 6144 },
      uuid: "abcdef00-0000-0000-0000-000000000001",
      interfaces: [{ name: "eth0", physAddress: "02:5e:00:00:00:01", up: true }],
    });
    const structure = structureOf(all);
    expect(structureOf({ ...all, connections: [] })).toBe(structure);
    expect(structureOf({ ...all, listeners: all.listeners.slice(1) })).not.toBe(structure);
  });

  it("reads sockets of both families and passes over what is none", () => {
    expect(
      readTcp(HEAD + row("0000000000000000FFFF00000100007F:0016", "0000000000000000FFFF00000200007F:1000", "01", 5)),
    ).toMatchObject([{ localAddress: "127.0.0.1", localPort: 22, remoteAddress: "127.0.0.2", listens: false }]);
    expect(readTcp(HEAD + row("0100007F:0016", "0200007F:1000", "06", 5) + "nonsense\n\n")).toEqual([]);
  });

  it("reads installed packages only", () => {
    const status =
      "Package: a\nStatus: install ok installed\nVersion: 1.2\n\nPackage: b\nStatus: deinstall ok config-files\nVersion: 3\n";
    expect(readInstalled(status)).toEqual([{ name: "a", version: "1.2" }]);
  });
});

describe("reporting what runs", () => {
  const setUp = (answer: () => Response) => {
    const sent: { system?: unknown; tables?: unknown }[] = [];
    const said: string[] = [];
    let nowMs = 0;
    const inventories = new Inventories(root);
    const reporter = new Reporter({
      to: "http://receiver",
      host: { hostName: "a" },
      read: () => inventories.all(reading, []),
      now: () => nowMs,
      post: vi.fn(async (_url: unknown, init?: RequestInit) => {
        sent.push(JSON.parse(gunzipSync(init?.body as Uint8Array).toString()) as object);
        return answer();
      }) as unknown as typeof fetch,
      say: (sentence) => said.push(sentence),
    });
    return { reporter, sent, said, wait: (ms: number) => (nowMs += ms) };
  };
  const ok = () => new Response(null, { status: 204 });

  it("says all of it once, then who talks to whom, and all of it again when it changed", async () => {
    const { reporter, sent, wait } = setUp(ok);
    await reporter.report();
    await reporter.report();
    put("proc/1/net/tcp", HEAD + row("00000000:1F91", "00000000:0000", "0A", 31));
    await reporter.report();
    wait(3_600_000);
    await reporter.report();
    expect(sent.map((one) => (one.system ? "all" : "tables"))).toEqual(["all", "tables", "all", "all"]);
  });

  it("waits longer from try to try, says why once, and begins with all of it again", async () => {
    let status = 503;
    const { reporter, sent, said, wait } = setUp(() => new Response("later", { status }));
    await reporter.report();
    await reporter.report();
    expect(sent).toHaveLength(1);
    wait(31_000);
    await reporter.report();
    expect(sent).toHaveLength(2);
    expect(said).toHaveLength(1);
    status = 200;
    wait(61_000);
    await reporter.report();
    expect(sent.map((one) => one.system !== undefined)).toEqual([true, true, true]);
  });
});
