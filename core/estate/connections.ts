import type { ConnectionRow, ListenerRow, SoftwareRow } from "./sighting";

/** The TCP side of one host in a sweep. */
export interface HostConnections {
  host: string;
  addresses: string[];
  software: SoftwareRow[];
  listeners: ListenerRow[];
  connections: ConnectionRow[];
}

/** One process talking to another, over one listening port. */
export interface Conversation {
  fromHost: string;
  fromProcess: string;
  toHost: string;
  toProcess: string;
  port: number;
  /** Connections open when looked at. */
  connections: number;
  /** "both" when both hosts list it, "caller" or "listener" when only that one does. */
  seenBy: "both" | "caller" | "listener";
}

export interface UnknownPeer {
  host: string;
  process: string;
  remoteAddress: string;
  remotePort: number;
  connections: number;
}

const ends = (from: string, fromPort: number, to: string, toPort: number) => `${from}:${fromPort}>${to}:${toPort}`;

/**
 * Matches the TCP connection tables of several hosts (RFC 4022) end to end. The side whose local port is one of its
 * listeners is the called one. A connection that only one side lists still counts when the other side's listener
 * names the process; what leads to an address nobody answers for is returned as an unknown peer.
 */
export function matchConnections(hosts: readonly HostConnections[]): {
  conversations: Conversation[];
  unknown: UnknownPeer[];
} {
  const hostOfAddress = new Map<string, HostConnections>();
  for (const host of hosts) for (const address of host.addresses) hostOfAddress.set(address, host);
  const tables = new Map(
    hosts.map((host) => [
      host,
      {
        process: new Map(host.software.map((row) => [row.pid, row.name])),
        listener: new Map(host.listeners.map((row) => [row.port, row.pid])),
        byEnds: new Map(
          host.connections.map((row) => [
            ends(row.localAddress, row.localPort, row.remoteAddress, row.remotePort),
            row,
          ]),
        ),
      },
    ]),
  );
  const found = new Map<string, Conversation>();
  const unknown = new Map<string, UnknownPeer>();
  const counted = new Set<string>();
  for (const host of hosts) {
    const own = tables.get(host);
    if (!own) continue;
    for (const row of host.connections) {
      const called = own.listener.has(row.localPort);
      const peer = hostOfAddress.get(row.remoteAddress);
      const process = own.process.get(row.pid) ?? own.process.get(own.listener.get(row.localPort) ?? -1);
      if (!process) continue;
      const other = peer && tables.get(peer);
      const key = called
        ? ends(row.remoteAddress, row.remotePort, row.localAddress, row.localPort)
        : ends(row.localAddress, row.localPort, row.remoteAddress, row.remotePort);
      if (counted.has(key)) continue;
      const mirrored = other?.byEnds.get(ends(row.remoteAddress, row.remotePort, row.localAddress, row.localPort));
      const peerPid = mirrored?.pid ?? (called ? undefined : other?.listener.get(row.remotePort));
      const peerProcess = peerPid === undefined ? undefined : other?.process.get(peerPid);
      if (!peer || !peerProcess) {
        if (called) continue;
        const peerKey = `${host.host}|${process}|${row.remoteAddress}:${row.remotePort}`;
        const seen = unknown.get(peerKey);
        if (seen) seen.connections++;
        else
          unknown.set(peerKey, {
            host: host.host,
            process,
            remoteAddress: row.remoteAddress,
            remotePort: row.remotePort,
            connections: 1,
          });
        continue;
      }
      counted.add(key);
      const port = called ? row.localPort : row.remotePort;
      const [fromHost, fromProcess, toHost, toProcess] = called
        ? [peer.host, peerProcess, host.host, process]
        : [host.host, process, peer.host, peerProcess];
      const seenBy = mirrored ? "both" : called ? "listener" : "caller";
      const talk = `${fromHost}|${fromProcess}|${toHost}|${toProcess}|${port}`;
      const before = found.get(talk);
      if (!before) found.set(talk, { fromHost, fromProcess, toHost, toProcess, port, connections: 1, seenBy });
      else {
        before.connections++;
        if (seenBy === "both") before.seenBy = "both";
      }
    }
  }
  return { conversations: [...found.values()], unknown: [...unknown.values()] };
}
