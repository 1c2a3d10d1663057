/** A TCP socket of a network name space, as /proc/net/tcp and tcp6 tell of it (proc(5)). */
export interface Socket {
  localAddress: string;
  localPort: number;
  remoteAddress: string;
  remotePort: number;
  listens: boolean;
  inode: number;
}

const ESTABLISHED = "01";
const LISTEN = "0A";

/** Listeners and open connections; what begins, ends or waits is left out. */
export function readTcp(text: string): Socket[] {
  const found: Socket[] = [];
  for (const line of text.split("\n").slice(1)) {
    const fields = line.trim().split(/\s+/);
    const state = fields[3];
    if (state !== ESTABLISHED && state !== LISTEN) continue;
    const local = readEnd(fields[1] ?? "");
    const remote = readEnd(fields[2] ?? "");
    const inode = Number(fields[9]);
    if (!local || !remote || !(inode > 0)) continue;
    found.push({
      localAddress: local.address,
      localPort: local.port,
      remoteAddress: remote.address,
      remotePort: remote.port,
      listens: state === LISTEN,
      inode,
    });
  }
  return found;
}

/** "0100007F:0016" is 127.0.0.1, port 22: words of 32 bits in the order of the machine, which is little-endian. */
function readEnd(text: string): { address: string; port: number } | undefined {
  const [hex = "", port = ""] = text.split(":");
  if (!/^([0-9A-F]{8}|[0-9A-F]{32})$/.test(hex) || !/^[0-9A-F]{4}$/.test(port)) return undefined;
  const bytes = (hex.match(/.{8}/g) ?? []).flatMap((word) =>
    (word.match(/../g) ?? []).reverse().map((byte) => Number.parseInt(byte, 16)),
  );
  return { address: bytes.length === 4 ? bytes.join(".") : addressOfSix(bytes), port: Number.parseInt(port, 16) };
}

function addressOfSix(bytes: number[]): string {
  const mapped = bytes.slice(0, 10).every((byte) => byte === 0) && bytes[10] === 255 && bytes[11] === 255;
  if (mapped) return bytes.slice(12).join(".");
  const groups = Array.from({ length: 8 }, (_, index) =>
    (((bytes[index * 2] as number) << 8) | (bytes[index * 2 + 1] as number)).toString(16),
  );
  // The server writes addresses in their shortest form; here the whole one does.
  return groups.join(":");
}
