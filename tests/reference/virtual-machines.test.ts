import { readFileSync } from "node:fs";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { GUEST_STATES } from "#core/estate/sighting";
import { pollHost, readSystem } from "#server/sources/range/snmp";
import { Estate } from "#standins/seen/estate";
import { uuidOf } from "#standins/seen/host-view";
import { readScenario } from "#standins/scenario/read";
import { agentTree, startAgent } from "#standins/snmp-agent";
import { v2c } from "#server/sources/range/snmp-access";

// Source: RFC 7666, "Management Information Base for Virtual Machines Controlled by a Hypervisor": VM-MIB is mib-2 236,
// vmObjects 1; vmHypervisor 1, vmNumber 2, vmTable 4, vmNetworkTable 8; columns and syntaxes as in its section 6.
const VM = "1.3.6.1.2.1.236.1";
const AT = Date.parse("2026-03-17T10:00:00Z");
const json = JSON.parse(readFileSync(new URL("../fixtures/small-scenario.json", import.meta.url), "utf8"));
json.roles.machines = { system: "hypervisor", rhythm: "flat", cores: 8, memoryGiB: 32, cpu: [3, 3] };
json.hosts.unshift({ name: "t-virt-01", role: "machines", site: "room", address: "127.21.1.5" });
for (const host of json.hosts) if (host.name === "t-web-01" || host.name === "t-db-01") host.on = "t-virt-01";
const read = readScenario(json);
if (!read.ok) throw new Error(read.problems.join("\n"));
const estate = new Estate(read.scenario, AT);
const hypervisor = estate.host("t-virt-01");
if (!hypervisor) throw new Error("no hypervisor");

describe("the tree of a hypervisor", () => {
  const tree = new Map(agentTree(hypervisor, AT).map((one) => [one.oid.join("."), one]));
  it.each([
    ["vmHvSoftware.0", `${VM}.1.1.0`, 0x04],
    ["vmHvVersion.0", `${VM}.1.2.0`, 0x04],
    ["vmHvObjectID.0", `${VM}.1.3.0`, 0x06],
    ["vmNumber.0", `${VM}.2.0`, 0x02],
    ["vmName.1", `${VM}.4.1.2.1`, 0x04],
    ["vmUUID.1", `${VM}.4.1.3.1`, 0x04],
    ["vmOSType.1", `${VM}.4.1.4.1`, 0x04],
    ["vmAdminState.1", `${VM}.4.1.5.1`, 0x02],
    ["vmOperState.1", `${VM}.4.1.6.1`, 0x02],
    ["vmCurCpuNumber.1", `${VM}.4.1.9.1`, 0x02],
    ["vmMemUnit.1", `${VM}.4.1.12.1`, 0x02],
    ["vmCurMem.1", `${VM}.4.1.13.1`, 0x02],
    ["vmUpTime.1", `${VM}.4.1.16.1`, 0x43],
    ["vmCpuTime.1", `${VM}.4.1.17.1`, 0x46],
    ["vmNetworkPhysAddress.1.1", `${VM}.8.1.5.1.1`, 0x04],
  ] as const)("has %s with its syntax", (_name, oid, type) => expect(tree.get(oid)?.type).toBe(type));
  it("has UUIDs of sixteen octets, version 4 of RFC 4122", () => {
    const uuid = tree.get(`${VM}.4.1.3.1`)?.value as Buffer;
    expect(uuid).toHaveLength(16);
    expect((uuid[6] as number) >> 4).toBe(4);
    expect((uuid[8] as number) >> 6).toBe(0b10);
  });
  it("is no part of what other hosts tell", () => {
    const host = estate.host("t-web-01");
    expect(host && agentTree(host, AT).some((one) => one.oid.join(".").startsWith(VM))).toBe(false);
  });
});

it("operational states are numbered as VirtualMachineOperState is", () => {
  const number = (state: (typeof GUEST_STATES)[number]) => GUEST_STATES.indexOf(state) + 1;
  expect([
    number("unknown"),
    number("other"),
    number("preparing"),
    number("running"),
    number("suspended"),
    number("paused"),
    number("crashed"),
  ]).toEqual([1, 2, 3, 4, 6, 8, 12]);
});

describe("our collector against it, over the wire", () => {
  const target = { address: "127.21.1.5", port: 11_197, access: [v2c("test-room")] };
  let socket: Awaited<ReturnType<typeof startAgent>>;
  let at = AT;
  beforeAll(async () => {
    socket = await startAgent(hypervisor, target.port, () => at);
  });
  afterAll(() => socket.close());

  it("reads the machines with their hardware addresses", async () => {
    const system = await readSystem(target);
    expect(system.hypervisor).toEqual({ software: "Halvane machine host", version: "3.4.1" });
    expect(system.guests).toEqual(
      hypervisor.machine.guests.map((guest, index) => ({
        index: index + 1,
        name: guest.name,
        uuid: uuidOf(guest),
        system: "Linux",
        state: "running",
        processors: guest.role.cores,
        memoryBytes: guest.role.memoryGiB * 1024 ** 3,
        physAddresses: (estate.host(guest.name)?.interfaceRows() ?? []).map((row) => row.physAddress),
      })),
    );
    expect(system.guests).toHaveLength(2);
  });
  it("polls what they use, 64-bit microseconds whole, and says which do not run", async () => {
    const poll = await pollHost(target, { processes: false, guests: true });
    expect(poll.guests).toEqual(hypervisor.guestRows(AT));
    expect(poll.guests?.[0]?.cpuMicroseconds).toBeGreaterThan(2 ** 32);
    expect(estate.startDrill("store-dark", AT + 60_000)?.id).toBe("store-dark");
    at = AT + 90_000;
    const later = await pollHost(target, { processes: false, guests: true });
    expect(later.guests?.map((guest) => [guest.name, guest.running])).toEqual([
      ["t-web-01", true],
      ["t-db-01", false],
    ]);
  });
});
