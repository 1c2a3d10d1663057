import snmp from "net-snmp";
import { asNotification, readNotification, type Binding } from "#core/telemetry/notifications";
import { keptText } from "#core/telemetry/text";
import type { IngestChannel } from "./channel";

/** Notifications that may wait to be handed over; further ones are dropped and counted. */
const MOST_WAITING = 20_000;
const HAND_OVER_MS = 100;
const MOST_BINDINGS = 64;
const MOST_VALUE = 1000;

/** A user of SNMPv3 that may send notifications (RFC 3414). */
export interface TrapUser {
  user: string;
  authentication: string;
  authenticationKey: string;
  privacy: string;
  privacyKey: string;
}

interface Varbind {
  oid: string;
  type: number;
  value: unknown;
}
interface Pdu {
  type: number;
  enterprise?: string;
  agentAddr?: string;
  generic?: number;
  specific?: number;
  varbinds: Varbind[];
}
interface Received {
  pdu: Pdu;
  rinfo: { address: string };
}
interface Receiver {
  listener: { sockets: Record<string, NodeJS.EventEmitter & { address(): { port: number } }> };
  getAuthorizer(): {
    communities: { filter: () => string[] };
    addUser(user: object): void;
    deleteUser(name: string): void;
  };
  close(): void;
}
const { createReceiver, AuthProtocols, PrivProtocols, SecurityLevel } = snmp as unknown as {
  createReceiver(options: object, take: (error: Error | null, received?: Received) => void): Receiver;
  AuthProtocols: Record<string, number>;
  PrivProtocols: Record<string, number>;
  SecurityLevel: Record<string, number>;
};

/** A value as people read it: text where it is text, else octets in hexadecimal. */
function textOf(value: unknown): string {
  if (!Buffer.isBuffer(value)) return keptText(String(value ?? ""), MOST_VALUE);
  const text = value.toString("utf8").replaceAll("\0", "");
  return /^[\t\n\r\x20-\x7e\u00a0-\uffff]*$/.test(text)
    ? keptText(text, MOST_VALUE)
    : value.toString("hex").slice(0, MOST_VALUE);
}

/**
 * Receives notifications of SNMP v1, v2c and v3, with or without acknowledgement (RFC 3416 §4.2.6, §4.2.7). Communities
 * are not looked at, as with syslog: the sender's address says whose it is. Users of v3 must be known.
 */
export class TrapReceiver {
  private receiver: Receiver | undefined;
  private waiting: { bindings: Binding[]; peer: string; atMs: number }[] = [];
  private timer: ReturnType<typeof setInterval> | undefined;
  private users: readonly TrapUser[] = [];
  private handingOver = false;

  constructor(
    private readonly channel: IngestChannel,
    private readonly now: () => number,
  ) {}

  /** @throws the error of the socket when the port cannot be had */
  async listen(host: string, port: number): Promise<number> {
    const transport = host.includes(":") ? "udp6" : "udp4";
    let failed: (error: Error) => void = () => undefined;
    this.receiver = createReceiver(
      { sockets: [{ transport, address: host, port: port || undefined }], disableAuthorization: false },
      (error, received) => {
        if (received) this.take(received);
        else if (error && "code" in error && "syscall" in error) failed(error);
        else this.channel.figures.trapsOdd++;
      },
    );
    // Any community will do; leaving authorization out altogether would leave out the digests of v3 too.
    this.receiver.getAuthorizer().communities = { filter: () => ["any"] };
    const [socket] = Object.values(this.receiver.listener.sockets);
    await new Promise<void>((resolve, reject) => {
      failed = reject;
      socket?.once("listening", () => resolve());
    });
    failed = (error) => this.channel.onFault(error);
    this.allow(this.users);
    this.timer = setInterval(() => void this.handOver(), HAND_OVER_MS);
    return socket?.address().port ?? port;
  }

  /** Whose notifications of SNMPv3 are taken. */
  allow(users: readonly TrapUser[]): void {
    const authorizer = this.receiver?.getAuthorizer();
    for (const { user } of this.users) authorizer?.deleteUser(user);
    this.users = users;
    for (const one of authorizer ? users : []) {
      const authProtocol = AuthProtocols[one.authentication];
      const privProtocol = authProtocol === undefined ? undefined : PrivProtocols[one.privacy];
      authorizer?.addUser({
        name: one.user,
        level:
          privProtocol !== undefined
            ? SecurityLevel.authPriv
            : authProtocol !== undefined
              ? SecurityLevel.authNoPriv
              : SecurityLevel.noAuthNoPriv,
        ...(authProtocol === undefined ? {} : { authProtocol, authKey: one.authenticationKey }),
        ...(privProtocol === undefined ? {} : { privProtocol, privKey: one.privacyKey }),
      });
    }
  }

  private take({ pdu, rinfo }: Received): void {
    if (this.waiting.length >= MOST_WAITING) {
      this.channel.figures.dropped++;
      return;
    }
    const bindings = pdu.varbinds
      .slice(0, MOST_BINDINGS)
      .map(({ oid, value }): Binding => ({ oid: String(oid), value: textOf(value) }));
    const isOld = pdu.generic !== undefined && pdu.enterprise !== undefined;
    this.waiting.push({
      bindings: isOld
        ? asNotification(
            {
              enterprise: String(pdu.enterprise),
              generic: Number(pdu.generic),
              specific: Number(pdu.specific ?? 0),
              agentAddress: String(pdu.agentAddr ?? ""),
            },
            bindings,
          )
        : bindings,
      peer: rinfo.address.replace(/^::ffff:/, ""),
      atMs: this.now(),
    });
  }

  private async handOver(): Promise<void> {
    if (this.handingOver || !this.waiting.length || !this.channel.free) return;
    this.handingOver = true;
    const list = this.waiting.splice(0, 2000);
    try {
      for (const one of list) this.sort(one);
      const { problem } = await this.channel.deliver();
      if (problem) this.waiting = [...list, ...this.waiting].slice(0, MOST_WAITING);
      else this.channel.figures.traps += list.length;
    } finally {
      this.handingOver = false;
    }
  }

  private sort({ bindings, peer, atMs }: (typeof this.waiting)[number]): void {
    const read = readNotification(bindings);
    if (!read) {
      this.channel.figures.trapsOdd++;
      return;
    }
    this.channel.builder.log(this.channel.builder.resource([["source.address", peer]]), {
      atMs,
      severity: read.severity,
      body: read.text,
      attributes: [["event.name", `snmp.${read.name}`], ["snmp.notification", read.oid], ...read.attributes],
      traceId: "",
      spanId: "",
    });
  }

  async close(): Promise<void> {
    clearInterval(this.timer);
    this.receiver?.close();
    await this.handOver();
  }
}
