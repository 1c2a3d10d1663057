import { listenerText, partsOfTables, type HostParts, type HostTables, type Part } from "./parts";

/** The TCP side of one host. */
export interface HostConnections {
  host: string;
  /** The one it is reached by first. */
  addresses: readonly string[];
  /** Undefined for a host whose tables nobody could read. */
  tables: HostTables | undefined;
}

/** One end of a conversation: a part of a host, or the host alone where it does not tell whose the connection is. */
export interface End {
  host: string;
  part: string | null;
  /** Text of a listener (as in its key) whose process is not known. */
  listener?: string;
}

/** One end talking to another, over one listening port. */
export interface Conversation {
  from: End;
  to: End;
  port: number;
  /** Connections open when looked at. */
  connections: number;
  /** "both" when both hosts list it, "caller" or "listener" when only that one does. */
  seenBy: "both" | "caller" | "listener";
}

export interface UnknownPeer {
  host: string;
  part: string | null;
  remoteAddress: string;
  remotePort: number;
  connections: number;
  /** Hosts that all say the address is theirs; none where nobody does. */
  claimedBy: readonly string[];
}

const isLoopback = (address: string) => address === "::1" || address.startsWith("127.");

interface Side {
  host: HostConnections;
  parts: HostParts | undefined;
  byEnds: ReadonlyMap<string, HostTables["connections"][number]>;
  /** Whether it tells whose its connections are. */
  tellsOwners: boolean;
}

function endOf(host: string, part: Part | undefined, port: number | undefined): End {
  const listener = part ? (part.program ? undefined : part.listeners[0] && listenerText(part.listeners[0])) : port;
  return { host, part: part?.label ?? null, ...(listener === undefined ? {} : { listener: String(listener) }) };
}

const NO_ROWS: HostTables["connections"] = [];
const ends = (local: string, localPort: number, remote: string, remotePort: number) =>
  `${local}:${localPort}>${remote}:${remotePort}`;

/**
 * Matches the TCP connection tables of hosts (RFC 4022) end to end. The side whose local end is one of its listeners is
 * the called one. A connection that only one side lists still counts when the other side's listener is known; where a
 * host does not tell whose a connection is, the host itself is the end. What leads to an address nobody answers for is
 * returned as an unknown peer.
 * @param of hosts whose rows are matched; all where it is left out
 */
export function matchConnections(
  hosts: readonly HostConnections[],
  of: ReadonlySet<string> | undefined = undefined,
): { conversations: Conversation[]; unknown: UnknownPeer[] } {
  const match = new Match(hosts);
  for (const host of hosts) if (!of || of.has(host.host)) match.take(host);
  return match.result();
}

class Match {
  private readonly ofAddress = new Map<string, HostConnections[]>();
  private readonly sides = new Map<HostConnections, Side>();
  private readonly counted = new Set<string>();
  private readonly found = new Map<string, Conversation>();
  private readonly unknown = new Map<string, UnknownPeer>();

  constructor(hosts: readonly HostConnections[]) {
    for (const host of hosts)
      for (const address of new Set(host.addresses)) {
        const list = this.ofAddress.get(address);
        if (list) list.push(host);
        else this.ofAddress.set(address, [host]);
      }
  }

  private side(host: HostConnections): Side {
    let side = this.sides.get(host);
    if (!side) {
      const connections = host.tables?.connections ?? NO_ROWS;
      const parts = host.tables && partsOfTables(host.tables);
      side = {
        host,
        parts,
        byEnds: new Map(
          connections.map((row) => [ends(row.localAddress, row.localPort, row.remoteAddress, row.remotePort), row]),
        ),
        tellsOwners: [...connections, ...(host.tables?.listeners ?? [])].some((row) => parts?.ofPid.has(row.pid)),
      };
      this.sides.set(host, side);
    }
    return side;
  }

  /** Whose the far end is, as a host sees it: its own over the loopback, its own copy of an address that several have. */
  private hostOf(row: HostTables["connections"][number], from: HostConnections, own: Side): HostConnections[] {
    const address = row.remoteAddress;
    const claims = this.ofAddress.get(address) ?? [];
    if (claims.length === 0 && isLoopback(address))
      return own.byEnds.has(ends(address, row.remotePort, row.localAddress, row.localPort)) ||
        own.parts?.ofListener(address, row.remotePort)
        ? [from]
        : [];
    if (claims.length < 2) return claims;
    if (claims.includes(from)) return [from];
    const first = claims.filter((host) => host.addresses[0] === address);
    return first.length === 1 ? first : claims;
  }

  take(host: HostConnections): void {
    const own = this.side(host);
    for (const row of host.tables?.connections ?? NO_ROWS) {
      const listener = own.parts?.ofListener(row.localAddress, row.localPort);
      const part = own.parts?.ofPid.get(row.pid) ?? listener;
      if (part?.housekeeping) continue;
      const called = listener !== undefined;
      const claims = this.hostOf(row, host, own);
      if (claims.length !== 1) {
        if (!called) this.noteUnknown(host, part, row, claims);
        continue;
      }
      this.between(own, row, part, called, this.side(claims[0] as HostConnections));
    }
  }

  private between(
    own: Side,
    row: HostTables["connections"][number],
    part: Part | undefined,
    called: boolean,
    peer: Side,
  ): void {
    const there = ends(row.remoteAddress, row.remotePort, row.localAddress, row.localPort);
    const here = ends(row.localAddress, row.localPort, row.remoteAddress, row.remotePort);
    const key = called ? `${peer.host.host}>${own.host.host} ${there}` : `${own.host.host}>${peer.host.host} ${here}`;
    if (this.counted.has(key)) return;
    const mirrored = peer.byEnds.get(there);
    const peerPart =
      (mirrored && peer.parts?.ofPid.get(mirrored.pid)) ??
      (called ? undefined : peer.parts?.ofListener(row.remoteAddress, row.remotePort));
    if (peerPart?.housekeeping) return;
    // A caller that lists its owners but not this connection has closed it meanwhile.
    if (called && !peerPart && peer.tellsOwners) return;
    const port = called ? row.localPort : row.remotePort;
    const mine = endOf(own.host.host, part, called ? port : undefined);
    const other = endOf(peer.host.host, peerPart, called ? undefined : port);
    const [from, to] = called ? [other, mine] : [mine, other];
    // What a host says to itself tells something only where both ends are known.
    if (from.host === to.host && (from.part === to.part || from.part === null || to.part === null)) return;
    this.counted.add(key);
    this.note(from, to, port, mirrored ? "both" : called ? "listener" : "caller");
  }

  private note(from: End, to: End, port: number, seenBy: Conversation["seenBy"]): void {
    const key = JSON.stringify([from.host, from.part, to.host, to.part, port]);
    const before = this.found.get(key);
    if (!before) this.found.set(key, { from, to, port, connections: 1, seenBy });
    else {
      before.connections++;
      if (seenBy === "both") before.seenBy = "both";
    }
  }

  private noteUnknown(
    host: HostConnections,
    part: Part | undefined,
    row: HostTables["connections"][number],
    claims: readonly HostConnections[],
  ): void {
    const key = JSON.stringify([host.host, part?.label, row.remoteAddress, row.remotePort]);
    const before = this.unknown.get(key);
    if (before) before.connections++;
    else
      this.unknown.set(key, {
        host: host.host,
        part: part?.label ?? null,
        remoteAddress: row.remoteAddress,
        remotePort: row.remotePort,
        connections: 1,
        claimedBy: claims.map((one) => one.host),
      });
  }

  result(): { conversations: Conversation[]; unknown: UnknownPeer[] } {
    const all = [...this.found.values()];
    const exact = new Set(
      all.filter((one) => one.from.part !== null).map((one) => JSON.stringify([one.from.host, one.to, one.port])),
    );
    return {
      // Where one connection of a host to a listener has an owner, the others without one are taken to be its.
      conversations: all.filter(
        (one) => one.from.part !== null || !exact.has(JSON.stringify([one.from.host, one.to, one.port])),
      ),
      unknown: [...this.unknown.values()],
    };
  }
}
