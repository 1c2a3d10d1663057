import type { Socket as UdpSocket } from "node:dgram";
import { createServer, type Server } from "node:net";
import { SenderZone } from "#core/telemetry/sender-zone";
import { readSyslog, severityOfSyslog, SyslogFraming, type SyslogMessage } from "#core/telemetry/syslog";
import type { IngestChannel } from "./channel";
import type { Attribute } from "./otlp-types";
import { kernelDrops, roomySocket } from "./udp-buffer";

/** Messages that may wait to be handed over; by UDP further ones are dropped and counted, by TCP their sender waits. */
const MOST_WAITING = 50_000;
const HAND_OVER_MS = 100;
/** Datagrams within that time from which on it is a burst. */
const BURST = 300;
const LOOK_MS = 2_000;
/** Times with a zone are believed so far from the receiver's. */
const BELIEVED_MS = 3_600_000;
const MOST_ZONES = 20_000;

interface Waiting {
  bytes: Uint8Array;
  peer: string;
  /** When it came, by the clock. */
  atMs: number;
}

/** Receives syslog by UDP (RFC 5426) and TCP (RFC 6587) on one port. */
export class SyslogReceiver {
  private udp: UdpSocket | undefined;
  private readonly tcp: Server;
  private waiting: Waiting[] = [];
  private timer: ReturnType<typeof setInterval> | undefined;
  private look: ReturnType<typeof setInterval> | undefined;
  private readonly paused = new Set<{ resume: () => unknown }>();

  constructor(
    private readonly channel: IngestChannel,
    private readonly now: () => number,
  ) {
    this.tcp = createServer((socket) => {
      const peer = socket.remoteAddress?.replace(/^::ffff:/, "") ?? "";
      const framing = new SyslogFraming();
      socket.setTimeout(600_000, () => socket.destroy());
      socket.on("error", () => socket.destroy());
      socket.on("data", (bytes) => {
        for (const message of framing.take(bytes)) this.take(message, peer, false);
        if (this.waiting.length < MOST_WAITING) return;
        socket.pause();
        this.paused.add(socket);
      });
      socket.on("close", () => {
        for (const message of framing.end()) this.take(message, peer, false);
        this.paused.delete(socket);
      });
    });
    this.tcp.maxConnections = 500;
  }

  /** @throws the error of the socket when the port cannot be had */
  async listen(host: string, port: number): Promise<void> {
    const udp = roomySocket(host);
    this.udp = udp;
    udp.on("message", (bytes, { address }) => this.take(bytes, address.replace(/^::ffff:/, ""), true));
    await new Promise<void>((resolve, reject) => {
      udp.once("error", reject);
      udp.bind(port, host, () => resolve());
    });
    await new Promise<void>((resolve, reject) => {
      this.tcp.once("error", reject);
      this.tcp.listen(port, host, () => resolve());
    });
    udp.on("error", (error) => this.channel.onFault(error));
    this.timer = setInterval(() => void this.handOver(), HAND_OVER_MS);
    this.look = setInterval(() => {
      this.channel.figures.kernelDropped = kernelDrops(port) ?? this.channel.figures.kernelDropped;
    }, LOOK_MS);
  }

  private take(bytes: Uint8Array, peer: string, droppable: boolean): void {
    if (droppable && this.waiting.length >= MOST_WAITING) {
      this.channel.figures.dropped++;
      return;
    }
    if (droppable) this.lately++;
    this.waiting.push({
      bytes,
      peer,
      atMs: this.now(),
    });
  }

  private handingOver = false;
  private lately = 0;

  /**
   * Reads on while a burst lasts and there is room for it: what is not read soon is lost in the kernel, what waits here
   * is not.
   */
  private get isBurst(): boolean {
    const came = this.lately;
    this.lately = 0;
    return came >= BURST && this.waiting.length < MOST_WAITING / 2;
  }

  private async handOver(): Promise<void> {
    if (this.isBurst || this.handingOver || !this.waiting.length || !this.channel.free) return;
    this.handingOver = true;
    const list = this.waiting.splice(0, 5000);
    try {
      for (const one of list) this.sort(one);
      const { problem } = await this.channel.deliver();
      // The disk is full, say: what came by UDP cannot be asked for again, so it is kept for another try.
      if (problem) this.waiting = [...list, ...this.waiting].slice(0, MOST_WAITING);
      else {
        this.channel.figures.syslog += list.length;
        for (const socket of this.paused) socket.resume();
        this.paused.clear();
      }
    } finally {
      this.handingOver = false;
    }
  }

  private sort({ bytes, peer, atMs }: Waiting): void {
    const text = Buffer.from(bytes)
      .toString("utf8")
      .replace(/[\r\n\0]+$/, "");
    const read = readSyslog(text, atMs);
    if (read.form === "none") this.channel.figures.syslogOdd++;
    const resource: Record<string, string> = {
      "source.address": peer,
      ...(read.host ? { "host.name": read.host } : {}),
      ...(read.app ? { "app.name": read.app } : {}),
    };
    const attributes: Attribute[] = [
      ["syslog.form", read.form === "none" ? "obeys no standard" : read.form],
      ...(read.facility === null ? [] : [["syslog.facility", read.facility] as Attribute]),
      ...(read.process ? [["process.pid", read.process] as Attribute] : []),
      ...(read.messageId ? [["syslog.message id", read.messageId] as Attribute] : []),
      ...read.data.map(([name, value]): Attribute => [name, value]),
    ];
    // A device whose clock is far off is told of under the time at which it was heard.
    const stated = this.writtenAt(read, peer, atMs) ?? atMs;
    if (stated !== read.atMs && read.atMs !== null)
      attributes.push(["time as sent", new Date(read.atMs).toISOString()]);
    const named = Object.entries(resource);
    // Who makes names up is told apart by its address only.
    const isKept = this.channel.builder.bounds.whyNotSender(peer, named) === undefined;
    this.channel.builder.log(this.channel.builder.resource(isKept ? named : [["source.address", peer]]), {
      atMs: stated,
      severity: severityOfSyslog(read.severity),
      body: read.text,
      attributes,
      traceId: "",
      spanId: "",
    });
  }

  private readonly zones = new Map<string, SenderZone>();

  /** When a message was written; undefined where it says no time, or one that cannot be right. */
  private writtenAt({ atMs, isZoned, host }: SyslogMessage, peer: string, heardMs: number): number | undefined {
    if (atMs === null) return undefined;
    if (isZoned) return Math.abs(atMs - heardMs) < BELIEVED_MS ? atMs : undefined;
    const sender = `${peer} ${host}`;
    let zone = this.zones.get(sender);
    if (!zone) {
      if (this.zones.size >= MOST_ZONES) this.zones.clear();
      this.zones.set(sender, (zone = new SenderZone()));
    }
    return zone.writtenAt(atMs, heardMs);
  }

  async close(): Promise<void> {
    clearInterval(this.timer);
    clearInterval(this.look);
    this.udp?.close();
    this.tcp.close();
    this.lately = 0;
    while (this.waiting.length && this.channel.free) await this.handOver();
  }
}
