import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { matchConnections, type HostConnections } from "./connections";

const web: HostConnections = {
  host: "web",
  addresses: ["127.20.1.1"],
  software: [{ pid: 1, name: "front", path: "", parameters: "" }],
  listeners: [{ address: "0.0.0.0", port: 8080, pid: 1 }],
  connections: [
    { localAddress: "127.20.1.1", localPort: 40_001, remoteAddress: "127.20.1.2", remotePort: 5432, pid: 1 },
    { localAddress: "127.20.1.1", localPort: 40_002, remoteAddress: "127.20.1.2", remotePort: 5432, pid: 1 },
    { localAddress: "127.20.1.1", localPort: 40_003, remoteAddress: "192.0.2.9", remotePort: 443, pid: 1 },
    { localAddress: "127.20.1.1", localPort: 8080, remoteAddress: "192.0.2.77", remotePort: 51_000, pid: 1 },
  ],
};
const db: HostConnections = {
  host: "db",
  addresses: ["127.20.1.2"],
  software: [{ pid: 7, name: "store", path: "", parameters: "" }],
  listeners: [{ address: "127.20.1.2", port: 5432, pid: 7 }],
  connections: [
    { localAddress: "127.20.1.2", localPort: 5432, remoteAddress: "127.20.1.1", remotePort: 40_001, pid: 7 },
    { localAddress: "127.20.1.2", localPort: 5432, remoteAddress: "127.20.1.1", remotePort: 40_002, pid: 7 },
  ],
};
const talk = { fromHost: "web", fromProcess: "front", toHost: "db", toProcess: "store", port: 5432, connections: 2 };

describe("matching connections end to end", () => {
  it("counts a connection once though both ends list it, and names the processes", () =>
    expect(matchConnections([web, db]).conversations).toEqual([{ ...talk, seenBy: "both" }]));
  it("still finds it when only the caller lists it", () =>
    expect(matchConnections([web, { ...db, connections: [] }]).conversations).toEqual([{ ...talk, seenBy: "caller" }]));
  it("cannot name a caller that its own host does not list", () =>
    expect(matchConnections([{ ...web, connections: [] }, db]).conversations).toEqual([]));
  it("tells of outgoing connections nobody answers for, and not of unknown clients", () => {
    expect(matchConnections([web, db]).unknown).toEqual([
      { host: "web", process: "front", remoteAddress: "192.0.2.9", remotePort: 443, connections: 1 },
    ]);
  });
  it("does not depend on the order of hosts or rows", () => {
    const sorted = (hosts: HostConnections[]) => JSON.stringify(matchConnections(hosts).conversations);
    const expected = sorted([web, db]);
    fc.assert(
      fc.property(
        fc.shuffledSubarray(web.connections, { minLength: 4 }),
        fc.shuffledSubarray(db.connections, { minLength: 2 }),
        fc.boolean(),
        (a, b, swap) => {
          const hosts = [
            { ...web, connections: a },
            { ...db, connections: b },
          ];
          return sorted(swap ? hosts.reverse() : hosts) === expected;
        },
      ),
    );
  });
});
