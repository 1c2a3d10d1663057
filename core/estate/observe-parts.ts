import { productToken, textsOfPort, textsOfRows, type FingerprintBook, type Identified } from "./fingerprints";
import { identityKey, type IdentityKey, type Observation } from "./observation";
import { listenerText, partsOfTables, type Part } from "./parts";
import { kindOfPort, portName } from "./ports";
import type { Program } from "./programs";
import type { AddressSighting, ListenerRow, OpenPort, SoftwareRow, SystemSighting } from "./sighting";

/** How sure a kind is that follows from what the system tells, from what a port says, and from the port's number. */
const LIKELY = 0.8;
const SAID = 0.6;
const GUESS = 0.4;
/** What a program is of which nothing more is known. */
const ANY_PROCESS = "app.process";

/** Whether an agent lets its listeners or processes be read: then absence from them means gone. */
export const tellsParts = (system: Pick<SystemSighting, "software" | "listeners">): boolean =>
  system.listeners.length > 0 || system.software.length > 0;

/** Whether an agent tells whose most of its listeners are. */
export function tellsOwners(system: Pick<SystemSighting, "software" | "listeners">): boolean {
  const known = new Set(system.software.map((row) => row.pid));
  const owned = system.listeners.filter((one) => known.has(one.pid)).length;
  return owned > 0 && owned * 2 >= system.listeners.length;
}

/** Programs and listeners of a host; ports that answered and that its tables do not list count as listeners. */
export function observeParts(
  { system, open, address }: AddressSighting,
  host: Observation,
  book: FingerprintBook,
): Observation[] {
  const told = system && tellsParts(system) ? partsOfTables(system) : undefined;
  const at: Place = { host, book, address };
  const ofPort = (port: number) => open.find((one) => one.port === port) ?? { port };
  const listed = (told?.parts ?? []).flatMap((part) => {
    const ports = [...new Set(part.listeners.map((one) => one.port))].sort((a, b) => a - b).map(ofPort);
    if (part.housekeeping || ports.some(isSsh)) return [];
    return part.program ? programAt(part, part.program, ports, at) : listenerAt(part, ports, true, at);
  });
  const others = open
    .filter((port) => !isSsh(port) && told?.ofListener(address, port.port) === undefined)
    .map((port) => {
      const listeners = [{ address: "", port: port.port, pid: 0 }];
      return listenerAt({ label: `port ${port.port}`, listeners }, [port], false, at);
    });
  return [...listed, ...others];
}

/** Where a part was seen. */
interface Place {
  host: Observation;
  book: FingerprintBook;
  /** The address that was looked at. */
  address: string;
}

const isSsh = (port: OpenPort) => port.banner?.startsWith("SSH-") === true;

/** A listener whose process is not known: what it says decides what it is. */
function listenerAt(
  part: Pick<Part, "label" | "listeners">,
  ports: readonly OpenPort[],
  listed: boolean,
  { host, book, address }: Place,
): Observation {
  const port = ports[0] as OpenPort;
  const product = identifyPart(book, [], ports);
  const token = product ? undefined : productToken(port.http?.server ?? "");
  const verdict = kindOfListener(ports);
  const label = product?.product ?? token?.product ?? portName(port.port) ?? part.label;
  const unknown = listed
    ? "the host lists it but does not tell whose it is"
    : host.depth >= 2
      ? "the host does not list it, so the process behind the port is not known"
      : "no agent answers, so the process behind the port is not known";
  return {
    keys: listenKeys(host, part.listeners, address),
    kind: {
      is: product?.kind ?? (verdict.kind === ANY_PROCESS ? "app.endpoint" : verdict.kind),
      reason: `${product?.reason ?? verdict.reason}; ${unknown}`,
      confidence: product ? SAID : GUESS,
    },
    ...(ports.some(saysSomething) ? {} : { isSilent: true }),
    name: `${label} @ ${host.name}`,
    nameElse: `${label}:${port.port} @ ${host.name}`,
    host: { key: hostKeyOf(host) },
    port: port.port,
    label,
    depth: listed ? 1 : 0,
    readBy: listed ? host.readBy : "",
    facts: { ...factsOfPorts(ports), ...factsOfProduct(product ?? token) },
  };
}

/** A program that serves or uses the network. */
function programAt(part: Part, program: Program, ports: readonly OpenPort[], at: Place): Observation {
  const { host, book, address } = at;
  const product = identifyPart(book, part.rows, ports);
  const verdict = kindOfListener(ports);
  const how = part.listeners.length
    ? "named by the listeners and processes that the host tells of (RFC 4022, RFC 2790)"
    : "has outgoing TCP connections (RFC 4022)";
  const token = product
    ? undefined
    : ports.map((one) => productToken(one.http?.server ?? "")).find((one) => one !== undefined);
  const isSilent = ports.length > 0 && !ports.some(saysSomething);
  const inContainer = part.rows.map((row) => row.container).find(Boolean);
  return {
    keys: [...keysOf(host, "process", part.label), ...listenKeys(host, part.listeners, address)],
    kind: {
      is: product?.kind ?? verdict.kind,
      reason: `${product?.kind ? product.reason : verdict.reason}; ${how}`,
      confidence: isSilent && !product?.kind && verdict.kind === ANY_PROCESS ? GUESS : LIKELY,
    },
    ...(isSilent ? { isSilent } : {}),
    name: `${part.label} @ ${host.name}`,
    host: { key: hostKeyOf(host) },
    process: part.label,
    label: part.label,
    ...(inContainer ? { inContainer } : {}),
    ...(ports[0] === undefined ? {} : { port: ports[0].port }),
    depth: host.depth,
    readBy: host.readBy,
    facts: { ...factsOfRows(part, program), ...factsOfPorts(ports), ...factsOfProduct(product ?? token) },
  };
}

/** Whether a port said anything: by itself, in a handshake, or when it was asked. */
const saysSomething = ({ banner, http, tls, answer }: OpenPort): boolean =>
  banner !== undefined || http !== undefined || tls !== undefined || answer !== undefined;

// --- keys

/** The address, which no two hosts of one look share. */
const hostKeyOf = (host: Observation) => (host.keys.at(-1) as IdentityKey).value;

/** Keys of a part, by its host's name and by the address that was looked at. */
const keysOf = (host: Observation, kind: "process" | "listen", text: string) =>
  host.keys
    .filter((key, index) => key.value.startsWith("name:") || index === host.keys.length - 1)
    .map((key) => identityKey(kind, `${key.value}:${text}`));

/** By which ports a part is known: with their address, unless that is every one, or the one that was looked at. */
function listenKeys(host: Observation, listeners: readonly ListenerRow[], address: string): IdentityKey[] {
  const texts = listeners.map((one) => (one.address === address ? String(one.port) : listenerText(one)));
  return [...new Set(texts)].flatMap((text) => keysOf(host, "listen", text));
}

// --- what it is

const HTTP_KIND_HINTS: readonly (readonly [RegExp, string])[] = [[/time.?series/i, "db.series"]];

/** What a listener is by the port it is on and by its page; a page alone is a web front. */
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
  return { kind: ANY_PROCESS, reason: "listens or connects, with no assigned port" };
}

/** What a part is: what runs there before what its ports say, for behind a proxy another program may have answered. */
function identifyPart(
  book: FingerprintBook,
  rows: readonly SoftwareRow[],
  ports: readonly OpenPort[],
): Identified | undefined {
  const own = rows.length ? book.identify(textsOfRows(rows)) : undefined;
  const said = ports.flatMap((port) => book.identify(textsOfPort(port), port.answer?.to) ?? []);
  if (!own) return said.find((one) => rows.length === 0 || one.on !== "server");
  const same = said.find((one) => one.product === own.product && one.version !== undefined);
  return { ...own, version: own.version ?? same?.version };
}

// --- facts

/** "5432 postgresql". */
export function describePort(port: number): string {
  const name = portName(port);
  return name ? `${port} ${name}` : String(port);
}

function factsOfRows(part: Part, program: Program): Record<string, string> {
  const first = part.rows[0] as SoftwareRow;
  const facts: Record<string, string> = { process: first.name };
  if (program.interpreter) facts.interpreter = program.interpreter;
  if (program.runs) facts.runs = program.runs;
  if (first.path) facts.path = first.path;
  if (first.parameters) facts.parameters = first.parameters;
  if (first.unit) facts.unit = first.unit;
  if (first.user) facts.user = first.user;
  return facts;
}

function factsOfPorts(ports: readonly OpenPort[]): Record<string, string> {
  const facts: Record<string, string> = {};
  if (ports.length) facts.ports = ports.map(({ port }) => describePort(port)).join(", ");
  const server = ports.map((one) => one.http?.server).find(Boolean);
  const title = ports.map((one) => one.http?.title).find(Boolean);
  const tls = ports.find((one) => one.tls)?.tls;
  const banner = ports.map((one) => one.banner).find(Boolean);
  if (banner)
    facts.banner = banner
      .replaceAll(/[^\x20-\x7e]+/g, " ")
      .trim()
      .slice(0, 120);
  if (server) facts["answers as"] = server;
  if (title) facts.page = title;
  if (tls) {
    facts["certificate for"] = tls.names.join(", ") || tls.subject;
    facts["certificate issuer"] = tls.issuer;
    facts["certificate expires"] = new Date(tls.validToMs).toISOString().slice(0, 10);
    facts["TLS protocol"] = tls.protocol;
    facts["TLS ports"] = ports.flatMap((one) => (one.tls ? [one.port] : [])).join(", ");
  }
  return facts;
}

/** The product with its version: recognised, else as the program calls itself. */
const factsOfProduct = (named: { product: string; version: string | undefined } | undefined): Record<string, string> =>
  named ? { product: named.product, ...(named.version ? { version: named.version } : {}) } : {};
