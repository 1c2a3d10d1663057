import { kindOfPort, portName } from "./ports";
import { identityKey, storedKey, type IdentityKey, type Observation } from "./observation";
import type { AddressSighting, GuestRow, OpenPort, SystemSighting } from "./sighting";

/** How sure a kind is that follows from what the system tells, from an assigned port, and from a look from outside. */
const SURE = 0.95;
const LIKELY = 0.8;
const GUESS = 0.4;

/** What one address shows: its host, and the parts of it that the estate keeps as components of their own. */
export interface Recognised {
  host: Observation;
  parts: Observation[];
}

/** sysObjectID prefixes and the kind they stand for. 8072.3.2.10 is the published value of the common Linux agent. */
const KIND_OF_OBJECT_ID: readonly (readonly [string, string])[] = [
  ["1.3.6.1.4.1.8072.3.2.10", "host.linux"],
  ["1.3.6.1.4.1.8072.3.2.255", "host.unknown"],
];

/**
 * The kind of a system from SNMP: a hypervisor where it tells of virtual machines; by its sysObjectID where that is
 * known, else its layers (RFC 3418 sysServices: layer 2 forwards frames, layer 3 forwards packets, layer 7 serves
 * applications) and its description.
 */
export function kindOfSystem(
  system: Pick<SystemSighting, "sysObjectId" | "sysServices" | "sysDescr" | "hypervisor" | "guests">,
): { kind: string; reason: string } {
  if (system.hypervisor)
    return { kind: "host.hypervisor", reason: `reports ${system.guests?.length ?? 0} virtual machines (RFC 7666)` };
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
    if (hint) return { kind: hint[1], reason: `HTTP on ${port.port} says “${port.http?.title}”` };
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

/**
 * Turns what was seen at one address into observations of the host and of the processes that serve or use the network.
 */
export function recognise(sighting: AddressSighting): Recognised | undefined {
  const { system, address, open } = sighting;
  if (!system && open.length === 0) return undefined;
  const facts: Record<string, string> = { address };
  const keys: IdentityKey[] = [];
  const ssh = open.find((port) => port.banner?.startsWith("SSH-"));
  let kind: Observation["kind"] = {
    is: "host.unknown",
    reason: ssh ? "answers SSH but not SNMP" : "answers on TCP but not SNMP",
    confidence: GUESS,
  };
  let name = address;
  if (system) {
    const verdict = kindOfSystem(system);
    kind = { is: verdict.kind, reason: verdict.reason, confidence: verdict.kind === "host.unknown" ? GUESS : SURE };
    if (system.sysName) {
      name = system.sysName.split(".")[0] ?? system.sysName;
      keys.push(identityKey("name", system.sysName.toLowerCase()));
      facts["host name"] = system.sysName;
    }
    Object.assign(facts, factsOfSystem(system));
  }
  keys.push(identityKey("addr", address));
  if (ssh) facts["ssh port"] = String(ssh.port);
  const host: Observation = {
    keys,
    kind,
    name,
    address,
    depth: system ? 2 : 0,
    readBy: system ? "snmp" : "",
    facts,
    ...(open.length ? { ownFacts: { "open ports": open.map(describePort).join(", ") } } : {}),
    ...(system ? { inventory: system, partsListed: true } : {}),
  };
  return {
    host,
    parts: system && system.software.length > 0 ? processesOf(system, open, host) : endpointsOf(open, host),
  };
}

function factsOfSystem(system: SystemSighting): Record<string, string> {
  const facts: Record<string, string> = { description: system.sysDescr, "object id": system.sysObjectId };
  if (system.sysLocation) facts.location = system.sysLocation;
  if (system.sysContact) facts.contact = system.sysContact;
  if (system.processors > 0) facts.processors = String(system.processors);
  const memory = system.storage.find((row) => row.type === "ram");
  if (memory) facts["memory bytes"] = String(memory.sizeUnits * memory.unitBytes);
  if (system.hypervisor) facts.hypervisor = `${system.hypervisor.software} ${system.hypervisor.version}`.trim();
  facts.interfaces = String(system.interfaces.filter((row) => row.type !== 24).length);
  return facts;
}

/**
 * What a hypervisor says of one of its machines: of a machine that no source reaches, all that is known; of a host
 * that was read by itself, its key and that it runs.
 */
export function observeGuest(
  guest: GuestRow,
  key: string,
  hypervisor: string,
  host: { id: number; why: string } | undefined,
): Observation {
  const facts: Record<string, string> = {
    state: guest.state,
    processors: String(guest.processors),
    "memory bytes": String(guest.memoryBytes),
  };
  if (guest.system) facts.system = guest.system;
  if (guest.physAddresses.length) facts["hardware addresses"] = guest.physAddresses.join(", ");
  return {
    keys: [storedKey(key)],
    ...(host ? { of: host.id, because: `the virtual machine ${guest.name} on ${hypervisor}: same ${host.why}` } : {}),
    kind: {
      is: "host.guest",
      reason: `${hypervisor} reports it (RFC 7666); no source reaches it directly`,
      confidence: GUESS,
    },
    name: guest.name || guest.uuid || `guest ${guest.index}`,
    depth: 0,
    readBy: "",
    facts,
  };
}

/** Open ports of a host whose processes are not known. */
function endpointsOf(open: readonly OpenPort[], host: Observation): Observation[] {
  const hostKey = host.keys[0]?.value as string;
  return open
    .filter((port) => !port.banner?.startsWith("SSH-"))
    .map((port): Observation => {
      const verdict = kindOfListener([port]);
      const label = port.http?.server?.split("/")[0] ?? portName(port.port) ?? `port ${port.port}`;
      return {
        keys: [identityKey("listen", `${hostKey}:${port.port}`)],
        kind: {
          is: verdict.kind === "app.process" ? "app.endpoint" : verdict.kind,
          reason: `${verdict.reason}; no SNMP answer, so the process behind the port is not known`,
          confidence: GUESS,
        },
        name: `${label} @ ${host.name}`,
        host: { key: hostKey },
        port: port.port,
        label,
        depth: 0,
        readBy: "",
        facts: { ports: describePort(port), ...(port.http?.title ? { page: port.http.title } : {}) },
      };
    });
}

/** Processes of a host that serve or use the network. */
function processesOf(system: SystemSighting, open: readonly OpenPort[], host: Observation): Observation[] {
  const hostKey = host.keys[0]?.value as string;
  const nameOfPid = new Map(system.software.map((row) => [row.pid, row]));
  const byName = new Map<string, { ports: Set<number>; rows: typeof system.software }>();
  const entry = (pid: number) => {
    const row = nameOfPid.get(pid);
    if (!row || HOUSEKEEPING.has(row.name)) return undefined;
    let found = byName.get(row.name);
    if (!found) byName.set(row.name, (found = { ports: new Set(), rows: [] }));
    if (!found.rows.includes(row)) found.rows.push(row);
    return found;
  };
  for (const listener of system.listeners) entry(listener.pid)?.ports.add(listener.port);
  for (const connection of system.connections) entry(connection.pid);
  return [...byName].map(([process, found]): Observation => {
    const ports = [...found.ports].sort((a, b) => a - b);
    const answers = ports.map((port): OpenPort => open.find((one) => one.port === port) ?? { port });
    const verdict = kindOfListener(answers);
    const software = answers.map((one) => one.http?.server).find(Boolean);
    const title = answers.map((one) => one.http?.title).find(Boolean);
    const facts: Record<string, string> = { process };
    const first = found.rows[0];
    if (first?.path) facts.path = first.path;
    if (first?.parameters) facts.parameters = first.parameters;
    if (ports.length) facts.ports = answers.map(describePort).join(", ");
    if (software) facts.software = software;
    if (title) facts.page = title;
    const how = ports.length
      ? "named by the TCP listener table (RFC 4022) and running software (RFC 2790)"
      : "has outgoing TCP connections (RFC 4022)";
    return {
      keys: [
        identityKey("process", `${hostKey}:${process}`),
        ...ports.map((port) => identityKey("listen", `${hostKey}:${port}`)),
      ],
      kind: { is: verdict.kind, reason: `${verdict.reason}; ${how}`, confidence: LIKELY },
      name: `${process} @ ${host.name}`,
      host: { key: hostKey },
      process,
      label: process,
      ...(ports[0] === undefined ? {} : { port: ports[0] }),
      depth: 2,
      readBy: "snmp",
      facts,
    };
  });
}
