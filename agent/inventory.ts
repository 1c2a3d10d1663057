import { createHash } from "node:crypto";
import { readdirSync, readFileSync, statSync } from "node:fs";
import { join } from "node:path";
import { readOsRelease, readVersion } from "./proc";
import { SocketOwners } from "./owners";
import { link, pidsBelow, readProcess, readUsers, type ProcessRow } from "./processes";
import type { Reading } from "./reading";
import { readTcp } from "./sockets";

/** Who talks to whom on this host, and who listens. */
export interface Tables {
  software: ProcessRow[];
  listeners: { address: string; port: number; pid: number }[];
  connections: { localAddress: string; localPort: number; remoteAddress: string; remotePort: number; pid: number }[];
}

/** What this host is; the tables with it. */
export interface Inventory extends Tables {
  description: string;
  processors: number;
  memory: { totalBytes: number; usedBytes: number };
  disks: { mount: string; sizeBytes: number; usedBytes: number }[];
  interfaces: { name: string; physAddress: string; up: boolean; speedMbps: number }[];
  addresses: string[];
  packages: { name: string; version: string }[];
  uuid: string;
  serial: string;
  model: string;
}

const MOST_ROWS = 20_000;
const MOST_PACKAGES = 20_000;

const text = (file: string): string => {
  try {
    return readFileSync(file, "utf8");
  } catch {
    return "";
  }
};

/** Reads what runs on the machine whose file systems begin at `root`, and what that machine is. */
export class Inventories {
  private readonly proc: string;
  private readonly owners: SocketOwners;
  private packages: { atMs: number; list: Inventory["packages"] } = { atMs: -1, list: [] };

  constructor(private readonly root: string) {
    this.proc = join(root, "proc");
    this.owners = new SocketOwners(this.proc);
  }

  tables(): Tables {
    const pids = pidsBelow(this.proc);
    const users = readUsers(text(join(this.root, "etc", "passwd")));
    const software = pids.flatMap((pid) => readProcess(this.proc, pid, users) ?? []);
    const own = link(join(this.proc, "1", "ns", "net")) ?? "";
    // Containers have networks of their own: from each, what one process there sees.
    const spaces = new Map<string, number>([[own, pids.includes(1) ? 1 : (pids[0] ?? 1)]]);
    for (const { pid, container } of software) {
      if (container === undefined) continue;
      const space = link(join(this.proc, String(pid), "ns", "net"));
      if (space !== undefined && !spaces.has(space)) spaces.set(space, pid);
    }
    const sockets = [...spaces].flatMap(([space, pid]) => {
      const net = join(this.proc, String(pid), "net");
      const found = [...readTcp(text(join(net, "tcp"))), ...readTcp(text(join(net, "tcp6")))];
      // A listener inside a container is none of the host's; what is published listens on the host too.
      return space === own ? found : found.filter((one) => !one.listens && !one.remoteAddress.startsWith("127."));
    });
    const shown = sockets.slice(0, MOST_ROWS);
    const owners = this.owners.resolve(new Set(shown.map((one) => one.inode)), pids);
    const pidOf = ({ inode }: { inode: number }) => owners.get(inode) ?? 0;
    return {
      software,
      listeners: shown
        .filter((one) => one.listens)
        .map((one) => ({ address: one.localAddress, port: one.localPort, pid: pidOf(one) })),
      connections: shown
        .filter((one) => !one.listens)
        .map(({ listens: _listens, inode, ...one }) => ({ ...one, pid: pidOf({ inode }) })),
    };
  }

  all(reading: Reading, addresses: string[]): Inventory {
    const dmi = (name: string) => text(join(this.root, "sys", "class", "dmi", "id", name)).trim();
    return {
      ...this.tables(),
      description: [
        readOsRelease(text(join(this.root, "etc", "os-release"))),
        readVersion(text(join(this.proc, "version"))),
      ]
        .filter(Boolean)
        .join(", "),
      processors: reading.processors.cores.length,
      memory: {
        totalBytes: reading.memory.totalBytes,
        usedBytes: reading.memory.totalBytes - reading.memory.availableBytes,
      },
      disks: reading.disks,
      interfaces: this.interfaces(),
      addresses,
      packages: this.installed(),
      uuid: dmi("product_uuid").toLowerCase(),
      serial: dmi("product_serial"),
      model: `${dmi("sys_vendor")} ${dmi("product_name")}`.trim(),
    };
  }

  private interfaces(): Inventory["interfaces"] {
    const folder = join(this.root, "sys", "class", "net");
    let names: string[];
    try {
      names = readdirSync(folder).sort();
    } catch {
      return [];
    }
    return names
      .filter((name) => name !== "lo" && !name.startsWith("veth"))
      .map((name) => ({
        name,
        physAddress: text(join(folder, name, "address")).trim(),
        up: !text(join(folder, name, "operstate")).startsWith("down"),
        speedMbps: Math.max(0, Number(text(join(folder, name, "speed")).trim()) || 0),
      }));
  }

  /** Installed packages of Debian's kind, read anew when their list changed. */
  private installed(): Inventory["packages"] {
    const file = join(this.root, "var", "lib", "dpkg", "status");
    let changedMs: number;
    try {
      changedMs = statSync(file).mtimeMs;
    } catch {
      return [];
    }
    if (changedMs !== this.packages.atMs) this.packages = { atMs: changedMs, list: readInstalled(text(file)) };
    return this.packages.list;
  }
}

/** Names and versions from the status file of dpkg (dpkg(1)). */
export const readInstalled = (status: string): Inventory["packages"] =>
  status
    .split("\n\n")
    .flatMap((entry) => {
      const field = (name: string) => new RegExp(`^${name}: (.*)$`, "m").exec(entry)?.[1];
      const [name, version] = [field("Package"), field("Version")];
      return name && version && /^install ok installed$/.test(field("Status") ?? "") ? [{ name, version }] : [];
    })
    .slice(0, MOST_PACKAGES);

/** Changes with what a host is and what runs on it to serve, not with who talks to whom and how full it is. */
export function structureOf({
  connections: _connections,
  memory,
  disks,
  software,
  listeners,
  ...rest
}: Inventory): string {
  const serving = new Set(listeners.map((one) => one.pid));
  return createHash("sha256")
    .update(
      JSON.stringify([
        rest,
        memory.totalBytes,
        disks.map((one) => [one.mount, one.sizeBytes]),
        listeners.map((one) => [one.address, one.port, one.pid]).sort(),
        software.filter((one) => serving.has(one.pid)),
      ]),
    )
    .digest("hex");
}
