import { readFileSync } from "node:fs";
import snmp from "net-snmp";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { pollHost, readProcesses, readSystem } from "#server/sources/range/snmp";
import { SnmpFailure } from "#server/sources/range/snmp-session";
import { Estate } from "#standins/seen/estate";
import { readScenario } from "#standins/scenario/read";
import { agentTree, startAgent } from "#standins/snmp-agent";
import { v2c } from "#server/sources/range/snmp-access";

const AT = Date.parse("2026-03-17T10:00:00Z");
const read = readScenario(
  JSON.parse(readFileSync(new URL("../fixtures/small-scenario.json", import.meta.url), "utf8")),
);
if (!read.ok) throw new Error(read.problems.join("\n"));
const { scenario } = read;
const estate = new Estate(scenario, AT);
const host = estate.host("t-web-01");
if (!host) throw new Error("no host");
const target = { address: host.address, port: 11_198, access: [v2c("test-room")] };

/** snmpwalk's way of writing a value, from a type and value of our tree. */
function written(type: number, value: unknown): string {
  switch (type) {
    case 0x02:
      return `INTEGER: ${value}`;
    case 0x06:
      return `OID: .${value}`;
    case 0x41:
      return `Counter32: ${value}`;
    case 0x42:
      return `Gauge32: ${value}`;
    case 0x43:
      return `Timeticks: (${value})`;
    case 0x46:
      return `Counter64: ${value}`;
    default:
      if (Buffer.isBuffer(value))
        return `Hex-STRING: ${[...value].map((byte) => byte.toString(16).padStart(2, "0").toUpperCase()).join(" ")} `;
      return value === "" ? '""' : `STRING: "${value}"`;
  }
}

describe("the SNMP stand-in", () => {
  // Source: what Debian's snmpwalk read over the wire; made by tests/fixtures/make-snmpwalk.mjs.
  it("shows what snmpwalk reads from it", () => {
    const walked = readFileSync(new URL("../fixtures/snmpwalk.txt", import.meta.url), "utf8")
      .split("\n")
      .filter((line) => line.startsWith(".") && !line.includes("No more variables"));
    const own = agentTree(host, AT)
      .map((one) => `.${one.oid.join(".")} = ${written(one.type, one.value)}`)
      .filter((line) => line.startsWith(".1.3.6.1.2.1."));
    expect(walked.map((line) => line.trimEnd())).toEqual(own.map((line) => line.trimEnd()));
    expect(walked.length).toBeGreaterThan(100);
  });
});

describe("our collector against the stand-in", () => {
  let socket: Awaited<ReturnType<typeof startAgent>>;
  beforeAll(async () => {
    socket = await startAgent(host, target.port, () => AT);
  });
  afterAll(() => socket.close());

  it("reads the system and its tables (RFC 3418, 2863, 2790, 4022)", async () => {
    const system = await readSystem(target);
    expect(system).toMatchObject({
      sysName: "t-web-01.halvane.example",
      sysObjectId: "1.3.6.1.4.1.8072.3.2.10",
      sysServices: 72,
      processors: 2,
    });
    expect(system.interfaces).toEqual(host.interfaceRows());
    expect(system.storage).toEqual(host.storageRows(AT));
    expect(system.software.map((row) => row.name)).toContain("shopfront");
    expect(system.listeners).toEqual(expect.arrayContaining(host.listeners(AT)));
    const byPort = (rows: readonly { localPort: number }[]) => [...rows].sort((a, b) => a.localPort - b.localPort);
    expect(byPort(system.connections)).toEqual(byPort(host.connections(AT)));
    expect(system.connections).toHaveLength(3);
  });

  it("polls the same figures that the model holds, 64-bit counters whole", async () => {
    const poll = await pollHost(target, { processes: true, guests: true });
    const model = host.poll(AT);
    expect(poll.processorLoads).toEqual(model.processorLoads);
    expect(poll.storage).toEqual(model.storage);
    expect(poll.interfaces).toEqual(model.interfaces);
    expect(poll.devices?.map((one) => one.name)).toEqual(["sda"]);
    expect(poll.devices).toEqual(model.devices);
    expect(poll.clock).toEqual({ atMs: AT, isLocal: false });
    const front = poll.processes.find((process) => process.name === "shopfront");
    expect(front).toEqual({ ...model.processes[0], pids: [expect.any(Number)] });
    expect((await readProcesses(target)).find((process) => process.name === "shopfront")?.memoryBytes).toBe(
      front?.memoryBytes,
    );
  });

  it("hears nothing with a wrong community and says so", async () => {
    await expect(readSystem({ ...target, access: [v2c("wrong")] }, 120, 0)).rejects.toThrow(SnmpFailure);
  });

  // Source: RFC 3416 §4.2.1 (noSuchObject / noSuchInstance) and §4.2.3 (endOfMibView).
  it("answers what it does not have as RFC 3416 says", async () => {
    const session = snmp.createSession(target.address, "test-room", {
      port: target.port,
      version: snmp.Version2c,
      timeout: 500,
      retries: 1,
    });
    const got = await new Promise<number>((resolve, reject) =>
      session.get(["1.3.6.1.2.1.99.1.0"], (error, bindings) =>
        error ? reject(error) : resolve(bindings?.[0]?.type ?? -1),
      ),
    );
    expect([snmp.ObjectType.NoSuchObject, snmp.ObjectType.NoSuchInstance]).toContain(got);
    const next = await new Promise<number>((resolve, reject) =>
      session.getNext(["1.3.7"], (error, bindings) => (error ? reject(error) : resolve(bindings?.[0]?.type ?? -1))),
    );
    expect(next).toBe(snmp.ObjectType.EndOfMibView);
    session.close();
  });
});
