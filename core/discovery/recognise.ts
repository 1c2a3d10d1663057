import { kindOfPort, portName } from "./ports";
import type { AddressSighting, GuestRow, OpenPort, SystemSighting } from "./sighting";

/** A component as one sighting describes it, before it is reconciled with what is known. */
export interface Draft {
  /** Names that identify it; any one in common makes two drafts the same thing. The first is the strongest. */
  keys: string[];
  kind: string;
  name: string;
  facts: Record<string, string>;
  /** Why this kind and this name. */
  reasons: string[];
  /** Seen from outside only: it says less than a reading of the system would, and takes nothing back that one told. */
  outside?: boolean;
  /** For parts: the first key of the host they run on. */
  hostKey?: string;
}

/** Parts of a host that the estate keeps as components of their own. */
export interface Recognised {
  host: Draft;
  parts: Draft[];
}

/** sysObjectID prefixes and the kind they stand for. 8072.3.2.10 is the published value of the common Linux agent. */
const KIND_OF_OBJECT_ID: readonly (readonly [string, string])[] = [
  ["1.3.6.1.4.1.8072.3.2.10", "host.linux"],
  ["1.3.6.1.4.1.8072.3.2.255", "host.unknown"],
];

/**
 * The kind of a system from SNMP: a hypervisor where it tells of virtual machines; by its sysObjectID where that is known, else its layers (RFC 3418 sysServices:
 * layer 2 forwards frames, layer 3 forwards packets, layer 7 serves applications) and its description.
 */
export function kindOfSystem(
  system: Pick<SystemSighting, "sysObjectId" | "sysServices" | "sysDescr" | "hypervisor" | "guests">,
): { kind: string; reason: string } {
  if (system.hypervisor)
    return { kind: "host.hypervisor", reason: `tells of ${system.guests?.length ?? 0} virtual machines (RFC 7666)` };
  const known = KIND_OF_OBJECT_ID.find(
    ([prefix]) => system.sysObjectId === prefix || system.sysObjectId.startsWith(`${prefix}.`),
  );
  if (known) return { kind: known[1], reason: `sysObjectID ${system.sysObjectId} is registered for ${known[1]}` };
  const layer = (number: number) => (system.sysServices & (1 << (number - 1))) !== 0;
  if (!layer(7) && layer(2))
    return {
      kind: "net.switch",
      reason: `sysServices ${system.sysServices}: forwards frames (layer 2), serves no applications`,
    };
  if (!layer(7) && layer(3))
    return {
      kind: "net.router",
      reason: `sysServices ${system.sysServices}: forwards packets (layer 3), serves no applications`,
    };
  if (/\blinux\b/i.test(system.sysDescr)) return { kind: "host.linux", reason: "sysDescr says Linux" };
  return {
    kind: "host.unknown",
    reason: `sysObjectID ${system.sysObjectId || "missing"} is not known and sysServices ${system.sysServices} does not tell`,
  };
}

const HTTP_KIND_HINTS: readonly (readonly [RegExp, string])[] = [[/time.?series/i, "db.series"]];

function kindOfListener(ports: readonly OpenPort[]): { kind: string; reason: string } {
  for (const port of ports) {
    const assigned = kindOfPort(port.port);
    if (assigned) return { kind: assigned, reason: `listens on ${port.port}, assigned to ${portName(port.port)}` };
  }
  for (const port of ports) {
    const hint = HTTP_KIND_HINTS.find(([pattern]) =>
      pattern.test(`${port.http?.title ?? ""} ${port.http?.server ?? ""}`),
    );
    if (hint) return { kind: hint[1], reason: `its HTTP answer on ${port.port} says “${port.http?.title}”` };
  }
  const page = ports.find((port) => port.http?.title !== undefined);
  if (page) return { kind: "app.web", reason: `answers HTTP on ${page.port} with the page “${page.http?.title}”` };
  return { kind: "app.process", reason: "listens or connects, with no assigned port" };
}

const describePort = (port: OpenPort | { port: number }) => {
  const name = portName(port.port);
  return name ? `${port.port} ${name}` : String(port.port);
};

/** Processes of the operating system itself that hold ports on every host; they are listed, not made components. */
const HOUSEKEEPING = new Set(["sshd", "snmpd", "init", "cron", "rsyslogd", "ntpd", "agetty", "kthreadd"]);

/** Turns what was seen at one address into a host draft and drafts of the processes that serve or use the network. */
export function recognise(sighting: AddressSighting): Recognised | undefined {
  const { system, address, open } = sighting;
  if (!system && open.length === 0) return undefined;
  const facts: Record<string, string> = { address };
  const keys: string[] = [];
  const reasons: string[] = [];
  let kind = "host.unknown";
  let name = address;
  if (system) {
    const verdict = kindOfSystem(system);
    kind = verdict.kind;
    reasons.push(verdict.reason);
    if (system.sysName) {
      name = system.sysName.split(".")[0] ?? system.sysName;
      keys.push(`name:${system.sysName.toLowerCase()}`);
      facts["host name"] = system.sysName;
    }
    facts.description = system.sysDescr;
    facts["object id"] = system.sysObjectId;
    if (system.sysLocation) facts.location = system.sysLocation;
    if (system.sysContact) facts.contact = system.sysContact;
    if (system.processors > 0) facts.processors = String(system.processors);
    const memory = system.storage.find((row) => row.type === "ram");
    if (memory) facts["memory bytes"] = String(memory.sizeUnits * memory.unitBytes);
    if (system.hypervisor) facts.hypervisor = `${system.hypervisor.software} ${system.hypervisor.version}`.trim();
    facts.interfaces = String(system.interfaces.filter((row) => row.type !== 24).length);
  } else {
    const ssh = open.find((port) => port.banner?.startsWith("SSH-"));
    reasons.push(ssh ? "answers SSH, tells nothing by SNMP" : "answers on TCP, tells nothing by SNMP");
  }
  keys.push(`addr:${address}`);
  const ssh = open.find((port) => port.banner?.startsWith("SSH-"));
  if (ssh) facts["ssh port"] = String(ssh.port);
  if (open.length) facts["open ports"] = open.map(describePort).join(", ");
  const host: Draft = { keys, kind, name, facts, reasons, outside: system === undefined };
  return { host, parts: recogniseParts(sighting, host) };
}

/** A virtual machine that only its hypervisor tells of: nothing is known of what runs in it. */
export function draftOfGuest(guest: GuestRow, key: string, hypervisor: string): Draft {
  const facts: Record<string, string> = {
    state: guest.state,
    processors: String(guest.processors),
    "memory bytes": String(guest.memoryBytes),
  };
  if (guest.system) facts.system = guest.system;
  if (guest.physAddresses.length) facts["hardware addresses"] = guest.physAddresses.join(", ");
  return {
    keys: [key],
    kind: "host.guest",
    name: guest.name || guest.uuid || `guest ${guest.index}`,
    facts,
    reasons: [`${hypervisor} tells of it (RFC 7666); no source reaches it itself`],
    outside: true,
  };
}

function recogniseParts(sighting: AddressSighting, host: Draft): Draft[] {
  const { system, open } = sighting;
  const hostKey = host.keys[0] as string;
  const hostName = host.name;
  if (!system || system.software.length === 0) {
    return open
      .filter((port) => !port.banner?.startsWith("SSH-"))
      .map((port) => {
        const verdict = kindOfListener([port]);
        return {
          keys: [`listen:${hostKey}:${port.port}`],
          kind: verdict.kind === "app.process" ? "app.endpoint" : verdict.kind,
          name: `${port.http?.server?.split("/")[0] ?? portName(port.port) ?? `port ${port.port}`} @ ${hostName}`,
          facts: { ports: describePort(port), ...(port.http?.title ? { page: port.http.title } : {}) },
          reasons: [verdict.reason, "no SNMP answer, so the process behind the port is not known"],
          hostKey,
        };
      });
  }
  const nameOfPid = new Map(system.software.map((row) => [row.pid, row]));
  const byName = new Map<string, { ports: Set<number>; outgoing: number; rows: typeof system.software }>();
  const entry = (pid: number) => {
    const row = nameOfPid.get(pid);
    if (!row || HOUSEKEEPING.has(row.name)) return undefined;
    let found = byName.get(row.name);
    if (!found) byName.set(row.name, (found = { ports: new Set(), outgoing: 0, rows: [] }));
    if (!found.rows.includes(row)) found.rows.push(row);
    return found;
  };
  for (const listener of system.listeners) entry(listener.pid)?.ports.add(listener.port);
  for (const connection of system.connections) {
    const found = entry(connection.pid);
    if (found && !found.ports.has(connection.localPort)) found.outgoing++;
  }
  return [...byName].map(([name, found]) => {
    const ports = [...found.ports].sort((a, b) => a - b);
    const answers = ports.map((port) => open.find((one) => one.port === port) ?? { port });
    const verdict = kindOfListener(answers);
    const software = answers.map((one) => ("http" in one ? one.http?.server : undefined)).find(Boolean);
    const facts: Record<string, string> = { process: name };
    const first = found.rows[0];
    if (first?.path) facts.path = first.path;
    if (first?.parameters) facts.parameters = first.parameters;
    if (ports.length) facts.ports = answers.map(describePort).join(", ");
    if (software) facts.software = software;
    const title = answers.map((one) => ("http" in one ? one.http?.title : undefined)).find(Boolean);
    if (title) facts.page = title;
    return {
      keys: [`process:${hostKey}:${name}`, ...ports.map((port) => `listen:${hostKey}:${port}`)],
      kind: verdict.kind,
      name: `${name} @ ${hostName}`,
      facts,
      reasons: [
        verdict.reason,
        ports.length
          ? "named by the TCP listener table (RFC 4022) and running software (RFC 2790)"
          : "has outgoing TCP connections (RFC 4022)",
      ],
      hostKey,
    };
  });
}
