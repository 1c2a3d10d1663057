import { readScenario } from "../scenario/read";
import type { Scenario } from "../scenario/schema";

/** What a test changes in the small world below; as loose as the file is before it is read. */
// oxlint-disable-next-line typescript/no-explicit-any
export type Draft = any;

const FLAT = { hours: Array.from({ length: 24 }, () => 1), weekdays: [1, 1, 1, 1, 1, 1, 1] };
const still = {
  disks: [{ mount: "/srv", sizeGiB: 100, usedPercent: 40 }],
  rhythm: "flat",
  cores: 4,
  memoryGiB: 8,
  cpu: [1, 1],
};

/**
 * A world for tests: two fronts call an application, which calls a database and hands messages to a queue; beside it an
 * application of its own that calls nobody. Two sites, a hypervisor, no rhythm.
 */
export function smallWorld(change: (draft: Draft) => void = () => undefined): Scenario {
  const process = (name: string, port: number, more: object) => ({
    name,
    memoryMiB: 500,
    listens: [{ port, speaks: "http" }],
    ...more,
  });
  const draft = {
    name: "Small world",
    organisation: { domain: "small.example", maker: "Small" },
    seed: 5,
    snmpPort: 11161,
    sshPort: 12222,
    sites: [
      { id: "here", name: "Here", network: "127.22.1.0/24", community: "here", contact: "here" },
      { id: "there", name: "There", network: "127.22.2.0/24", community: "there", contact: "there" },
    ],
    rhythms: { flat: FLAT },
    roles: {
      switch: { system: "switch", rhythm: "flat", cores: 1, memoryGiB: 1, cpu: [5, 5] },
      machines: { system: "hypervisor", rhythm: "flat", cores: 8, memoryGiB: 64, cpu: [2, 2], disks: still.disks },
      front: {
        ...still,
        system: "linux",
        processes: [
          process("front", 8080, {
            workers: 24,
            queue: 200,
            talksTo: [{ role: "app", process: "app", connections: 24, timeoutMs: 2000 }],
            operations: [{ name: "GET /a", cpuMs: 10, failPercent: 0, calls: [{ to: "app", operation: "GET /b" }] }],
          }),
        ],
      },
      app: {
        ...still,
        system: "linux",
        processes: [
          process("app", 8081, {
            workers: 24,
            queue: 200,
            talksTo: [
              { role: "db", process: "db", connections: 24, timeoutMs: 1500 },
              { role: "mq", process: "mq", connections: 8 },
            ],
            operations: [
              {
                name: "GET /b",
                cpuMs: 10,
                failPercent: 0,
                calls: [
                  { to: "db", operation: "write" },
                  { to: "mq", operation: "put", times: 0.1, queue: "later" },
                ],
              },
            ],
          }),
        ],
      },
      db: {
        ...still,
        system: "linux",
        processes: [
          process("db", 5432, {
            workers: 20,
            queue: 400,
            data: "/srv",
            operations: [{ name: "write", cpuMs: 5, diskMs: 5, writeKiB: 8, failPercent: 0 }],
          }),
        ],
      },
      mq: {
        ...still,
        system: "linux",
        processes: [
          process("mq", 5672, { operations: [{ name: "put", cpuMs: 1, failPercent: 0 }] }),
          process("taker", 5673, {
            workers: 2,
            talksTo: [{ role: "mq", process: "mq" }],
            operations: [{ name: "take", cpuMs: 50, failPercent: 0 }],
          }),
        ],
      },
      side: {
        ...still,
        system: "linux",
        processes: [process("side", 8082, { operations: [{ name: "GET /c", cpuMs: 10, failPercent: 0 }] })],
      },
    },
    hosts: [
      { name: "sw-1", role: "switch", site: "here", address: "127.22.1.1" },
      { name: "sw-2", role: "switch", site: "there", address: "127.22.2.1" },
      { name: "virt-1", role: "machines", site: "here", address: "127.22.1.2" },
      { name: "front-1", role: "front", site: "here", address: "127.22.1.11", on: "virt-1" },
      { name: "front-2", role: "front", site: "here", address: "127.22.1.12" },
      { name: "app-1", role: "app", site: "here", address: "127.22.1.13", on: "virt-1" },
      { name: "db-1", role: "db", site: "there", address: "127.22.2.14" },
      { name: "mq-1", role: "mq", site: "here", address: "127.22.1.15" },
      { name: "side-1", role: "side", site: "here", address: "127.22.1.16", on: "virt-1" },
    ],
    loads: [
      {
        name: "people",
        to: { role: "front", process: "front", operation: "GET /a" },
        rhythm: "flat",
        perHour: [72_000, 72_000],
      },
      {
        name: "others",
        to: { role: "side", process: "side", operation: "GET /c" },
        rhythm: "flat",
        perHour: [36_000, 36_000],
      },
    ],
    queues: [{ name: "later", broker: "mq", consumer: { role: "mq", process: "taker", operation: "take" } }],
    jobs: [{ name: "copy", host: "db-1", process: "db", at: "02:00", rows: 60_000, rowsPerSecond: 100, cores: 1 }],
    faults: [],
  };
  change(draft);
  const read = readScenario(draft);
  if (!read.ok) throw new Error(read.problems.join("\n"));
  return read.scenario;
}
