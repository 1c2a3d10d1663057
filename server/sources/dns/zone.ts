import { decode, encode, type Answer, type Packet } from "dns-packet";
import { connect } from "node:net";
import { canonicalAddress } from "#core/estate/addresses";

/** What a name server says of a zone: names of addresses. */
export interface ZoneNames {
  /** Names of each address, sorted. */
  names: Map<string, string[]>;
  records: number;
}

export class ZoneFailure extends Error {}

const MOST_BYTES = 64 * 1024 * 1024;
const MOST_RECORDS = 200_000;
/** A name that stands for more addresses names none of them, nor do its aliases. */
const MOST_BALANCED = 32;
const SILENCE_MS = 15_000;
const CODES: Readonly<Record<string, string>> = {
  REFUSED: "refuses the transfer: allow this machine to transfer the zone there",
  NOTAUTH: "is not a server of this zone: give the address of one that is",
  NOTZONE: "is not a server of this zone: give the address of one that is",
  NXDOMAIN: "does not know this zone: check its name",
  SERVFAIL: "could not answer",
};

/** The zone in which the names of addresses of a block stand: "20.127.in-addr.arpa". */
const isReverse = (name: string) => /\.(in-addr|ip6)\.arpa$/.test(name);

/** "5.20.0.127.in-addr.arpa" is 127.0.20.5 (RFC 1035, 3.5), 32 nibbles before ip6.arpa an IPv6 address (RFC 3596, 2.5). */
export function addressOfReverse(name: string): string | undefined {
  const four = /^(\d+)\.(\d+)\.(\d+)\.(\d+)\.in-addr\.arpa$/.exec(name);
  if (four) return canonicalAddress([four[4], four[3], four[2], four[1]].join("."));
  const six = /^((?:[0-9a-f]\.){32})ip6\.arpa$/.exec(name);
  const nibbles = six?.[1]?.split(".").reverse().join("");
  return nibbles && canonicalAddress((nibbles.match(/.{4}/g) ?? []).join(":"));
}

/**
 * Transfers a zone (AXFR, RFC 5936) and reads which names stand for which addresses. Bytes and records are counted; the
 * transfer ends with the second SOA record, with silence, or with the signal.
 * @throws ZoneFailure with a sentence
 */
export function transferZone(
  server: { address: string; port: number },
  zone: string,
  signal: AbortSignal,
): Promise<ZoneNames> {
  const of = `${server.address}:${server.port}`;
  return new Promise((resolve, reject) => {
    const kept = new Names();
    let records = 0;
    let bytes = 0;
    let waiting: Buffer = Buffer.alloc(0);
    const socket = connect(server.port, server.address);
    const end = (error?: Error) => {
      signal.removeEventListener("abort", stop);
      socket.destroy();
      if (error) return reject(error);
      resolve({ names: kept.byAddress(), records });
    };
    const stop = () => end(new ZoneFailure("stopped"));
    const failed = (why: string) => end(new ZoneFailure(`The name server ${of} ${why}.`));
    signal.addEventListener("abort", stop, { once: true });
    if (signal.aborted) return stop();
    socket.setTimeout(SILENCE_MS, () => failed("fell silent"));
    socket.on("error", (error: NodeJS.ErrnoException) =>
      failed(
        error.code === "ECONNREFUSED" ? "does not take connections by TCP" : `could not be reached: ${error.message}`,
      ),
    );
    socket.on("close", () => failed("closed the connection before the zone was whole"));
    socket.on("connect", () => {
      const packet = encode({
        type: "query",
        id: 1 + Math.floor(Math.random() * 65_534),
        flags: 0,
        questions: [{ type: "AXFR", name: zone }],
      });
      const length = Buffer.alloc(2);
      length.writeUInt16BE(packet.length);
      socket.write(Buffer.concat([length, packet]));
    });
    socket.on("data", (part: Buffer) => {
      bytes += part.length;
      if (bytes > MOST_BYTES) return failed(`sends more than ${MOST_BYTES / 2 ** 20} MiB`);
      waiting = Buffer.concat([waiting, part]);
      while (waiting.length >= 2 && waiting.length >= 2 + waiting.readUInt16BE()) {
        const length = waiting.readUInt16BE();
        let packet: Packet & { rcode?: string };
        try {
          packet = decode(waiting.subarray(2, 2 + length)) as Packet & { rcode?: string };
        } catch {
          return failed("sends what cannot be read");
        }
        waiting = waiting.subarray(2 + length);
        const code = packet.rcode ?? "NOERROR";
        if (code !== "NOERROR") return failed(CODES[code] ?? `answers ${code}`);
        for (const answer of packet.answers ?? []) {
          if (++records > MOST_RECORDS)
            return failed(`sends more than ${MOST_RECORDS.toLocaleString("en-GB")} records`);
          kept.take(answer);
        }
        if (records === 0)
          return failed("answers without the zone: is it a server of it, and may this machine transfer it?");
        if (kept.soas >= 2) return end();
      }
    });
  });
}

/** Which names stand for which addresses, as the records of a zone say. */
class Names {
  soas = 0;
  private readonly names = new Map<string, Set<string>>();
  private readonly aliases: [string, string][] = [];
  private readonly forward = new Map<string, Set<string>>();

  take(answer: Answer): void {
    const name = answer.name.toLowerCase();
    if (answer.type === "SOA") this.soas++;
    else if (answer.type === "A" || answer.type === "AAAA") {
      const address = canonicalAddress(answer.data);
      if (address === undefined || name.startsWith("*.")) return;
      add(this.names, address, name);
      add(this.forward, name, address);
    } else if (answer.type === "CNAME") this.aliases.push([name, answer.data.toLowerCase()]);
    else if (answer.type === "PTR" && isReverse(name)) {
      const address = addressOfReverse(name);
      if (address !== undefined) add(this.names, address, answer.data.toLowerCase());
    }
  }

  /** Names by address, aliases with those that they stand for. */
  byAddress(): Map<string, string[]> {
    for (const [alias, target] of this.aliases) {
      const addresses = this.forward.get(target);
      if (addresses && addresses.size <= MOST_BALANCED)
        for (const address of addresses) add(this.names, address, alias);
    }
    return new Map([...this.names].map(([address, set]) => [address, [...set].sort()]));
  }
}

function add(map: Map<string, Set<string>>, key: string, value: string): void {
  const set = map.get(key);
  if (set) set.add(value);
  else map.set(key, new Set([value]));
}
