import { describe, expect, it } from "vitest";
import { deriveConnections, type InventoriedHost, type Neighbourhood } from "./derive";
import type { KnownComponent } from "./known";
import type { SystemSighting } from "./sighting";

const system = (changes: Partial<SystemSighting>): SystemSighting => ({
  sysDescr: "",
  sysObjectId: "",
  sysName: "",
  sysLocation: "",
  sysContact: "",
  sysServices: 2,
  processors: 0,
  interfaces: [],
  storage: [],
  software: [],
  listeners: [],
  connections: [],
  neighbours: [],
  ...changes,
});
const mac = (last: number) => `02:5e:00:00:00:0${last}`;
const host = (id: number, changes: Partial<SystemSighting> = {}, seen = true): InventoriedHost => ({
  component: { id, name: `host-${id}`, address: `10.0.0.${id}` } as KnownComponent,
  inventory: system({
    interfaces: [{ index: 1, name: "eth0", type: 6, speedBps: 1e9, physAddress: mac(id), up: true }],
    ...changes,
  }),
  seen,
});
const around: Neighbourhood = {
  nameOf: (id) => `host-${id}`,
  partOf: () => undefined,
  hostNamed: () => undefined,
  isCovered: (address) => address.startsWith("10.0.0."),
  isKnown: (address) => ["10.0.0.1", "10.0.0.2", "10.0.0.3"].includes(address),
  unreadHosts: [],
};

describe("what bridges tell of wires", () => {
  it("joins the one system behind a port to the bridge, and nobody where several are", () => {
    const bridge = host(9, {
      bridge: [
        { physAddress: mac(1), port: 4 },
        { physAddress: mac(2), port: 5 },
        { physAddress: mac(3), port: 5 },
        { physAddress: "02:5e:00:00:00:77", port: 6 },
        { physAddress: mac(9), port: 7 },
      ],
    });
    const { relations } = deriveConnections([bridge, host(1), host(2), host(3)], around);
    expect(relations).toEqual([
      expect.objectContaining({ type: "wired-to", from: 1, to: 9, detail: "port 4", unlessKnown: true }),
    ]);
  });

  it("says nothing twice where the neighbour says so itself", () => {
    const bridge = host(9, {
      bridge: [{ physAddress: mac(1), port: 4 }],
      neighbours: [{ localPort: 4, systemName: "host-1.example", portId: "eth0" }],
    });
    const named = { ...around, hostNamed: (name: string) => (name === "host-1" ? 1 : undefined) };
    expect(deriveConnections([bridge, host(1)], named).relations).toHaveLength(1);
  });

  it("takes no hardware address for somebody's that two systems have", () => {
    const twin = host(2, { interfaces: host(1).inventory.interfaces });
    const bridge = host(9, { bridge: [{ physAddress: mac(1), port: 4 }] });
    expect(deriveConnections([bridge, host(1), twin], around).relations).toEqual([]);
  });
});

describe("who was met on the wires", () => {
  const met = (address: string, physAddress: string) => ({ address, physAddress });
  it("is told of once where nobody knows it, by hardware or by address", () => {
    const list = [
      met("10.0.0.2", "02:00:00:00:00:aa"),
      met("10.0.0.8", mac(3)),
      met("10.0.0.77", "02:0d:00:00:00:01"),
      met("192.168.9.9", "02:0d:00:00:00:02"),
      met("10.0.0.251", "01:00:5e:00:00:fb"),
      met("10.0.0.254", "00:00:5e:00:01:07"),
    ];
    const { notes } = deriveConnections(
      [
        host(1, { met: list }),
        host(2, { met: list }),
        host(3, { met: [met("10.0.0.99", "02:0d:00:00:00:03")] }, false),
      ],
      around,
    );
    expect(notes.map((one) => [one.title, one.detail])).toEqual([
      [
        "10.0.0.77",
        "Met on the wire by host-1 and 1 more (hardware address 02:0d:00:00:00:01), which a source covers, but nothing answered there.",
      ],
      [
        "192.168.9.9",
        "Met on the wire by host-1 and 1 more (hardware address 02:0d:00:00:00:02), which no source covers. Add a range if it is yours.",
      ],
    ]);
  });
});
