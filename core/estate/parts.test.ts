import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { networkTables, partsOfTables, type HostTables } from "./parts";
import type { ConnectionRow, ListenerRow, SoftwareRow, SystemSighting } from "./sighting";

const row = (pid: number, name: string, path = `/usr/bin/${name}`, parameters = "", more = {}): SoftwareRow => ({
  pid,
  name,
  path,
  parameters,
  ...more,
});
const listens = (pid: number, port: number, address = "0.0.0.0"): ListenerRow => ({ pid, port, address });
const serves = (pid: number, localPort: number): ConnectionRow => ({
  pid,
  localPort,
  localAddress: "192.0.2.1",
  remoteAddress: "192.0.2.9",
  remotePort: 50_000 + pid,
});
const calls = (pid: number): ConnectionRow => ({
  pid,
  localPort: 40_000 + pid,
  localAddress: "192.0.2.1",
  remoteAddress: "192.0.2.9",
  remotePort: 5432,
});
const system = (
  software: SoftwareRow[],
  listeners: ListenerRow[],
  connections: ConnectionRow[] = [],
): SystemSighting => ({
  sysDescr: "",
  sysObjectId: "",
  sysName: "",
  sysLocation: "",
  sysContact: "",
  sysServices: 72,
  processors: 1,
  interfaces: [],
  storage: [],
  software,
  listeners,
  connections,
  neighbours: [],
});
const labels = (...tables: Parameters<typeof system>) => partsOfTables(system(...tables)).parts.map((one) => one.label);

describe("parts of a host", () => {
  it("tells two applications of one interpreter apart", () =>
    expect(
      labels(
        [
          row(1, "node", "/usr/bin/node", "/opt/orders/server.js"),
          row(2, "node", "/usr/bin/node", "/opt/stock/server.js"),
        ],
        [listens(1, 8081), listens(2, 8082)],
      ),
    ).toEqual(["orders", "stock"]));
  it("keeps two instances of one program two", () =>
    expect(labels([row(1, "cached"), row(2, "cached")], [listens(1, 6379), listens(2, 6380)])).toEqual([
      "cached:6379",
      "cached:6380",
    ]));
  it("takes workers and their master for one, by parent, by shared port and by whose connections they serve", () => {
    expect(
      labels([row(1, "web"), row(2, "web", "", "", { parent: 1 }), row(3, "web")], [listens(1, 80), listens(3, 80)]),
    ).toEqual(["web"]);
    expect(labels([row(1, "store"), row(2, "store")], [listens(1, 5432)], [serves(2, 5432)])).toEqual(["store"]);
    expect(
      labels(
        [row(1, "store"), row(2, "store"), row(3, "store")],
        [listens(1, 5432), listens(2, 5433)],
        [serves(3, 5433)],
      ),
    ).toEqual(["store:5432", "store:5433"]);
  });
  it("tells batch workers apart by unit and by what they work on, and not by numbers", () => {
    const worker = (pid: number, queue: string) => row(pid, "worker", "/opt/worker", `--queue=${queue}`);
    expect(labels([worker(1, "in"), worker(2, "out")], [], [calls(1), calls(2)])).toEqual([
      "worker (--queue=in)",
      "worker (--queue=out)",
    ]);
    expect(labels([row(1, "job", "", "-p 11"), row(2, "job", "", "-p 12")], [], [calls(1), calls(2)])).toEqual(["job"]);
    expect(
      labels([row(1, "job", "", "", { unit: "a" }), row(2, "job", "", "", { unit: "b" })], [], [calls(1), calls(2)]),
    ).toEqual(["job (a)", "job (b)"]);
  });
  it("keeps a listener of which nobody tells whose it is", () => {
    const parts = partsOfTables(system([row(1, "web")], [listens(0, 5432), listens(0, 5432, "::"), listens(9, 9000)]));
    expect(parts.parts.map((one) => one.label)).toEqual(["port 5432", "port 9000"]);
    expect(parts.ofListener("192.0.2.1", 5432)?.label).toBe("port 5432");
  });
  it("keys listeners by address and port: two programs may share a port", () => {
    const parts = partsOfTables(
      system([row(1, "a"), row(2, "b")], [listens(1, 8080, "127.0.0.1"), listens(2, 8080, "192.0.2.1")]),
    );
    expect(parts.ofListener("127.0.0.1", 8080)?.label).toBe("a");
    expect(parts.ofListener("192.0.2.1", 8080)?.label).toBe("b");
    expect(parts.ofListener("192.0.2.2", 8080)).toBeUndefined();
  });
  it("leaves out what neither listens nor connects, and marks what is the system's own", () => {
    const parts = partsOfTables(system([row(1, "sshd"), row(2, "idle")], [listens(1, 2222)]));
    expect(parts.parts.map((one) => [one.label, one.housekeeping])).toEqual([["sshd", true]]);
  });
  it("finds the same parts without the programs that use no network", () => {
    const full = system(
      [row(1, "store"), row(2, "store", "", "--once"), row(3, "idle"), row(4, "job", "", "", { parent: 3 })],
      [listens(1, 5432)],
      [calls(4)],
    );
    const parts = (tables: HostTables) => partsOfTables(tables).parts.map((one) => one.label);
    expect(parts(full)).toEqual(["store", "job"]);
    expect(networkTables(full).software.map((one) => one.name)).toEqual(["store", "store", "job"]);
    expect(parts(networkTables(full))).toEqual(parts(full));
  });
  it("gives every listener to exactly one part, and no two parts one label, whatever the order", () =>
    fc.assert(
      fc.property(
        fc.uniqueArray(fc.record({ pid: fc.integer({ min: 1, max: 30 }), name: fc.constantFrom("a", "b", "c") }), {
          selector: (one) => one.pid,
          maxLength: 12,
        }),
        fc.uniqueArray(fc.record({ pid: fc.integer({ min: 0, max: 30 }), port: fc.integer({ min: 1, max: 9 }) }), {
          selector: (one) => one.port,
          maxLength: 8,
        }),
        fc.boolean(),
        (processes, ports, turned) => {
          const software = processes.map((one) => row(one.pid, one.name));
          const listeners = ports.map((one) => listens(one.pid, one.port));
          const given = system(software, listeners);
          const parts = partsOfTables(
            turned ? { ...given, software: [...software].reverse(), listeners: [...listeners].reverse() } : given,
          ).parts;
          expect(parts.flatMap((one) => one.listeners.map((two) => two.port)).sort()).toEqual(
            ports.map((one) => one.port).sort(),
          );
          expect(new Set(parts.map((one) => one.label)).size).toBe(parts.length);
          expect(parts.map((one) => one.label).sort()).toEqual(
            partsOfTables({ ...given })
              .parts.map((one) => one.label)
              .sort(),
          );
        },
      ),
    ));
});
