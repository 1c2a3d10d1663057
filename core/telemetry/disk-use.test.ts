import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { diskFigures, ownDisks, readDiskstats } from "./disk-use";
import { counterRate } from "./rate";

describe("disk devices", () => {
  const names = (list: string[]) => ownDisks(list.map((name) => ({ name }))).map(({ name }) => name);

  it("count once, without their parts, mapped devices and what is no disk", () =>
    expect(
      names(["loop0", "ram1", "zram0", "sda", "sda1", "sda12", "nvme0n1", "nvme0n1p2", "dm-0", "md0", "sr0"]),
    ).toEqual(["sda", "nvme0n1"]));
  it("are what is listed where the whole device is not: as in a container", () =>
    expect(names(["vda1", "xvdb2", ""])).toEqual(["vda1", "xvdb2"]));
  it("are at most so many", () => expect(names(Array.from({ length: 500 }, (_, at) => `sd${at}x`))).toHaveLength(64));

  it("are read as the kernel of any age lists them, and nothing else", () => {
    const line = " 254       0 vda 834917 98083 21378426 1802796 8762647 1824854 260039816 6505489 0 999132 8671362";
    const vda = { name: "vda", reads: 834_917, writes: 8_762_647, busyMicroseconds: 999_132_000 };
    expect(readDiskstats(`${line}\n`)).toEqual([vda]);
    // Since 4.18 discards follow, since 5.5 flushes.
    expect(readDiskstats(`${line} 780778 273 75279464 226543 1915182 136533\n`)).toEqual([vda]);
    expect(readDiskstats("")).toEqual([]);
    expect(readDiskstats("cat: /proc/diskstats: Permission denied")).toEqual([]);
    expect(readDiskstats("   8 1 sda1 10 20 30 40")).toEqual([]);
  });

  it("tell one that answers late from one that is asked much", () => {
    const [, , often] = diskFigures(500, 0.9);
    const [, busy, late] = diskFigures(2, 0.98);
    expect(often).toEqual(["disk.service", "ms", 1.8]);
    expect(busy).toEqual(["disk.busy", "%", 98]);
    expect(late).toEqual(["disk.service", "ms", 490]);
  });
  it("say nothing of the time of an operation where there are hardly any", () =>
    expect(diskFigures(0.1, 0.5).map(([metric]) => metric)).toEqual(["disk.operations", "disk.busy"]));
  it("are never busy for more than all the time", () =>
    fc.assert(
      fc.property(
        fc.double({ min: 0, max: 1e6, noNaN: true }),
        fc.double({ min: 0, max: 100, noNaN: true }),
        (done, busy) => {
          for (const [metric, , value] of diskFigures(done, busy)) {
            expect(value).toBeGreaterThanOrEqual(0);
            if (metric === "disk.busy") expect(value).toBeLessThanOrEqual(100);
          }
        },
      ),
    ));
  it("that begin to count anew have no rate, however far they had come", () =>
    expect(counterRate({ atMs: 0, value: 1e10 }, { atMs: 1000, value: 5 }, 32)).toBeUndefined());
});
