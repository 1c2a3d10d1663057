import { describe, expect, it } from "vitest";
import { measureHost, type HostPoll } from "./poll";
import { counterRate } from "./rate";
import { readFigure } from "./openmetrics";

describe("rates of counters", () => {
  it.each([
    ["grows", { atMs: 0, value: 100 }, { atMs: 10_000, value: 600 }, 64, 50],
    ["32 bits wrap", { atMs: 0, value: 2 ** 32 - 100 }, { atMs: 10_000, value: 400 }, 32, 50],
    ["32 bits were reset", { atMs: 0, value: 3_000_000_000 }, { atMs: 10_000, value: 2_000_000_000 }, 32, undefined],
    ["64 bits never wrap", { atMs: 0, value: 100 }, { atMs: 10_000, value: 0 }, 64, undefined],
    ["no time passed", { atMs: 5, value: 1 }, { atMs: 5, value: 2 }, 64, undefined],
  ] as const)("%s", (_name, before, now, bits, rate) => expect(counterRate(before, now, bits)).toBe(rate));
  it("needs two readings", () => expect(counterRate(undefined, { atMs: 1, value: 1 }, 64)).toBeUndefined());
});

describe("metrics of one look at a host", () => {
  const poll = (changes: Partial<HostPoll> = {}): HostPoll => ({
    processorLoads: [20, 40],
    storage: [
      { label: "Physical memory", type: "ram", usedBytes: 900, sizeBytes: 1000 },
      { label: "Memory buffers", type: "other", usedBytes: 100, sizeBytes: 1000 },
      { label: "Cached memory", type: "other", usedBytes: 300, sizeBytes: 1000 },
      { label: "/srv", type: "disk", usedBytes: 25, sizeBytes: 100 },
      { label: "/empty", type: "disk", usedBytes: 0, sizeBytes: 0 },
    ],
    interfaces: [{ name: "eth0", inOctets: 1000, outOctets: 0, errors: 0, up: true }],
    processes: [
      { name: "store", memoryBytes: 400, cpuHundredths: 100 },
      { name: "cron", memoryBytes: 1, cpuHundredths: 1 },
    ],
    ...changes,
  });
  const value = (list: { metric: string; instance: string; value: number }[], metric: string, instance = "") =>
    list.find((one) => one.metric === metric && one.instance === instance)?.value;

  it("means the cores, leaves buffers and caches out of memory, skips disks of no size", () => {
    const { host } = measureHost(poll(), 0, new Map(), new Set());
    expect(value(host, "cpu.used")).toBe(30);
    expect(value(host, "cpu.core.used", "1")).toBe(40);
    expect(value(host, "memory.used")).toBe(50);
    expect(value(host, "disk.used", "/srv")).toBe(25);
    expect(value(host, "disk.used", "/empty")).toBeUndefined();
  });
  it("says of each disk device what it does and how long that takes, from the second look on", () => {
    const memory = new Map();
    const look = (reads: number, writes: number, busySeconds: number) =>
      poll({
        devices: [
          { name: "sda", reads, writes, busyMicroseconds: busySeconds * 1e6 },
          { name: "sda1", reads, writes, busyMicroseconds: busySeconds * 1e6 },
        ],
      });
    // Of 32 bits, reads wrap in between.
    const first = measureHost(look(2 ** 32 - 50, 10, 100), 0, memory, new Set()).host;
    const then = measureHost(look(50, 110, 104), 10_000, memory, new Set()).host;
    expect(first.some((one) => one.metric === "disk.busy")).toBe(false);
    expect(value(then, "disk.operations", "sda")).toBe(20);
    expect(value(then, "disk.busy", "sda")).toBe(40);
    expect(value(then, "disk.service", "sda")).toBe(20);
    expect(value(then, "disk.busy", "sda1")).toBeUndefined();
  });
  it("says how far its clock is off, where it tells the time", () => {
    const off = (saidMs: number) =>
      value(
        measureHost(poll({ clock: { atMs: saidMs, isLocal: false } }), 60_000, new Map(), new Set(), 57_000).host,
        "clock.offset",
      );
    expect([off(480_000), off(58_000), off(0)]).toEqual([420, 0, -57]);
    expect(value(measureHost(poll(), 0, new Map(), new Set()).host, "clock.offset")).toBeUndefined();
  });
  it("works traffic out in bits from the second look on, and only named processes", () => {
    const memory = new Map();
    expect(value(measureHost(poll(), 0, memory, new Set(["store"])).host, "net.in", "eth0")).toBeUndefined();
    const second = measureHost(
      poll({
        interfaces: [{ name: "eth0", inOctets: 11_000, outOctets: 0, errors: 5, up: true }],
        processes: [{ name: "store", memoryBytes: 500, cpuHundredths: 600 }],
      }),
      10_000,
      memory,
      new Set(["store"]),
    );
    expect(value(second.host, "net.in", "eth0")).toBe(8000);
    expect(value(second.host, "net.errors", "eth0")).toBe(0.5);
    expect([...second.processes.keys()]).toEqual(["store"]);
    expect(value(second.processes.get("store") ?? [], "process.cpu")).toBe(50);
  });

  it("tells which of the named processes do not run, where any are listed", () => {
    const wanted = new Set(["store", "desk"]);
    const listed = poll({ processes: [{ name: "store", memoryBytes: 500, cpuHundredths: 1 }] });
    expect(measureHost(listed, 0, new Map(), wanted).absent).toEqual(["desk"]);
    expect(measureHost(poll({ processes: [] }), 0, new Map(), wanted).absent).toEqual([]);
    expect(measureHost({ ...listed, isCut: true }, 0, new Map(), wanted).absent).toEqual([]);
  });

  describe("of a hypervisor", () => {
    const guest = (name: string, changes = {}) => ({
      name,
      uuid: "",
      running: true,
      processors: 2,
      memoryBytes: 250,
      cpuMicroseconds: 0,
      ...changes,
    });
    it("count what is allotted to the machines that run", () => {
      const { host } = measureHost(
        poll({ guests: [guest("a"), guest("b", { processors: 4 }), guest("c", { running: false, processors: 64 })] }),
        0,
        new Map(),
        new Set(),
      );
      expect(value(host, "guests.running")).toBe(2);
      expect(value(host, "cpu.allotted")).toBe(300);
      expect(value(host, "memory.allotted")).toBe(50);
    });
    it("work out how much of its own processors a machine takes, never more than all", () => {
      const memory = new Map();
      measureHost(poll({ guests: [guest("a"), guest("b")] }), 0, memory, new Set());
      const { guests } = measureHost(
        poll({ guests: [guest("a", { cpuMicroseconds: 5_000_000 }), guest("b", { cpuMicroseconds: 90_000_000 })] }),
        10_000,
        memory,
        new Set(),
      );
      expect(value(guests[0] ?? [], "guest.cpu.used")).toBe(25);
      expect(value(guests[1] ?? [], "guest.cpu.used")).toBe(100);
    });
    it("say of a machine that stands still only that it does", () => {
      const { guests } = measureHost(poll({ guests: [guest("a", { running: false })] }), 0, new Map(), new Set());
      expect(guests[0]).toEqual([{ metric: "guest.running", instance: "", unit: "0/1", value: 0 }]);
    });
    it("are left out for hosts that are none", () =>
      expect(measureHost(poll(), 0, new Map(), new Set()).host.some((one) => one.metric === "guests.running")).toBe(
        false,
      ));
  });
});

describe("a figure on an OpenMetrics page", () => {
  const page =
    "# TYPE truck_moves_per_hour gauge\ntruck_moves_per_hour_total 9\ntruck_moves_per_hour 41.5 1700000000\nother NaN\n# EOF\n";
  it("is found by its whole name", () => expect(readFigure(page, "truck_moves_per_hour")).toBe(41.5));
  it("is not made up", () => {
    expect(readFigure(page, "truck_moves")).toBeUndefined();
    expect(readFigure(page, "other")).toBeUndefined();
  });
});
