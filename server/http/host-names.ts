import { isIP } from "node:net";

/** Names under which this machine is reached from itself. */
const LOOPBACK = ["127.0.0.1", "localhost", "[::1]"];

/** Whether an address is this machine's own, which nobody else can reach. */
export const isLoopback = (address: string) => /^(127\.|::1$|localhost$)/.test(address);
const isEvery = (address: string) => address === "0.0.0.0" || address === "::";
/** An address as it stands before a port (RFC 3986 §3.2.2). */
export const written = (address: string) => (isIP(address) === 6 ? `[${address}]` : address);

/**
 * The names that requests may come under. A page of another site can point its own name at this address (DNS rebinding), so
 * what a request calls us is compared, and where a browser says that it comes from.
 */
export class HostNames {
  private readonly names: ReadonlySet<string>;

  /**
   * @param address that is listened on
   * @param publicNames names by which people open the pages, with a port where theirs is another than the one listened on,
   *   for instance behind a proxy
   */
  constructor(address: string, port: number, publicNames: readonly string[]) {
    const own = isLoopback(address) ? LOOPBACK : isEvery(address) ? [] : [written(address)];
    const all = [
      ...own.map((name) => `${name}:${port}`),
      ...publicNames.flatMap((name) => (/:\d+$/.test(name) ? [name] : [name, `${name}:${port}`])),
    ];
    this.names = new Set(all.map((name) => name.toLowerCase()));
  }

  /** Whether nobody could open the pages under any name. */
  get isEmpty(): boolean {
    return this.names.size === 0;
  }

  /** Whether a Host header (RFC 9110 §7.2) is one of ours. */
  isOurs(host: string | undefined): boolean {
    return host !== undefined && this.names.has(host.toLowerCase());
  }

  /** Whether an Origin header (RFC 6454 §7) is one of our own pages; programs send none. */
  isOwnOrigin(origin: string | undefined): boolean {
    if (origin === undefined) return true;
    const place = /^https?:\/\/([^/]+)$/i.exec(origin)?.[1];
    return this.isOurs(place);
  }
}

/**
 * Whether a receiver may be called so: by an address, which no foreign name stands for, by a name of this machine, or by one
 * that was given. Senders are programs; a name that only a web page would bring is refused.
 */
export function isReceiverName(host: string | undefined, machine: string, publicNames: readonly string[]): boolean {
  if (host === undefined) return false;
  const name = host.replace(/:\d+$/, "").toLowerCase();
  if (isIP(name.replace(/^\[|\]$/g, ""))) return true;
  // Whole names only: anybody can have a domain that begins like ours.
  const known = ["localhost", machine, ...publicNames.map((one) => one.replace(/:\d+$/, ""))];
  return known.some((one) => name === one.toLowerCase());
}
