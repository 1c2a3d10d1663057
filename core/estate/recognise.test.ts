import { describe, expect, it } from "vitest";
import { kindOfSystem, recognise } from "./recognise";
import type { AddressSighting, SystemSighting } from "./sighting";

const system = (changes: Partial<SystemSighting> = {}): SystemSighting => ({
  sysDescr: "Linux box 6.1",
  sysObjectId: "1.3.6.1.4.1.8072.3.2.10",
  sysName: "box.halvane.example",
  sysLocation: "North",
  sysContact: "",
  sysServices: 72,
  processors: 4,
  interfaces: [],
  storage: [{ index: 1, label: "Physical memory", type: "ram", unitBytes: 4096, sizeUnits: 1000, usedUnits: 10 }],
  software: [
    { pid: 10, name: "slotkeeper", path: "/opt/slotkeeper", parameters: "" },
    { pid: 11, name: "quaystore", path: "/opt/quaystore", parameters: "--data /srv" },
    { pid: 12, name: "sshd", path: "/usr/sbin/sshd", parameters: "" },
    { pid: 13, name: "batch", path: "/opt/batch", parameters: "" },
    { pid: 14, name: "idle", path: "/opt/idle", parameters: "" },
  ],
  listeners: [
    { address: "0.0.0.0", port: 2222, pid: 12 },
    { address: "127.20.1.5", port: 8081, pid: 10 },
    { address: "127.20.1.5", port: 5432, pid: 11 },
  ],
  connections: [
    { localAddress: "127.20.1.5", localPort: 40_000, remoteAddress: "127.20.1.6", remotePort: 5432, pid: 13 },
  ],
  neighbours: [],
  ...changes,
});
const sighting = (changes: Partial<AddressSighting> = {}): AddressSighting => ({
  address: "127.20.1.5",
  open: [
    { port: 2222, banner: "SSH-2.0-x" },
    { port: 8081, http: { status: 200, server: "slotkeeper/4.2" } },
    { port: 5432 },
  ],
  failures: [],
  ...changes,
});

describe("the kind of a system", () => {
  it.each([
    [{ sysObjectId: "1.3.6.1.4.1.8072.3.2.10", sysServices: 72, sysDescr: "" }, "host.linux"],
    [{ sysObjectId: "1.3.6.1.4.1.32473.1", sysServices: 2, sysDescr: "" }, "net.switch"],
    [{ sysObjectId: "1.3.6.1.4.1.32473.1", sysServices: 4, sysDescr: "" }, "net.router"],
    [{ sysObjectId: "1.3.6.1.4.1.32473.9", sysServices: 72, sysDescr: "Linux 6" }, "host.linux"],
    [{ sysObjectId: "1.3.6.1.4.1.32473.9", sysServices: 76, sysDescr: "thing" }, "host.unknown"],
    // A prefix counts only at a dot.
    [{ sysObjectId: "1.3.6.1.4.1.8072.3.2.101", sysServices: 64, sysDescr: "thing" }, "host.unknown"],
  ])("of %o is %s", (given, kind) => expect(kindOfSystem(given).kind).toBe(kind));
});

describe("recognising what was seen at an address", () => {
  it("names the host by its system name and keeps the address as a second key", () => {
    const found = recognise(sighting({ system: system() }));
    expect(found?.host).toMatchObject({
      kind: { is: "host.linux" },
      name: "box",
      keys: [
        { value: "name:box.halvane.example", strength: 2 },
        { value: "addr:127.20.1.5", strength: 1 },
      ],
      facts: { "ssh port": "2222", processors: "4", "memory bytes": "4096000" },
    });
  });
  it("makes components of processes that listen or connect, not of housekeeping or idle ones", () => {
    const found = recognise(sighting({ system: system() }));
    expect(found?.parts.map((part) => [part.name, part.kind.is])).toEqual([
      ["slotkeeper @ box", "app.process"],
      ["quaystore @ box", "db.relational"],
      ["batch @ box", "app.process"],
    ]);
    expect(found?.parts[0]?.facts.software).toBe("slotkeeper/4.2");
  });
  it("takes a page with a title for a web front", () => {
    const found = recognise(
      sighting({
        system: system(),
        open: [{ port: 8081, http: { status: 200, server: "slotkeeper/4.2", title: "Slots" } }],
      }),
    );
    expect(found?.parts[0]?.kind.is).toBe("app.web");
  });
  it("keeps open ports as endpoints where SNMP tells nothing", () => {
    const found = recognise(sighting());
    expect(found?.host).toMatchObject({ kind: { is: "host.unknown" }, name: "127.20.1.5" });
    expect(found?.parts.map((part) => [part.kind.is, part.keys[0]?.value])).toEqual([
      ["app.endpoint", "listen:addr:127.20.1.5:8081"],
      ["db.relational", "listen:addr:127.20.1.5:5432"],
    ]);
  });
  it("recognises nothing where nothing answered", () => expect(recognise(sighting({ open: [] }))).toBeUndefined());
});
