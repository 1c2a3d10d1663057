import { readFileSync } from "node:fs";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { readSystem } from "#server/sources/range/snmp";
import { v2c } from "#server/sources/range/snmp-access";
import { readScenario } from "#standins/scenario/read";
import { Estate } from "#standins/seen/estate";
import { agentTree, startAgent } from "#standins/snmp-agent";

const AT = Date.parse("2026-03-17T10:00:00Z");
const read = readScenario(JSON.parse(readFileSync("scenarios/halvane.json", "utf8")));
if (!read.ok) throw new Error(read.problems.join("\n"));
const estate = new Estate(read.scenario, AT);
const bridge = estate.host("td-sw-01");
if (!bridge) throw new Error("no switch");

describe("what a switch knows of its wires", () => {
  let socket: Awaited<ReturnType<typeof startAgent>>;
  const target = { address: bridge.address, port: 11_199, access: [v2c("tarn-depot")] };
  beforeAll(async () => {
    socket = await startAgent(bridge, target.port, () => AT);
  });
  afterAll(() => socket.close());

  it("is read over the wire: whom it met, behind which port, what it is made of", async () => {
    const system = await readSystem(target);
    const byAddress = (a: { physAddress: string }, b: { physAddress: string }) =>
      a.physAddress < b.physAddress ? -1 : 1;
    expect(system.met?.sort(byAddress)).toEqual(bridge.metRows().sort(byAddress));
    expect(system.met).toContainEqual({ address: "127.20.3.99", physAddress: "02:0d:4a:71:20:07" });
    expect(system.bridge?.sort(byAddress)).toEqual(bridge.bridgeRows().sort(byAddress));
    expect(system.bridge?.length).toBeGreaterThan(2);
    expect(system.entities).toEqual(bridge.entityRows());
    expect(system).toMatchObject({ serial: bridge.entityRows()[0]?.serial, model: "AS-48" });
  });

  // Source: RFC 4293 ipNetToPhysicalTable (index: interface, address type, address), RFC 4188 dot1dTpFdbTable (index:
  // the six octets of the address) and dot1dBasePortTable, RFC 6933 entPhysicalTable.
  it("stands where the RFCs put it", () => {
    const objects = new Map(agentTree(bridge, AT).map((one) => [one.oid.join("."), one.value]));
    const octets = [2, 0x0d, 0x4a, 0x71, 0x20, 7];
    expect(objects.get("1.3.6.1.2.1.4.35.1.4.1.1.4.127.20.3.99")).toEqual(Buffer.from(octets));
    const [row] = bridge.bridgeRows();
    const mac = row?.physAddress.split(":").map((byte) => Number.parseInt(byte, 16)) ?? [];
    expect(objects.get(`1.3.6.1.2.1.17.4.3.1.2.${mac.join(".")}`)).toBe(row?.port);
    expect(objects.get(`1.3.6.1.2.1.17.1.4.1.2.${row?.port}`)).toBe(row?.port);
    expect(objects.get("1.3.6.1.2.1.47.1.1.1.1.5.1")).toBe(3);
  });
});
