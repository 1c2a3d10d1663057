import { describe, expect, it } from "vitest";
import { sectionsOf } from "../../estate/linux";
import { observeVirtual, virtualFigures } from "./observe";
import { readVirtualHost } from "./read";

// What virsh 9.0 of Debian 12 prints for its built-in test driver (test:///default), with the statistics of its published
// manual page (“domstats --raw”: state, cpu-total, balloon, vcpu, interface, block) put in by hand.
const printed = (stats: string) =>
  `\x1eversion
Compiled against library: libvirt 9.0.0
Running hypervisor: TEST 0.0.2
\x1ename
quay-host.example
\x1euuid
A077F95E-9F77-47CB-AE77-F638A578013D
\x1enode
CPU model:           i686
CPU(s):              16
Memory size:         3145728 KiB
\x1estats
Domain: 'test'
  state.state=1
${stats}
\x1emachines
@6695eb01-f6a4-8304-79aa-97f2502e193f
Id:             1
Name:           test
UUID:           6695eb01-f6a4-8304-79aa-97f2502e193f
OS Type:        linux
State:          running
CPU(s):         2
CPU time:       1795726.0s
Max memory:     8388608 KiB
Used memory:    2097152 KiB
#ports
 Interface   Type      Source    Model   MAC
------------------------------------------------------------
 testnet0    network   default   -       aa:bb:cc:dd:ee:ff

#disks
 Type   Device   Target   Source
---------------------------------------------
 file   disk     vda      /guest/diskimage1
 file   cdrom    hda      -

\x1enetworks
@default
Name:           default
Active:         yes
Bridge:         virbr0
\x1epools
@default-pool
Name:           default-pool
State:          running
Capacity:       107374182400
Allocation:     53687091200
#volumes
 Name         Path
----------------------------------------
 diskimage1   /guest/diskimage1

\x1eend
`;
const stats = (more: Record<string, number>) =>
  Object.entries({
    "cpu.time": 5_000_000_000,
    "balloon.current": 2_097_152,
    "balloon.maximum": 4_194_304,
    "balloon.unused": 1_048_576,
    "balloon.rss": 2_202_009,
    "vcpu.current": 2,
    "vcpu.0.delay": 0,
    "vcpu.1.delay": 0,
    "net.count": 1,
    "net.0.rx.bytes": 0,
    "net.0.tx.bytes": 0,
    "net.0.rx.drop": 0,
    "block.count": 1,
    "block.0.rd.reqs": 0,
    "block.0.rd.bytes": 0,
    "block.0.rd.times": 0,
    "block.0.wr.reqs": 0,
    "block.0.wr.bytes": 0,
    "block.0.wr.times": 0,
    "block.0.capacity": 21_474_836_480,
    ...more,
  })
    .map(([name, value]) => `  ${name}=${value}`)
    .join("\n");
const host = (more: Record<string, number> = {}) => readVirtualHost(sectionsOf(printed(stats(more))));

describe("a host that virsh tells of", () => {
  it("is read with its machines, their ports and disks, networks and datastores", () => {
    const read = host();
    expect(read).toMatchObject({
      name: "quay-host.example",
      uuid: "a077f95e-9f77-47cb-ae77-f638a578013d",
      version: "TEST 0.0.2",
      processors: 16,
      memory: 3_221_225_472,
      networks: [{ name: "default", state: "active", bridge: "virbr0" }],
      pools: [{ name: "default-pool", state: "running", capacity: 107_374_182_400, paths: ["/guest/diskimage1"] }],
    });
    expect(read.machines[0]).toMatchObject({
      name: "test",
      isRunning: true,
      processors: 2,
      memory: 2_147_483_648,
      memoryMost: 4_294_967_296,
      ports: [{ name: "testnet0", mac: "aa:bb:cc:dd:ee:ff", network: "default" }],
      disks: [{ target: "vda", source: "/guest/diskimage1", capacity: 21_474_836_480 }],
    });
  });

  it("is whole only when every list was given", () => {
    const sections = sectionsOf(printed(""));
    expect(readVirtualHost(sections).isWhole).toBe(true);
    const cut = readVirtualHost(new Map(sections).set("machines", "@!\n#ports\n#disks\n"));
    expect(cut.machines).toEqual([]);
    expect(cut.isWhole).toBe(false);
  });

  it("without statistics is read by what else is printed, as the test driver does", () => {
    const read = readVirtualHost(sectionsOf(printed("")));
    expect(read.machines[0]).toMatchObject({
      processors: 2,
      memory: 2_147_483_648,
      cpuNs: 1_795_726e9,
      delayNs: undefined,
    });
  });

  it("hangs together: machine on host, disk in datastore, plugged into a network", () => {
    const all = observeVirtual(host(), "10.1.0.5");
    const of = (name: string) => all.find((one) => one.name === name);
    const key = (name: string) => of(name)?.keys[0]?.value;
    expect(of("test")?.relations?.map((one) => [one.type, one.to])).toEqual([
      ["hosted-by", key("quay-host")],
      ["stored-on", key("test-vda")],
      ["wired-to", key("default")],
    ]);
    expect(of("test-vda")?.relations).toEqual([{ type: "part-of", to: key("default-pool"), detail: "" }]);
    expect(of("quay-host")?.keys.map((one) => one.value)).toContain("machine:a077f95e-9f77-47cb-ae77-f638a578013d");
    expect(of("test")?.keys.map((one) => one.value)).toContain("mac:aa:bb:cc:dd:ee:ff");
  });

  it("tells waits for processors, memory, traffic, and latency of disk and datastore", () => {
    const now = host({
      "cpu.time": 15_000_000_000,
      "vcpu.0.delay": 2_000_000_000,
      "vcpu.1.delay": 2_000_000_000,
      "net.0.rx.bytes": 1000,
      "net.0.rx.drop": 50,
      "block.0.rd.reqs": 60,
      "block.0.rd.bytes": 600_000,
      "block.0.rd.times": 900_000_000,
      "block.0.wr.reqs": 40,
      "block.0.wr.times": 1_100_000_000,
    });
    const figures = virtualFigures({ host: now, atMs: 10_000 }, { host: host(), atMs: 0 }, "10.1.0.5");
    const of = (list: string) =>
      Object.fromEntries(figures.filter((one) => one.key.includes(`/${list}/`)).map((one) => [one.metric, one.value]));
    expect(of("machines")).toMatchObject({
      "guest.cpu.used": 50,
      "guest.cpu.ready": 20,
      "guest.memory": 2_147_483_648,
      "guest.memory.used": 50,
      "guest.memory.touched": 1_073_741_824,
      "guest.memory.ballooned": 2_147_483_648,
      "guest.disk.read": 60_000,
      "guest.net.in": 800,
      "guest.running": 1,
    });
    expect(of("machines")["guest.memory.overhead"]).toBeCloseTo(2_202_009 * 1024 - 2_147_483_648, 0);
    expect(of("disks")).toEqual({ "volume.reads": 6, "volume.writes": 4, "volume.latency": 20 });
    expect(of("pools")).toEqual({ "volume.used": 50, "volume.reads": 6, "volume.writes": 4, "volume.latency": 20 });
    expect(of("networks")).toMatchObject({ "net.ports": 1, "net.out": 800, "net.in": 0, "net.discards": 5 });
    expect(of("host")).toMatchObject({ "guests.running": 1, "cpu.allotted": 12.5 });
  });

  it("gives no rate where counters began anew", () => {
    const figures = virtualFigures({ host: host(), atMs: 10_000 }, { host: host({ "cpu.time": 9e12 }), atMs: 0 }, "x");
    expect(figures.some((one) => one.metric === "guest.cpu.used")).toBe(false);
    expect(figures.some((one) => one.metric === "guest.cpu.ready")).toBe(true);
  });
});
