import { createSocket, type Socket } from "node:dgram";
import { readFileSync } from "node:fs";

/** Room that is asked of the kernel for datagrams not read yet; it gives at most twice its net.core.rmem_max (socket(7)). */
const WANTED_BYTES = 8 * 1024 * 1024;

/** A UDP socket for an address of either family, with as much room as the kernel gives. */
export function roomySocket(host: string): Socket {
  const socket = createSocket({ type: host.includes(":") ? "udp6" : "udp4", reuseAddr: false });
  socket.once("listening", () => {
    try {
      socket.setRecvBufferSize(WANTED_BYTES);
    } catch {
      // A kernel that gives no more leaves what there is.
    }
  });
  return socket;
}

/**
 * Datagrams that the kernel dropped for want of room, of all sockets on a port: the last column of /proc/net/udp
 * (proc(5)). Undefined where the kernel does not tell.
 */
export function droppedOnPort(table: string, port: number): number | undefined {
  const hex = port.toString(16).toUpperCase().padStart(4, "0");
  const rows = table.split("\n").filter((line) => new RegExp(`^\\s*\\d+: [0-9A-F]+:${hex} `).test(line));
  if (!rows.length) return undefined;
  return rows.reduce((sum, row) => sum + Number(row.trim().split(/\s+/).at(-1)), 0);
}

/** The same, read from the running kernel. */
export function kernelDrops(port: number): number | undefined {
  try {
    const tables = ["/proc/net/udp", "/proc/net/udp6"].map((file) => droppedOnPort(readFileSync(file, "utf8"), port));
    const known = tables.filter((count) => count !== undefined);
    return known.length ? known.reduce((sum, count) => sum + count, 0) : undefined;
  } catch {
    return undefined;
  }
}
