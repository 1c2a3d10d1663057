import { canonicalAddress } from "./addresses";
import { isInside } from "./identity";
import type { ConnectionRow, InterfaceRow, ListenerRow, SoftwareRow, StorageRow, SystemSighting } from "./sighting";
import { isDisk } from "./storage";

/** Parts of what a Linux host printed, by their names. */
export type Sections = ReadonlyMap<string, string>;

/** Sign before the name of each part (RS of ASCII); nothing prints it by itself. */
const MARK = "\x1e";

/** Parts an output into its sections: a mark, a name, the end of the line, and what follows up to the next mark. */
export const sectionsOf = (output: string): Sections =>
  new Map(
    output
      .split(MARK)
      .slice(1)
      .map((part) => {
        const end = part.indexOf("\n");
        return end < 0 ? [part.trim(), ""] : [part.slice(0, end).trim(), part.slice(end + 1)];
      }),
  );

const linesOf = (sections: Sections, name: string): string[] =>
  (sections.get(name) ?? "").split("\n").filter((line) => line.trim() !== "");

const field = (text: string, name: string) => new RegExp(`^${name}="?([^"\n]*)"?`, "m").exec(text)?.[1] ?? "";
const kibibytes = (text: string, name: string) => {
  const found = new RegExp(`^${name}:\\s+(\\d+) kB`, "m").exec(text)?.[1];
  return found === undefined ? undefined : Number(found) * 1024;
};

/** Bytes of memory in all and in use, without what can be had back at once. */
export function readMemory(sections: Sections): { sizeBytes: number; usedBytes: number } {
  const text = sections.get("memory") ?? "";
  const sizeBytes = kibibytes(text, "MemTotal") ?? 0;
  const free =
    kibibytes(text, "MemAvailable") ??
    (kibibytes(text, "MemFree") ?? 0) + (kibibytes(text, "Buffers") ?? 0) + (kibibytes(text, "Cached") ?? 0);
  return { sizeBytes, usedBytes: Math.max(0, sizeBytes - free) };
}

/** "10.0.0.1:80", "[::1]:80", "*:80", "127.0.0.53%lo:53" as `ss` writes them. */
function endpoint(text: string): { address: string; port: number } | undefined {
  const at = text.lastIndexOf(":");
  const port = Number(text.slice(at + 1));
  if (at < 0 || !Number.isInteger(port)) return undefined;
  const written = text.slice(0, at).replaceAll(/[[\]]/g, "").replace(/%.*$/, "");
  if (written === "*") return { address: "", port };
  const address = canonicalAddress(written);
  return address === undefined ? undefined : { address, port };
}

const ownersOf = (text: string): number[] => {
  const pids = [...text.matchAll(/pid=(\d+)/g)].map((one) => Number(one[1]));
  return pids.length ? [...new Set(pids)] : [0];
};

/** Listeners and established connections as `ss -tanp` lists them, once for each process that has them open. */
export function readSockets(sections: Sections): { listeners: ListenerRow[]; connections: ConnectionRow[] } {
  const listeners: ListenerRow[] = [];
  const connections: ConnectionRow[] = [];
  for (const line of linesOf(sections, "sockets")) {
    const [state, , , near = "", far = "", ...rest] = line.trim().split(/\s+/);
    const local = endpoint(near);
    if (!local) continue;
    const owners = ownersOf(rest.join(" "));
    if (state === "LISTEN") for (const pid of owners) listeners.push({ ...local, pid });
    const remote = state === "ESTAB" ? endpoint(far) : undefined;
    if (remote && local.address && remote.address)
      connections.push({
        localAddress: local.address,
        localPort: local.port,
        remoteAddress: remote.address,
        remotePort: remote.port,
        pid: owners[0] as number,
      });
  }
  return { listeners, connections };
}

/** "0::/system.slice/nginx.service" is nginx.service; what belongs to people's sessions or to nothing is none. */
function unitOf(path: string): string | undefined {
  const unit = path
    .split("/")
    .reverse()
    .find((part) => part.endsWith(".service"));
  return unit && !/^(user@|session-|init\.)/.test(unit) ? unit.replace(/\.service$/, "") : undefined;
}

const containerOf = (path: string): string | undefined =>
  /(?:^|[/-])([0-9a-f]{64})(?:\.scope)?(?:\/|$)/.exec(path)?.[1];

const MOST_PARAMETERS = 400;

/** Processes with their command line, executable, parent, user, unit, container and package. */
export function readProcesses(sections: Sections): SoftwareRow[] {
  const pairs = (name: string) =>
    linesOf(sections, name).flatMap((line): [number, string][] => {
      const [, pid, rest] = /^\s*(\d+)\s+(.*)$/.exec(line) ?? [];
      return pid === undefined ? [] : [[Number(pid), rest as string]];
    });
  const names = new Map(pairs("names"));
  const executables = new Map(
    linesOf(sections, "executables").flatMap((line): [number, string][] => {
      const [, pid, path] = /\/proc\/(\d+)\/exe -> (\/.*?)(?: \(deleted\))?$/.exec(line) ?? [];
      return pid === undefined ? [] : [[Number(pid), path as string]];
    }),
  );
  const groups = new Map(
    linesOf(sections, "groups").flatMap((line): [number, string][] => {
      const [, pid, path] = /^\/proc\/(\d+)\/cgroup:\d+:(?:name=systemd)?:(.*)$/.exec(line) ?? [];
      return pid === undefined ? [] : [[Number(pid), path as string]];
    }),
  );
  const packages = packageOfFile(sections);
  return linesOf(sections, "processes").flatMap((line): SoftwareRow[] => {
    const [, pid, parent, user, command] = /^\s*(\d+)\s+(\d+)\s+(\S+)\s+(.*)$/.exec(line) ?? [];
    if (pid === undefined || command === undefined || command.startsWith("[")) return [];
    const number = Number(pid);
    const path = executables.get(number) ?? command.split(" ")[0] ?? "";
    const name = names.get(number) ?? path.split("/").at(-1) ?? "";
    const unit = unitOf(groups.get(number) ?? "");
    const container = containerOf(groups.get(number) ?? "");
    const owner = packages.get(path);
    const at = command.indexOf(" ");
    return [
      {
        pid: number,
        name,
        path,
        parameters: titled(command)
          ? command.slice(0, MOST_PARAMETERS)
          : at < 0
            ? ""
            : command.slice(at + 1, at + 1 + MOST_PARAMETERS),
        parent: Number(parent),
        user: user as string,
        ...(unit ? { unit } : {}),
        ...(container ? { container } : {}),
        ...(owner ? { package: owner } : {}),
      },
    ];
  });
}

/** A program that wrote a title over its arguments: "nginx: worker process". */
const titled = (command: string) => /^[\w.+-]+: /.test(command);

/** "nginx-light: /usr/sbin/nginx" with the packages' versions: which package a file is of. */
function packageOfFile(sections: Sections): Map<string, string> {
  const versions = new Map(readPackages(sections).map((one) => [one.name, one.version]));
  return new Map(
    linesOf(sections, "files").flatMap((line): [string, string][] => {
      const [, name, path] = /^([^:\s]+)(?::\w+)?: (\/.*)$/.exec(line) ?? [];
      if (name === undefined || path === undefined) return [];
      const version = versions.get(name);
      return [[path, version ? `${name} ${version}` : name]];
    }),
  );
}

export interface PackageRow {
  name: string;
  version: string;
}

export const readPackages = (sections: Sections): PackageRow[] =>
  linesOf(sections, "packages").flatMap((line) => {
    const [name, version] = line.trim().split(/\s+/);
    return name && version ? [{ name, version }] : [];
  });

/** Mounted volumes that can fill up, and memory as a row of its own, as the host resources of SNMP have them. */
export function readDisks(sections: Sections): StorageRow[] {
  const mounts = new Map(
    linesOf(sections, "mounts").map((line) => {
      const [device = "", mount = "", type = "", options = ""] = line.split(" ");
      return [unescaped(mount), { device, type, readOnly: options.split(",").includes("ro") }] as const;
    }),
  );
  const seen = new Set<string>();
  return linesOf(sections, "disks").flatMap((line, index): StorageRow[] => {
    const [, device, blocks, used, , , label] = /^(\S+)\s+(\d+)\s+(\d+)\s+(-?\d+)\s+(\S+)\s+(\/.*)$/.exec(line) ?? [];
    const mount = label === undefined ? undefined : mounts.get(label);
    if (label === undefined || device === undefined) return [];
    const row: StorageRow = {
      index: index + 10,
      label,
      type: "disk",
      unitBytes: 1024,
      sizeUnits: Number(blocks),
      usedUnits: Number(used),
    };
    // One device mounted in several places fills up once.
    if (seen.has(device) || !isDisk(row, mount?.readOnly ?? false) || IN_MEMORY.has(mount?.type ?? "")) return [];
    if (device.startsWith("/dev/")) seen.add(device);
    return [row];
  });
}

const IN_MEMORY = new Set(["tmpfs", "devtmpfs", "squashfs", "overlay", "ramfs", "efivarfs"]);
const unescaped = (text: string) =>
  text.replaceAll(/\\(\d{3})/g, (_, octal: string) => String.fromCodePoint(Number.parseInt(octal, 8)));

function readInterfaces(sections: Sections): InterfaceRow[] {
  return linesOf(sections, "interfaces").flatMap((line, index): InterfaceRow[] => {
    const [name = "", physAddress = "", state = "", speed = ""] = line.trim().split(/\s+/);
    if (!name) return [];
    return [
      {
        index: index + 1,
        name,
        type: name === "lo" ? 24 : 6,
        speedBps: Number(speed) > 0 ? Number(speed) * 1e6 : 0,
        physAddress: /^(00:){5}00$/.test(physAddress) ? "" : physAddress,
        up: state === "up" || state === "unknown",
      },
    ];
  });
}

/** Its addresses but those that every host has: of the loop, of links, of bridges inside. */
const readAddresses = (sections: Sections): string[] =>
  [
    ...new Set(
      linesOf(sections, "addresses").flatMap((line) => {
        const [, name, found] = /^\d+:\s+(\S+)\s.*?\binet6?\s(\S+?)\//.exec(line) ?? [];
        const address = found && name && !isInside(name) && canonicalAddress(found);
        return address && !/^127\.|^::1$|^fe80:/.test(address) ? [address] : [];
      }),
    ),
  ].sort();

/** When something runs by itself: a line of cron's tables, or a timer with what it starts. */
export interface JobRow {
  when: string;
  what: string;
}

export function readJobs(sections: Sections): JobRow[] {
  const cron = linesOf(sections, "cron").flatMap((line): JobRow[] => {
    const [, when, what] = /^\s*((?:@\w+)|(?:[\d*/,-]+\s+){4}[\w*/,-]+)\s+(\S.*)$/.exec(line) ?? [];
    return when === undefined || what === undefined
      ? []
      : [{ when: when.replaceAll(/\s+/g, " "), what: what.slice(0, 200) }];
  });
  const timers = linesOf(sections, "timers").flatMap((line): JobRow[] => {
    const [, timer, unit] = /(\S+\.timer)\s+(\S+)\s*$/.exec(line) ?? [];
    return timer === undefined || unit === undefined ? [] : [{ when: timer, what: unit }];
  });
  return [...cron, ...timers];
}

const dmiOf = (sections: Sections, name: string): string => {
  const value = field(sections.get("hardware") ?? "", name).trim();
  return /^(none|not specified|to be filled.*|default string|0+|system serial number)$/i.test(value) ? "" : value;
};

/** The system a Linux host is, by what it printed. */
export function linuxSystem(sections: Sections): SystemSighting {
  const memory = readMemory(sections);
  const disks = readDisks(sections);
  const os = field(sections.get("os") ?? "", "PRETTY_NAME");
  const kernel = (sections.get("kernel") ?? "").trim();
  const uuid = dmiOf(sections, "product_uuid").toLowerCase();
  const serial = dmiOf(sections, "product_serial");
  return {
    sysDescr: [os, kernel].filter(Boolean).join(", ") || "Linux",
    sysObjectId: "",
    sysContact: "",
    sysName: (sections.get("name") ?? "").trim().split("\n")[0] ?? "",
    sysLocation: "",
    sysServices: 72,
    processors: Number((sections.get("processors") ?? "").trim()) || 0,
    interfaces: readInterfaces(sections),
    storage: [
      {
        index: 1,
        label: "Memory",
        type: "ram",
        unitBytes: 1024,
        sizeUnits: memory.sizeBytes / 1024,
        usedUnits: Math.round(memory.usedBytes / 1024),
      },
      ...disks,
    ],
    software: readProcesses(sections),
    ...readSockets(sections),
    neighbours: [],
    addresses: readAddresses(sections),
    packages: readPackages(sections),
    jobs: readJobs(sections),
    ...(uuid ? { uuid } : {}),
    ...(serial ? { serial } : {}),
    ...(dmiOf(sections, "product_name")
      ? { model: `${dmiOf(sections, "sys_vendor")} ${dmiOf(sections, "product_name")}`.trim() }
      : {}),
  };
}
