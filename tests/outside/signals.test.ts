import { spawn, spawnSync, type ChildProcess } from "node:child_process";
import { mkdirSync, rmSync, writeFileSync } from "node:fs";
import { createServer } from "node:net";
import { join } from "node:path";
import { MessageChannel } from "node:worker_threads";
import { afterAll, beforeAll, expect, it } from "vitest";
import type { ArrivedLog, Batch } from "#server/receivers/batch";
import { IngestChannel } from "#server/receivers/channel";
import { SyslogReceiver } from "#server/receivers/syslog";
import { TrapReceiver } from "#server/receivers/traps";
import { ROOT } from "./estate";

const folder = join(ROOT, "signals");
const ports = new MessageChannel();
const logs: ArrivedLog[] = [];
const faults: unknown[] = [];
let syslog: SyslogReceiver;
let traps: TrapReceiver;
let relay: ChildProcess;
let trapPort: number;

const freePort = () =>
  new Promise<number>((resolve) => {
    const server = createServer().listen(0, "127.0.0.1", () => {
      const { port } = server.address() as { port: number };
      server.close(() => resolve(port));
    });
  });
const bodies = () => logs.map((one) => one.body);

beforeAll(async () => {
  ports.port1.on("message", (message: { kind: string; id: number; batch: Batch }) => {
    if (message.kind !== "batch") return;
    logs.push(...message.batch.logs);
    ports.port1.postMessage({ kind: "kept", id: message.id, refused: [], rejected: 0 });
  });
  const channel = new IngestChannel(ports.port2, Date.now, (error) => faults.push(error));
  syslog = new SyslogReceiver(channel, Date.now);
  traps = new TrapReceiver(channel, Date.now);
  const port = await freePort();
  await syslog.listen("127.0.0.1", port);
  trapPort = await traps.listen("127.0.0.1", 0);
  rmSync(folder, { recursive: true, force: true });
  mkdirSync(folder, { recursive: true });
  writeFileSync(
    join(folder, "rsyslog.conf"),
    `module(load="imuxsock" SysSock.Use="off")
input(type="imuxsock" Socket="${folder}/udp.sock" CreatePath="on" ruleset="udp")
input(type="imuxsock" Socket="${folder}/tcp.sock" CreatePath="on" ruleset="tcp")
ruleset(name="udp") { action(type="omfwd" target="127.0.0.1" port="${port}" protocol="udp") }
ruleset(name="tcp") {
  action(type="omfwd" target="127.0.0.1" port="${port}" protocol="tcp" template="RSYSLOG_SyslogProtocol23Format" TCP_Framing="octet-counted")
}
`,
  );
  relay = spawn("rsyslogd", ["-n", "-f", join(folder, "rsyslog.conf"), "-i", join(folder, "pid")], { stdio: "ignore" });
});
afterAll(async () => {
  relay.kill("SIGKILL");
  await syslog.close();
  await traps.close();
  ports.port1.close();
  expect(faults).toEqual([]);
});

it("rsyslog relays by UDP in its traditional form, and by TCP in that of RFC 5424", async () => {
  const say = (socket: string, text: string) =>
    spawnSync("logger", ["-u", join(folder, socket), "-t", "yard/planner", "--id=4711", "-p", "daemon.warning", text]);
  await expect
    .poll(
      () => {
        if (!bodies().includes("by datagram")) say("udp.sock", "by datagram");
        if (!bodies().includes("by stream")) say("tcp.sock", "by stream");
        return bodies().includes("by datagram") && bodies().includes("by stream");
      },
      { timeout: 20_000, interval: 500 },
    )
    .toBe(true);
  for (const body of ["by datagram", "by stream"]) {
    const one = logs.find((log) => log.body === body);
    expect(one?.severity).toBe(13);
    expect(Math.abs((one?.atMs ?? 0) - Date.now())).toBeLessThan(60_000);
  }
});

it("snmptrap and snmpinform deliver", async () => {
  const given = ["-v2c", "-c", "public", `127.0.0.1:${trapPort}`, "", "1.3.6.1.6.3.1.1.5.3"];
  const objects = ["1.3.6.1.2.1.2.2.1.1.3", "i", "3", "1.3.6.1.2.1.2.2.1.2.3", "s", "eth7"];
  // Not waited for by blocking: the acknowledgement comes from this process.
  const run = (command: string) =>
    new Promise<number | null>((resolve) => {
      spawn(command, [...given, ...objects], { stdio: "ignore" }).on("close", resolve);
    });
  expect(await run("snmptrap")).toBe(0);
  expect(await run("snmpinform")).toBe(0);
  await expect.poll(() => bodies().filter((body) => body === "linkDown: ifIndex 3, ifDescr eth7").length).toBe(2);
});
