import { describe, expect, it } from "vitest";
import { readCpuMax } from "./containers";
import { readMeminfo, readMounts, readNetDev, readOsRelease, readPressure, readStat, readVersion } from "./proc";

describe("what the kernel tells in /proc", () => {
  it("processor time: idle and waiting are not busy, what was stolen is apart (proc(5), /proc/stat)", () => {
    const { all, cores } = readStat(
      "cpu  100 5 40 800 30 3 2 20 7 0\ncpu0 60 5 20 400 10 3 2 20 7 0\ncpu1 40 0 20 400 20 0 0 0 0 0\nintr 1 2 3\nctxt 99\n",
    );
    // Guest time is part of user time and not counted again.
    expect(all).toEqual({ total: 1000, busy: 150, stolen: 20 });
    expect(cores).toHaveLength(2);
    expect(cores[1]).toEqual({ total: 480, busy: 60, stolen: 0 });
  });
  it("memory, also of a kernel that does not estimate what is available", () => {
    expect(
      readMeminfo(
        "MemTotal:       8000 kB\nMemFree:         100 kB\nMemAvailable:   6000 kB\nSwapTotal:      1000 kB\nSwapFree:        250 kB\n",
      ),
    ).toEqual({
      totalBytes: 8000 * 1024,
      availableBytes: 6000 * 1024,
      swapTotalBytes: 1000 * 1024,
      swapFreeBytes: 250 * 1024,
    });
    expect(readMeminfo("MemTotal: 8000 kB\nMemFree: 100 kB\nBuffers: 200 kB\nCached: 300 kB\n").availableBytes).toBe(
      600 * 1024,
    );
  });
  it("interfaces, without the loopback and the pairs of containers", () => {
    const text = `Inter-|   Receive                                                |  Transmit
 face |bytes    packets errs drop fifo frame compressed multicast|bytes    packets errs drop fifo colls carrier compressed
    lo: 9999 1 0 0 0 0 0 0 9999 1 0 0 0 0 0 0
  eth0:123456789 1000 2 0 0 0 0 0 987654321 900 3 0 0 0 0 0
vethab1: 5 5 0 0 0 0 0 0 5 5 0 0 0 0 0 0
`;
    expect(readNetDev(text)).toEqual([{ name: "eth0", inOctets: 123_456_789, outOctets: 987_654_321, errors: 5 }]);
  });
  it("disks once each, with spaces in their names, without what is no disk", () => {
    const text =
      "/dev/sda1 / ext4 rw 0 0\n/dev/sda1 /again ext4 rw 0 0\nproc /proc proc rw 0 0\ntmpfs /run tmpfs rw 0 0\n/dev/loop3 /snap squashfs ro 0 0\n/dev/sdb1 /srv/crane\\040logs xfs rw 0 0\n";
    expect(readMounts(text)).toEqual(["/", "/srv/crane logs"]);
  });
  it("pressure, versions and names, and nothing where there is nothing", () => {
    expect(
      readPressure("some avg10=12.50 avg60=3.00 avg300=1.00 total=5\nfull avg10=0.00 avg60=0 avg300=0 total=0\n"),
    ).toBe(12.5);
    expect(readPressure("")).toBeUndefined();
    expect(readVersion("Linux version 6.1.0-21-amd64 (builder) #1 SMP")).toBe("Linux 6.1.0-21-amd64");
    expect(readOsRelease('NAME="X"\nPRETTY_NAME="Shipyard Linux 4"\n')).toBe("Shipyard Linux 4");
    expect(readStat("")).toEqual({ all: { total: 0, busy: 0, stolen: 0 }, cores: [] });
  });
  it.each([
    ["max 100000", undefined],
    ["50000 100000", 0.5],
    ["250000 100000\n", 2.5],
    ["nonsense", undefined],
    [undefined, undefined],
  ] as const)("a quota of “%s”", (text, expected) => expect(readCpuMax(text)).toBe(expected));
});
