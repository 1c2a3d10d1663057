import { describe, expect, it } from "vitest";
import { linuxSystem, readDisks, readJobs, readProcesses, readSockets, sectionsOf } from "./linux";
import { linuxPoll } from "./linux-poll";

/** As a Debian 12 host prints it, shortened. */
const LOOK = {
  kernel: "Linux 6.1.0-28-amd64 x86_64",
  name: "quay-1.example",
  os: 'PRETTY_NAME="Debian GNU/Linux 12 (bookworm)"\nID=debian',
  hardware:
    "product_uuid=0B5C9F3E-0000-4000-8000-00000000A001\nproduct_serial=To be filled by O.E.M.\nproduct_name=Rack 2\nsys_vendor=Maker",
  processors: "4",
  addresses: `1: lo    inet 127.0.0.1/8 scope host lo\\       valid_lft forever
2: eth0    inet 192.0.2.11/24 brd 192.0.2.255 scope global eth0\\       valid_lft forever
2: eth0    inet6 2001:db8:0:0::11/64 scope global \\       valid_lft forever
2: eth0    inet6 fe80::5054:ff:fe12:1/64 scope link \\       valid_lft forever`,
  interfaces: "eth0 52:54:00:12:00:01 up 10000\nlo 00:00:00:00:00:00 unknown",
  processes: `      1       0 root                             /sbin/init
      2       0 root                             [kthreadd]
    700       1 root                             nginx: master process /usr/sbin/nginx -g daemon off;
    701     700 www-data                         nginx: worker process
    800       1 orders                           /usr/bin/node /opt/orders/dist/server.js --port 8081
    900       1 postgres                         /usr/lib/postgresql/15/bin/postgres -D /var/lib/postgresql/15/main
    901     900 postgres                         postgres: orders orders 192.0.2.11(40100) idle`,
  names: "      1 systemd\n    700 nginx\n    701 nginx\n    800 node\n    900 postgres\n    901 postgres",
  executables: `lrwxrwxrwx 1 root root 0 Mar 17 10:00 /proc/700/exe -> /usr/sbin/nginx
lrwxrwxrwx 1 root root 0 Mar 17 10:00 /proc/800/exe -> /usr/bin/node (deleted)`,
  groups: `/proc/700/cgroup:0::/system.slice/nginx.service
/proc/800/cgroup:0::/system.slice/docker-0123456789abcdef0123456789abcdef0123456789abcdef0123456789abcdef.scope
/proc/900/cgroup:12:cpu:/ignored
/proc/900/cgroup:1:name=systemd:/system.slice/system-postgresql.slice/postgresql@15-main.service`,
  sockets: `State  Recv-Q Send-Q Local Address:Port  Peer Address:Port Process
LISTEN 0      511          0.0.0.0:80        0.0.0.0:*     users:(("nginx",pid=701,fd=6),("nginx",pid=700,fd=6))
LISTEN 0      511             [::]:80           [::]:*     users:(("nginx",pid=701,fd=7),("nginx",pid=700,fd=7))
LISTEN 0      511                *:8081            *:*     users:(("node",pid=800,fd=21))
LISTEN 0      244   127.0.0.53%lo:53        0.0.0.0:*
ESTAB  0      0         192.0.2.11:40100   192.0.2.14:5432 users:(("node",pid=800,fd=18))
ESTAB  0      0      [::ffff:192.0.2.11]:8081 [::ffff:192.0.2.12]:51000 users:(("node",pid=800,fd=19))
TIME-WAIT 0   0         192.0.2.11:8081  192.0.2.12:51001`,
  memory: "MemTotal:        8000000 kB\nMemFree:         1000000 kB\nMemAvailable:    6000000 kB",
  mounts: `/dev/sda1 / ext4 rw,relatime 0 0
/dev/sda2 /srv/a\\040b ext4 rw 0 0
/dev/sda2 /srv/again ext4 rw 0 0
/dev/loop0 /opt/image squashfs ro,nodev 0 0
tmpfs /tmp tmpfs rw 0 0
cgroup2 /sys/fs/cgroup cgroup2 rw 0 0`,
  disks: `Filesystem     1024-blocks     Used Available Capacity Mounted on
/dev/sda1         41000000 20000000  19000000      52% /
/dev/sda2          9000000  1000000   8000000      12% /srv/a b
/dev/sda2          9000000  1000000   8000000      12% /srv/again
/dev/loop0           64000    64000         0     100% /opt/image
tmpfs              4000000       10   3999990       1% /tmp
tmpfs               800000     1000    799000       1% /run`,
  packages: "nginx-light 1.22.1-9+deb12u1\nbase-files 12.4",
  files: "nginx-light: /usr/sbin/nginx",
  cron: "PATH=/bin\n17 *\t* * *\troot cd / && run-parts /etc/cron.hourly\n@daily root /opt/tides/nightly",
  timers:
    "Tue 2026-03-17 11:00:00 UTC 42min left Tue 2026-03-17 10:00:00 UTC 17min ago logrotate.timer logrotate.service",
  end: "",
};
const printed = (sections: Record<string, string>) =>
  `Welcome!\n${Object.entries(sections)
    .map(([name, text]) => `\x1e${name}\n${text}\n`)
    .join("")}`;
const look = (changes: Record<string, string> = {}) => sectionsOf(printed({ ...LOOK, ...changes }));

describe("a Linux host by what it printed", () => {
  it("is a system with its addresses, hardware and memory", () =>
    expect(linuxSystem(look())).toMatchObject({
      sysName: "quay-1.example",
      sysDescr: "Debian GNU/Linux 12 (bookworm), Linux 6.1.0-28-amd64 x86_64",
      processors: 4,
      addresses: ["192.0.2.11", "2001:db8::11"],
      uuid: "0b5c9f3e-0000-4000-8000-00000000a001",
      model: "Maker Rack 2",
      storage: [{ type: "ram", sizeUnits: 8_000_000, usedUnits: 2_000_000 }, { label: "/" }, { label: "/srv/a b" }],
    }));
  it("has no serial number that no maker filled in", () => expect(linuxSystem(look()).serial).toBeUndefined());
  it("lists processes with unit, container, package, user and parent, the kernel's own left out", () => {
    const rows = readProcesses(look());
    expect(rows.map((row) => row.pid)).toEqual([1, 700, 701, 800, 900, 901]);
    expect(rows[1]).toMatchObject({
      name: "nginx",
      path: "/usr/sbin/nginx",
      parameters: "nginx: master process /usr/sbin/nginx -g daemon off;",
      unit: "nginx",
      package: "nginx-light 1.22.1-9+deb12u1",
      user: "root",
    });
    expect(rows[3]).toMatchObject({
      path: "/usr/bin/node",
      parameters: "/opt/orders/dist/server.js --port 8081",
      container: "0123456789abcdef0123456789abcdef0123456789abcdef0123456789abcdef",
    });
    expect(rows[4]).toMatchObject({ unit: "postgresql@15-main", parent: 1 });
  });
  it("lists a listener for each process that has it open, and connections that stand", () => {
    const { listeners, connections } = readSockets(look());
    expect(listeners).toContainEqual({ address: "0.0.0.0", port: 80, pid: 700 });
    expect(listeners).toContainEqual({ address: "::", port: 80, pid: 701 });
    expect(listeners).toContainEqual({ address: "", port: 8081, pid: 800 });
    expect(listeners).toContainEqual({ address: "127.0.0.53", port: 53, pid: 0 });
    expect(connections).toEqual([
      { localAddress: "192.0.2.11", localPort: 40_100, remoteAddress: "192.0.2.14", remotePort: 5432, pid: 800 },
      { localAddress: "192.0.2.11", localPort: 8081, remoteAddress: "192.0.2.12", remotePort: 51_000, pid: 800 },
    ]);
  });
  it("counts as disks what can fill up, each device once", () =>
    expect(readDisks(look()).map((row) => row.label)).toEqual(["/", "/srv/a b"]));
  it("lists what runs by itself", () =>
    expect(readJobs(look())).toEqual([
      { when: "17 * * * *", what: "root cd / && run-parts /etc/cron.hourly" },
      { when: "@daily", what: "root /opt/tides/nightly" },
      { when: "logrotate.timer", what: "logrotate.service" },
    ]));
  it("is something still where every command is missing", () =>
    expect(linuxSystem(sectionsOf("\x1ekernel\nLinux 5.4 mips\n\x1eend\n"))).toMatchObject({
      sysDescr: "Linux 5.4 mips",
      software: [],
      listeners: [],
      storage: [{ type: "ram", sizeUnits: 0 }],
    }));
});

describe("a poll of a Linux host", () => {
  const poll = look({
    use: "  700  1000 60\n  701 2000 30\n  800 50000 600",
    traffic:
      "Inter-|   Receive\n face |bytes\n    lo: 1 1 0 0 0 0 0 0 1 1 0 0 0 0 0 0\n  eth0: 500 5 1 0 0 0 0 0 700 7 2 0 0 0 0 0",
    devices:
      "   7       0 loop0 0 0 0 0 0 0 0 0 0 0 0 0\n 254       0 vda 834917 98083 21378426 1802796 8762647 1824854 260039816 6505489 0 999132 8671362 780778",
    stat: "cpu  300 0 100 600 0 0 0 0 0 0\ncpu0 200 0 100 200 0 0 0 0 0 0\ncpu1 100 0 0 400 0 0 0 0 0 0",
  });
  it("adds workers up by program, and counts traffic without the loopback", () => {
    const { poll: found } = linuxPoll(poll, undefined);
    expect(found.processes.find((one) => one.name === "nginx")).toEqual({
      name: "nginx",
      memoryBytes: 3000 * 1024,
      cpuHundredths: 9000,
      pids: [700, 701],
    });
    expect(found.interfaces).toEqual([{ name: "eth0", inOctets: 500, outOctets: 700, errors: 3, up: true }]);
    expect(found.processorLoads).toEqual([]);
    expect(found.devices?.at(-1)).toEqual({
      name: "vda",
      reads: 834_917,
      writes: 8_762_647,
      busyMicroseconds: 999_132_000,
    });
  });
  it("knows the load of each processor from the look before, and none after a restart", () => {
    const earlier = [
      { busy: 100, total: 300 },
      { busy: 100, total: 300 },
    ];
    expect(linuxPoll(poll, earlier).poll.processorLoads).toEqual([100, 0]);
    expect(
      linuxPoll(poll, [
        { busy: 900, total: 9000 },
        { busy: 0, total: 0 },
      ]).poll.processorLoads,
    ).toEqual([]);
  });
});
