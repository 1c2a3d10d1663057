import { describe, expect, it } from "vitest";
import { agentReport, systemOfReport } from "./agent-report";

const system = {
  description: "A Linux",
  processors: 2,
  memory: { totalBytes: 8 * 2 ** 30, usedBytes: 2 ** 30 },
  disks: [
    { mount: "/", sizeBytes: 10 * 2 ** 30, usedBytes: 2 ** 30 },
    { mount: "/var/lib/docker/overlay2/x", sizeBytes: 10 * 2 ** 30, usedBytes: 2 ** 30 },
  ],
  interfaces: [{ name: "eth0", physAddress: "02:5e:00:00:00:01", up: true, speedMbps: 1000 }],
  addresses: ["10.0.0.5", "fe80::1", "2001:DB8:0:0::1", "127.0.0.1"],
  packages: [{ name: "a", version: "1" }],
  uuid: "ABCDEF00-0000-0000-0000-000000000001",
  serial: "To Be Filled By O.E.M.",
  model: "Maker One",
  software: [{ pid: 4, name: "x", path: "/x", parameters: "", parent: 1, user: "x" }],
  listeners: [{ address: "0:0:0:0:0:0:0:1", port: 80, pid: 4 }],
  connections: [],
};
const report = { hostName: "a", hostId: "", everySeconds: 60, system };

describe("what an agent says of its host", () => {
  it("is the system that others would read there", () => {
    const read = agentReport.parse(report);
    const found = systemOfReport("a", read.system as NonNullable<typeof read.system>);
    expect(found).toMatchObject({
      sysName: "a",
      addresses: ["10.0.0.5", "2001:db8::1"],
      uuid: "abcdef00-0000-0000-0000-000000000001",
      model: "Maker One",
      listeners: [{ address: "::1", port: 80, pid: 4 }],
    });
    expect(found.serial).toBeUndefined();
    expect(found.storage.map((one) => one.label)).toEqual(["Memory", "/"]);
  });

  it.each([
    ["no address", { ...report, system: { ...system, addresses: ["here"] } }],
    ["neither of both", { hostName: "a", hostId: "", everySeconds: 60 }],
    ["a port beyond all", { ...report, system: { ...system, listeners: [{ address: "::", port: 70_000, pid: 1 }] } }],
    ["a name too long", { ...report, hostName: "a".repeat(300) }],
    [
      "more than any host has",
      { ...report, system: { ...system, packages: Array.from({ length: 20_001 }, () => system.packages[0]) } },
    ],
  ])("is refused where it is %s", (_what, given) => {
    expect(agentReport.safeParse(given).success).toBe(false);
  });
});
