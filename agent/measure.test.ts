import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { dirname, join } from "node:path";
import fc from "fast-check";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { readContainers, type ContainerReading } from "./containers";
import { measureContainer, measureMachine, type Point } from "./measure";
import { lookAt, type Reading } from "./reading";

const value = (points: readonly Point[], metric: string, instance = "") =>
  points.find((one) => one.metric === metric && one.instance === instance)?.value;

describe("metrics of a machine", () => {
  const reading = (changes: Partial<Reading> = {}): Reading => ({
    monotonicMs: 0,
    atMs: 0,
    processors: {
      all: { total: 1000, busy: 100, stolen: 10 },
      cores: [
        { total: 500, busy: 50, stolen: 0 },
        { total: 500, busy: 50, stolen: 10 },
      ],
    },
    memory: { totalBytes: 1000, availableBytes: 250, swapTotalBytes: 0, swapFreeBytes: 0 },
    disks: [{ mount: "/srv", sizeBytes: 400, usedBytes: 100 }],
    devices: [{ name: "sda", reads: 100, writes: 50, busyMicroseconds: 1_000_000 }],
    interfaces: [{ name: "eth0", inOctets: 1000, outOctets: 500, errors: 0 }],
    pressure: { cpu: 3 },
    containers: [],
    ...changes,
  });
  const later = reading({
    monotonicMs: 10_000,
    processors: {
      all: { total: 2000, busy: 600, stolen: 60 },
      cores: [
        { total: 1000, busy: 450, stolen: 0 },
        { total: 1000, busy: 150, stolen: 60 },
      ],
    },
    devices: [{ name: "sda", reads: 150, writes: 100, busyMicroseconds: 3_500_000 }],
    interfaces: [{ name: "eth0", inOctets: 11_000, outOctets: 500, errors: 5 }],
  });

  it("need two looks for what is counted, one for what is", () => {
    const first = measureMachine(undefined, reading());
    expect(value(first, "cpu.used")).toBeUndefined();
    expect(value(first, "net.in", "eth0")).toBeUndefined();
    expect(value(first, "disk.busy", "sda")).toBeUndefined();
    expect(value(first, "memory.used")).toBe(75);
    expect(value(first, "disk.used", "/srv")).toBe(25);
    expect(value(first, "swap.used")).toBeUndefined();
  });
  it("are shares and rates between two looks", () => {
    const points = measureMachine(reading(), later);
    expect(value(points, "cpu.used")).toBe(50);
    expect(value(points, "cpu.stolen")).toBe(5);
    expect(value(points, "cpu.core.used", "0")).toBe(80);
    expect(value(points, "disk.operations", "sda")).toBe(10);
    expect(value(points, "disk.busy", "sda")).toBe(25);
    expect(value(points, "disk.service", "sda")).toBe(25);
    expect(value(points, "net.in", "eth0")).toBe(8000);
    expect(value(points, "net.out", "eth0")).toBe(0);
    expect(value(points, "net.errors", "eth0")).toBe(0.5);
    expect(value(points, "pressure", "cpu")).toBe(3);
    expect(value(points, "pressure", "io")).toBeUndefined();
  });
  it("leave a counter out that was reset, and an interface that is new", () => {
    const points = measureMachine(
      later,
      reading({
        monotonicMs: 20_000,
        processors: later.processors,
        interfaces: [
          { name: "eth0", inOctets: 5, outOctets: 600, errors: 5 },
          { name: "eth1", inOctets: 1, outOctets: 1, errors: 0 },
        ],
      }),
    );
    expect(value(points, "net.in", "eth0")).toBeUndefined();
    expect(value(points, "net.out", "eth0")).toBe(80);
    expect(value(points, "net.in", "eth1")).toBeUndefined();
    expect(value(points, "cpu.used")).toBeUndefined();
  });
  it("are percentages whatever the counters say", () =>
    fc.assert(
      fc.property(fc.array(fc.nat(1e6), { minLength: 6, maxLength: 6 }), ([a, b, c, d, e, f]) => {
        const points = measureMachine(
          reading({ processors: { all: { total: a as number, busy: b as number, stolen: c as number }, cores: [] } }),
          reading({
            monotonicMs: 1,
            processors: { all: { total: d as number, busy: e as number, stolen: f as number }, cores: [] },
          }),
        );
        for (const point of points.filter((one) => one.unit === "%")) {
          expect(point.value).toBeGreaterThanOrEqual(0);
          expect(point.value).toBeLessThanOrEqual(100);
        }
      }),
    ));
});

describe("metrics of a container", () => {
  const container = (changes: Partial<ContainerReading> = {}): ContainerReading => ({
    id: "a".repeat(64),
    process: "p",
    cpuMicroseconds: 0,
    periods: 0,
    throttled: 0,
    cpuLimit: 0.5,
    memoryBytes: 1000,
    memoryLimit: 2000,
    reclaimableBytes: 200,
    processes: 3,
    ...changes,
  });
  it("show what it uses of its quota and how often the quota held it back", () => {
    const points = measureContainer(
      container(),
      container({ cpuMicroseconds: 2_500_000, periods: 100, throttled: 25 }),
      10,
    );
    expect(value(points, "container.cpu.usage")).toBe(0.25);
    expect(value(points, "container.cpu.used")).toBe(50);
    expect(value(points, "container.cpu.throttled")).toBe(25);
    expect(value(points, "container.memory.usage")).toBe(800);
    expect(value(points, "container.memory.used")).toBe(40);
  });
  it("say nothing of limits it does not have", () => {
    const points = measureContainer(
      container({ cpuLimit: undefined }),
      container({ cpuLimit: undefined, memoryLimit: undefined, cpuMicroseconds: 10_000_000 }),
      10,
    );
    expect(value(points, "container.cpu.usage")).toBe(1);
    expect(points.map((one) => one.metric)).not.toContain("container.cpu.used");
    expect(points.map((one) => one.metric)).not.toContain("container.memory.used");
    expect(points.map((one) => one.metric)).not.toContain("container.cpu.throttled");
  });
  it("are not held back while there was nothing to do", () =>
    expect(value(measureContainer(container(), container(), 10), "container.cpu.throttled")).toBe(0));
  it("begin anew when it was started again", () =>
    expect(
      value(
        measureContainer(container({ cpuMicroseconds: 9e9 }), container({ cpuMicroseconds: 5 }), 10),
        "container.cpu.usage",
      ),
    ).toBeUndefined());
});

describe("the control groups of containers", () => {
  let root: string;
  const put = (path: string, text: string) => {
    const file = join(root, path);
    mkdirSync(dirname(file), { recursive: true });
    writeFileSync(file, text);
  };
  const groups = "sys/fs/cgroup";
  const [one, two, init] = ["a1".repeat(32), "b2".repeat(32), "c3".repeat(32)];
  beforeAll(() => {
    root = mkdtempSync(join(tmpdir(), "holotaxis-agent-"));
    put("proc/4711/comm", "slot-board\n");
    put("proc/99/comm", "helper\n");
    put("proc/stat", "cpu  1 0 0 9 0 0 0 0 0 0\ncpu0 1 0 0 9 0 0 0 0 0 0\n");
    const group = `${groups}/system.slice/runtime-${one}.scope`;
    put(`${group}/cpu.stat`, "usage_usec 5000000\nuser_usec 1\nnr_periods 40\nnr_throttled 4\nthrottled_usec 9\n");
    put(`${group}/cpu.max`, "50000 100000\n");
    put(`${group}/memory.current`, "1048576\n");
    put(`${group}/memory.max`, "max\n");
    put(`${group}/memory.stat`, "anon 1\ninactive_file 4096\n");
    put(`${group}/cgroup.procs`, "4800\n4711\n");
    put(`${group}/pids.current`, "2\n");
    // A group within a container is the container's own affair.
    put(`${group}/inner-${two}/cpu.stat`, "usage_usec 1\n");
    put(`${group}/inner-${two}/memory.current`, "1\n");
    // One whose init divides it, so that it has no process itself.
    const divided = `${groups}/pods/pod7/${init}`;
    put(`${divided}/cpu.stat`, "usage_usec 7\n");
    put(`${divided}/memory.current`, "4096\n");
    put(`${divided}/init.scope/cgroup.procs`, "99\n");
    // A name that looks like one, with nothing to read.
    mkdirSync(join(root, groups, "empty", "d4".repeat(32)), { recursive: true });
    put(`${groups}/user.slice/cpu.stat`, "usage_usec 3\n");
  });
  afterAll(() => rmSync(root, { recursive: true, force: true }));

  it("are found by the id in their names, wherever they are, and read whole", () => {
    const found = readContainers(join(root, groups), join(root, "proc")).sort((a, b) => a.id.localeCompare(b.id));
    expect(found.map((container) => container.id)).toEqual([one, init]);
    expect(found[0]).toEqual({
      id: one,
      process: "slot-board",
      cpuMicroseconds: 5_000_000,
      periods: 40,
      throttled: 4,
      cpuLimit: 0.5,
      memoryBytes: 1_048_576,
      memoryLimit: undefined,
      reclaimableBytes: 4096,
      processes: 2,
    });
    expect(found[1]).toMatchObject({ process: "helper", cpuLimit: undefined, processes: 1 });
  });
  it("are part of a look at a machine, of which much may be missing", () => {
    const look = lookAt(root, { monotonicMs: 1, atMs: 2 });
    expect(look.containers).toHaveLength(2);
    expect(look).toMatchObject({ interfaces: [], disks: [], pressure: {}, memory: { totalBytes: 0 } });
    expect(measureMachine(undefined, look)).toEqual([]);
  });
});
