/** What an HTTP request to a port answered. */
export interface HttpAnswer {
  status: number;
  server?: string;
  title?: string;
}

export interface OpenPort {
  port: number;
  /** First line that the port sent by itself, at most 200 printable characters. */
  banner?: string;
  http?: HttpAnswer;
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
}

export interface ListenerRow {
  address: string;
  port: number;
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
  /** Set for a hypervisor: its software and version (RFC 7666 vmHypervisor). */
  hypervisor?: { software: string; version: string };
  guests?: GuestRow[];
}

export interface SightingFailure {
  what: "tcp" | "snmp" | "http" | "ssh";
  reason: string;
}

/** What one source saw at one address in one sweep. */
export interface AddressSighting {
  address: string;
  open: OpenPort[];
  system?: SystemSighting;
  failures: SightingFailure[];
}
