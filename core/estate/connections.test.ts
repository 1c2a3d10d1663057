import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { matchConnections } from "./connections";
import type { HostTables } from "./parts";
import type { ConnectionRow } from "./sighting";

const software = (pid: number, name: string) => ({ pid, name, path: "", parameters: "" });
const rows = (pid: number, ...ends: [string, number, string, number][]): ConnectionRow[] =>
  ends.map(([localAddress, localPort, remoteAddress, remotePort]) => ({
    localAddress,
    localPort,
    remoteAddress,
    remotePort,
    pid,
  }));
interface Host {
  host: string;
  addresses: string[];
  tables: HostTables;
}
const web: Host = {
  host: "web",
  addresses: ["127.20.1.1"],
  tables: {
    software: [software(1, "front")],
    listeners: [{ address: "0.0.0.0", port: 8080, pid: 1 }],
    connections: rows(
      1,
      ["127.20.1.1", 40_001, "127.20.1.2", 5432],
      ["127.20.1.1", 40_002, "127.20.1.2", 5432],
      ["127.20.1.1", 40_003, "192.0.2.9", 443],
      ["127.20.1.1", 8080, "192.0.2.77", 51_000],
    ),
  },
};
const db: Host = {
  host: "db",
  addresses: ["127.20.1.2"],
  tables: {
    software: [software(7, "store")],
    listeners: [{ address: "127.20.1.2", port: 5432, pid: 7 }],
    connections: rows(7, ["127.20.1.2", 5432, "127.20.1.1", 40_001], ["127.20.1.2", 5432, "127.20.1.1", 40_002]),
  },
};
const withTables = (host: Host, tables: Partial<HostTables>): Host => ({
  ...host,
  tables: { ...host.tables, ...tables },
});
/** As an agent shows it that may not read whose a socket is. */
const nobodys = (host: Host): Host =>
  withTables(host, {
    software: [],
    listeners: host.tables.listeners.map((one) => ({ ...one, pid: 0 })),
    connections: host.tables.connections.map((one) => ({ ...one, pid: 0 })),
  });
const talk = {
  from: { host: "web", part: "front" },
  to: { host: "db", part: "store" },
  port: 5432,
  connections: 2,
};

describe("matching connections end to end", () => {
  it("counts a connection once though both ends list it, and names the processes", () =>
    expect(matchConnections([web, db]).conversations).toEqual([{ ...talk, seenBy: "both" }]));
  it("still finds it when only the caller lists it", () =>
    expect(matchConnections([web, withTables(db, { connections: [] })]).conversations).toEqual([
      { ...talk, seenBy: "caller" },
    ]));
  it("cannot name a caller that its own host does not list", () =>
    expect(matchConnections([withTables(web, { connections: [] }), db]).conversations).toEqual([]));
  it("tells of outgoing connections nobody answers for, and not of unknown clients", () => {
    expect(matchConnections([web, db]).unknown).toEqual([
      { host: "web", part: "front", remoteAddress: "192.0.2.9", remotePort: 443, connections: 1, claimedBy: [] },
    ]);
  });
  it("ends on the listener where the called host does not tell whose it is", () =>
    expect(matchConnections([web, nobodys(db)]).conversations).toEqual([
      { ...talk, to: { host: "db", part: "port 127.20.1.2:5432", listener: "127.20.1.2:5432" }, seenBy: "both" },
    ]));
  it("begins at the host where the calling host does not tell whose it is, or was not read", () => {
    const from = { host: "web", part: null };
    expect(matchConnections([nobodys(web), db]).conversations).toEqual([{ ...talk, from, seenBy: "both" }]);
    expect(matchConnections([{ ...web, tables: undefined }, db]).conversations).toEqual([
      { ...talk, from, seenBy: "listener" },
    ]);
  });
  it("ends on the host where nobody could read it", () =>
    expect(matchConnections([web, { ...db, tables: undefined }]).conversations).toEqual([
      { ...talk, to: { host: "db", part: null, listener: "5432" }, seenBy: "caller" },
    ]));
  it("takes connections of a host without an owner for those of its part that has the same to the same listener", () => {
    const half = withTables(web, {
      connections: web.tables.connections.map((one, at) => (at === 0 ? { ...one, pid: 0 } : one)),
    });
    expect(matchConnections([half, db]).conversations).toEqual([{ ...talk, connections: 1, seenBy: "both" }]);
  });
  it("keeps what hosts say to themselves over the loopback to each of them", () => {
    const local = (host: string, address: string): Host => ({
      host,
      addresses: [address],
      tables: {
        software: [software(1, "front"), software(2, "cache")],
        listeners: [{ address: "127.0.0.1", port: 6379, pid: 2 }],
        connections: [
          ...rows(1, ["127.0.0.1", 40_001, "127.0.0.1", 6379]),
          ...rows(2, ["127.0.0.1", 6379, "127.0.0.1", 40_001]),
        ],
      },
    });
    const result = matchConnections([local("a", "192.0.2.1"), local("b", "192.0.2.2")]);
    expect(result.unknown).toEqual([]);
    expect(result.conversations.map((one) => [one.from.host, one.from.part, one.to.host, one.to.part])).toEqual([
      ["a", "front", "a", "cache"],
      ["b", "front", "b", "cache"],
    ]);
  });
  it("does not take a peer that is not known yet for the host itself, though its address is one of the loopback's", () => {
    const result = matchConnections([
      withTables(web, { connections: rows(1, ["127.20.1.1", 40_001, "127.20.9.9", 5432]) }),
    ]);
    expect(result.conversations).toEqual([]);
    expect(result.unknown).toMatchObject([{ remoteAddress: "127.20.9.9", claimedBy: [] }]);
  });
  it("does not guess whose an address is that several hosts have", () => {
    const bridge = "172.17.0.1";
    const caller = withTables(web, { connections: rows(1, ["127.20.1.1", 40_001, bridge, 5432]) });
    const both = [
      caller,
      { ...db, addresses: ["127.20.1.2", bridge] },
      { ...db, host: "db2", addresses: ["127.20.1.3", bridge] },
    ];
    expect(matchConnections(both)).toMatchObject({ conversations: [], unknown: [{ claimedBy: ["db", "db2"] }] });
  });
  it("leaves out who signs in over SSH", () => {
    const shell = withTables(db, { software: [software(7, "sshd")] });
    expect(matchConnections([web, shell]).conversations).toEqual([]);
  });
  it("matches the rows of some hosts only, when asked to", () => {
    expect(matchConnections([web, db], new Set(["db"])).conversations).toEqual([{ ...talk, seenBy: "both" }]);
    expect(matchConnections([web, db], new Set()).conversations).toEqual([]);
  });
  it("does not depend on the order of hosts or rows", () => {
    const sorted = (hosts: Host[]) => JSON.stringify(matchConnections(hosts).conversations);
    const expected = sorted([web, db]);
    fc.assert(
      fc.property(
        fc.shuffledSubarray(web.tables.connections, { minLength: 4 }),
        fc.shuffledSubarray(db.tables.connections, { minLength: 2 }),
        fc.boolean(),
        (a, b, swap) => {
          const hosts = [withTables(web, { connections: a }), withTables(db, { connections: b })];
          return sorted(swap ? hosts.reverse() : hosts) === expected;
        },
      ),
    );
  });
});
