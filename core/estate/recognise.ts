import type { FingerprintBook } from "./fingerprints";
import { isOwnHardware } from "./identity";
import { identityKey, storedKey, type Depth, type IdentityKey, type Observation } from "./observation";
import { describePort, observeParts, tellsOwners, tellsParts } from "./observe-parts";
import { systemWithoutSecrets } from "./secrets";
import type { AddressSighting, GuestRow, OpenPort, Reader, SystemSighting } from "./sighting";

/** How sure a kind is that follows from what the system tells, and from a look from outside. */
const SURE = 0.95;
const GUESS = 0.4;
/** A host of containers has hundreds; the first few are its own. */
const MOST_ADDRESSES = 32;

/** What one address shows: its host, and the parts of it that the estate keeps as components of their own. */
export interface Recognised {
  host: Observation;
  parts: Observation[];
}

/**
 * The kind of a system from SNMP: a hypervisor where it tells of virtual machines; by its sysObjectID where that is
 * known, else its layers (RFC 3418 sysServices: layer 2 forwards frames, layer 3 forwards packets, layer 7 serves
 * applications) and its description.
 */
export function kindOfSystem(
  system: Pick<SystemSighting, "sysObjectId" | "sysServices" | "sysDescr" | "hypervisor" | "guests">,
  book: FingerprintBook,
): { kind: string; reason: string } {
  if (system.hypervisor)
    return { kind: "host.hypervisor", reason: `reports ${system.guests?.length ?? 0} virtual machines (RFC 7666)` };
  const known = book.identify({ "object-id": [system.sysObjectId] });
  if (known?.kind)
    return { kind: known.kind, reason: `sysObjectID ${system.sysObjectId} is registered for ${known.kind}` };
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
  const described = book.identify({ description: [system.sysDescr] });
  if (described?.kind) return { kind: described.kind, reason: `sysDescr says ${described.product}` };
  return {
    kind: "host.unknown",
    reason: `sysObjectID ${system.sysObjectId || "missing"} is not known and sysServices ${system.sysServices} does not tell`,
  };
}

/**
 * Turns what was seen at one address into observations of the host and of the processes that serve or use the network.
 */
export function recognise(seen: AddressSighting, book: FingerprintBook): Recognised | undefined {
  const sighting = seen.system ? { ...seen, system: systemWithoutSecrets(seen.system) } : seen;
  const { system, address, open, readBy = "snmp" } = sighting;
  if (!system && open.length === 0) return undefined;
  const facts: Record<string, string> = { address };
  const keys: IdentityKey[] = [];
  if (system) keys.push(...machineKeys(system));
  if (sighting.hostKey) keys.push(identityKey("hostkey", sighting.hostKey));
  const ssh = open.find((port) => port.banner?.startsWith("SSH-"));
  let kind: Observation["kind"] = {
    is: "host.unknown",
    reason: ssh ? "answers SSH but not SNMP" : "answers on TCP but not SNMP",
    confidence: GUESS,
  };
  let name = address;
  if (system) {
    const verdict = kindOfSystem(system, book);
    kind = { is: verdict.kind, reason: verdict.reason, confidence: verdict.kind === "host.unknown" ? GUESS : SURE };
    if (system.sysName) {
      name = system.sysName.split(".")[0] ?? system.sysName;
      keys.push(identityKey("name", system.sysName.toLowerCase()));
      facts["host name"] = system.sysName;
    }
    Object.assign(facts, factsOfSystem(system));
    // By its other addresses it is the same host, should something else meet it there.
    for (const own of (system.addresses ?? []).slice(0, MOST_ADDRESSES))
      if (own !== address) keys.push(identityKey("addr", own));
  }
  keys.push(identityKey("addr", address));
  if (ssh) facts["ssh port"] = String(ssh.port);
  const host: Observation = {
    keys,
    kind,
    name,
    address,
    depth: system ? depthOf(system, readBy) : 0,
    readBy: system ? readBy : "",
    facts,
    silentPorts: open.filter(isSilentPort).map(({ port }) => port),
    ...(open.length ? { ownFacts: { "open ports": open.map(({ port }) => describePort(port)).join(", ") } } : {}),
    // An agent that shows its system group only has told nothing of what runs.
    ...(system ? { inventory: system, partsListed: tellsParts(system) } : {}),
  };
  return { host, parts: observeParts(sighting, host, book) };
}

const isSilentPort = ({ banner, http, tls, answer }: OpenPort) =>
  [banner, http, tls, answer].every((said) => said === undefined);

/** Hardware addresses by which a host is known; a switch has one for each of its ports. */
const MOST_HARDWARE = 16;

/** What a machine goes by whatever it is called and wherever it is. */
function machineKeys({ uuid, serial, interfaces }: SystemSighting): IdentityKey[] {
  const own = interfaces
    .map((row) => ({ name: row.name, address: row.physAddress.toLowerCase() }))
    .filter(({ name, address }) => isOwnHardware(name, address))
    .map(({ address }) => address);
  return [
    ...(uuid ? [identityKey("machine", uuid)] : []),
    ...(serial && serial.length >= 5 ? [identityKey("serial", serial.toLowerCase())] : []),
    ...[...new Set(own)]
      .sort()
      .slice(0, MOST_HARDWARE)
      .map((address) => identityKey("mac", address)),
  ];
}

const depthOf = (system: SystemSighting, readBy: Reader): Depth =>
  tellsOwners(system) ? (readBy === "snmp" ? 3 : 4) : 2;

function factsOfSystem(system: SystemSighting): Record<string, string> {
  const facts: Record<string, string> = { description: system.sysDescr };
  if (system.sysObjectId) facts["object id"] = system.sysObjectId;
  if (system.model) facts.model = system.model;
  if (system.serial) facts["serial number"] = system.serial;
  if (system.uuid) facts["machine UUID"] = system.uuid;
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
    // What nobody reaches may be what a list names.
    keys: [storedKey(key), ...(host || !guest.name ? [] : [identityKey("name", guest.name.toLowerCase())])],
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
