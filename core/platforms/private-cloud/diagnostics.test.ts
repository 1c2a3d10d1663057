import { describe, expect, it } from "vitest";
import { figuresBetween, readDiagnostics } from "./diagnostics";

// The example of “Show server diagnostics” of the compute API reference, version 2.1.
const EXAMPLE = {
  cpu0_time: 17_300_000_000,
  memory: 524_288,
  vda_errors: -1,
  vda_read: 262_144,
  vda_read_req: 112,
  vda_write: 5_778_432,
  vda_write_req: 488,
  vnet1_rx: 2_070_139,
  vnet1_rx_drop: 0,
  vnet1_rx_errors: 0,
  vnet1_rx_packets: 26_701,
  vnet1_tx: 140_208,
  vnet1_tx_drop: 0,
  vnet1_tx_errors: 0,
  vnet1_tx_packets: 662,
};

describe("diagnostics of an instance", () => {
  it("are those of the published example", () => {
    expect(readDiagnostics(EXAMPLE, 5)).toEqual({
      atMs: 5,
      processors: 1,
      cpuNs: 17_300_000_000,
      memory: 536_870_912,
      memoryUsed: undefined,
      read: 262_144,
      written: 5_778_432,
      received: 2_070_139,
      sent: 140_208,
    });
  });

  it("become rates between two looks", () => {
    const before = readDiagnostics(EXAMPLE, 0);
    const now = readDiagnostics(
      {
        ...EXAMPLE,
        cpu0_time: 17_300_000_000 + 5e9,
        vda_read: 262_144 + 1000,
        vnet1_tx: 140_208 + 500,
        "memory-unused": 131_072,
      },
      10_000,
    );
    if (!before || !now) throw new Error("unread");
    expect(Object.fromEntries(figuresBetween(before, now).map((one) => [one.metric, one.value]))).toEqual({
      "guest.memory.used": 75,
      "guest.cpu.used": 50,
      "guest.disk.read": 100,
      "guest.disk.written": 0,
      "guest.net.in": 0,
      "guest.net.out": 400,
    });
  });

  it("that begin anew give no rate, and those of something else are none", () => {
    const before = readDiagnostics({ ...EXAMPLE, cpu0_time: 9e12, vnet1_rx: 1e9 }, 0);
    const now = readDiagnostics(EXAMPLE, 10_000);
    if (!before || !now) throw new Error("unread");
    expect(figuresBetween(before, now).map((one) => one.metric)).toEqual([
      "guest.disk.read",
      "guest.disk.written",
      "guest.net.out",
    ]);
    expect(readDiagnostics({ message: "no" }, 0)).toBeUndefined();
    expect(readDiagnostics(null, 0)).toBeUndefined();
    expect(readDiagnostics({ cpu0_time: "much" }, 0)?.cpuNs).toBe(0);
  });
});
