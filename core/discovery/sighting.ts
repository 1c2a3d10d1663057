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
}

export interface SightingFailure {
  what: "tcp" | "snmp" | "http" | "ssh";
  reason: string;
}

/** What one source saw at one address in one sweep. */
export interface AddressSighting {
  address: string;
  atMs: number;
  open: OpenPort[];
  system?: SystemSighting;
  failures: SightingFailure[];
}
