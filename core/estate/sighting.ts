/** What an HTTP request to a port answered. */
export interface HttpAnswer {
  status: number;
  server?: string;
  title?: string;
  /** Head and page as they came, at most 2,000 printable characters. */
  page?: string;
  /** What it answers to a line that is no HTTP: it says so itself, whatever stands behind it. */
  refusal?: string;
}

/** What a TLS handshake told (RFC 8446), whoever signed the certificate. */
export interface TlsAnswer {
  /** "TLSv1.3". */
  protocol: string;
  subject: string;
  issuer: string;
  /** Names and addresses the certificate is for. */
  names: string[];
  validFromMs: number;
  validToMs: number;
  /** SHA-256 of the certificate, hexadecimal. */
  fingerprint: string;
}

export interface OpenPort {
  port: number;
  /** First line that the port sent by itself, at most 200 printable characters. */
  banner?: string;
  http?: HttpAnswer;
  tls?: TlsAnswer;
  /** What it said to a question, and to which. */
  answer?: { to: string; text: string };
}

export interface InterfaceRow {
  index: number;
  name: string;
  /** RFC 2863 ifType, 6 for Ethernet, 24 for the loopback. */
  type: number;
  speedBps: number;
  physAddress: string;
  up: boolean;
}

export interface StorageRow {
  index: number;
  label: string;
  /** RFC 2790 hrStorageTypes as a short word. */
  type: "ram" | "virtual" | "disk" | "other";
  unitBytes: number;
  sizeUnits: number;
  usedUnits: number;
}

export interface SoftwareRow {
  pid: number;
  name: string;
  path: string;
  parameters: string;
  /** Process that started it, its system service and its user, where they are told. */
  parent?: number;
  unit?: string;
  user?: string;
  /** Id of the container that it runs in. */
  container?: string;
  /** Name and version of the package that it comes from. */
  package?: string;
}

export interface ListenerRow {
  /** Empty, 0.0.0.0 or :: for every address of the host. */
  address: string;
  port: number;
  /** 0 where the host does not tell whose it is. */
  pid: number;
}

export interface ConnectionRow {
  localAddress: string;
  localPort: number;
  remoteAddress: string;
  remotePort: number;
  pid: number;
}

export interface NeighbourRow {
  localPort: number;
  systemName: string;
  portId: string;
}

/** Who is at an address on its wires, as a system remembers (RFC 4293 ipNetToPhysicalTable, RFC 1213 ipNetToMediaTable). */
export interface MetRow {
  address: string;
  physAddress: string;
}

/** Behind which of its ports a bridge met a hardware address (RFC 4363 dot1qTpFdbTable, RFC 4188 dot1dTpFdbTable). */
export interface BridgeRow {
  physAddress: string;
  /** ifIndex. */
  port: number;
}

/** What a device is made of (RFC 6933 entPhysicalTable). */
export interface EntityRow {
  sort: string;
  description: string;
  serial: string;
  model: string;
}

/** RFC 7666 VirtualMachineOperState, in order from 1. */
export const GUEST_STATES = [
  "unknown",
  "other",
  "preparing",
  "running",
  "suspending",
  "suspended",
  "resuming",
  "paused",
  "migrating",
  "shutting down",
  "shut down",
  "crashed",
] as const;
export type GuestState = (typeof GUEST_STATES)[number];

/** A virtual machine as its hypervisor tells of it (RFC 7666 vmTable). */
export interface GuestRow {
  /** vmIndex. */
  index: number;
  name: string;
  /** RFC 4122 text, small letters; empty where the hypervisor gives none. */
  uuid: string;
  system: string;
  state: GuestState;
  processors: number;
  memoryBytes: number;
  /** Hardware addresses of its network interfaces. */
  physAddresses: string[];
}

/** What SNMP told of one system. */
export interface SystemSighting {
  sysDescr: string;
  sysObjectId: string;
  sysName: string;
  sysLocation: string;
  sysContact: string;
  /** RFC 3418 sysServices: bit n−1 stands for layer n. */
  sysServices: number;
  processors: number;
  interfaces: InterfaceRow[];
  storage: StorageRow[];
  software: SoftwareRow[];
  listeners: ListenerRow[];
  connections: ConnectionRow[];
  neighbours: NeighbourRow[];
  met?: MetRow[];
  bridge?: BridgeRow[];
  entities?: EntityRow[];
  /** Addresses of its interfaces, those of the loopback left out. */
  addresses?: string[];
  packages?: { name: string; version: string }[];
  /** What runs by itself: cron's tables and timers. */
  jobs?: { when: string; what: string }[];
  /** Of the machine (SMBIOS); clones of a virtual machine may share it. */
  uuid?: string;
  serial?: string;
  model?: string;
  /** Set for a hypervisor: its software and version (RFC 7666 vmHypervisor). */
  hypervisor?: { software: string; version: string };
  guests?: GuestRow[];
}

export interface SightingFailure {
  what: "tcp" | "snmp" | "http" | "ssh";
  reason: string;
}

/** Drivers that read a system, as `readBy` names them. */
export type Reader = "snmp" | "ssh" | "agent";

/** What one source saw at one address in one sweep. */
export interface AddressSighting {
  address: string;
  open: OpenPort[];
  system?: SystemSighting;
  /** What read the system; SNMP where it is left out. */
  readBy?: Reader;
  /** Fingerprint of its SSH host key, where somebody signed in. */
  hostKey?: string;
  failures: SightingFailure[];
}
