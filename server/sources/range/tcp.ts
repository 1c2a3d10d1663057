import { connect, type Socket } from "node:net";
import { connect as connectTls, type PeerCertificate, type TLSSocket } from "node:tls";
import type { Question } from "#core/estate/fingerprints";
import type { HttpAnswer, OpenPort, TlsAnswer } from "#core/estate/sighting";

const CONNECT_MS = 800;
const BANNER_MS = 250;
const ANSWER_MS = 900;
const TLS_MS = 900;
const REFUSAL_MS = 600;
const MOST_BYTES = 16_384;
const MOST_PAGE = 2000;
/** Questions put to a port that closes on everything else. */
const MOST_GUESSES = 8;

/** Ports whose assigned service begins with TLS (IANA: https, ldaps, imaps, pop3s, syslog-tls, amqps, …). */
const TLS_PORTS = new Set([443, 465, 563, 636, 853, 989, 990, 992, 993, 995, 4433, 5061, 5671, 6514, 8443, 8883, 9443]);

const printable = (text: string, most = 200) =>
  text
    .replaceAll(/[^\x20-\x7e]+/g, " ")
    .trim()
    .slice(0, most);

/**
 * Tries one TCP port. A port that accepts is listened to for a banner; one that stays silent is asked: what its number
 * suggests, or a TLS handshake, or its page over HTTP/1.0. What speaks TLS is asked for its page through it. Nothing
 * signs in anywhere; at most 16 KiB of an answer are read.
 * @returns undefined when nothing accepts
 */
export async function probePort(
  address: string,
  port: number,
  questions: readonly Question[] = [],
  signal?: AbortSignal,
): Promise<OpenPort | undefined> {
  const place: Place = { address, port, signal };
  const first = await Conversation.open(place, CONNECT_MS);
  if (!first) return undefined;
  const banner = await first.listen(BANNER_MS);
  if (banner) {
    first.end();
    return { port, banner: bannerOf(banner) };
  }
  const own = questions.filter((one) => one.ports.includes(port));
  if (own.length) return { port, ...(await firstAnswer(place, own, first)) };
  if (TLS_PORTS.has(port)) {
    const secure = await overTls(place, first);
    if (secure) return { port, ...secure };
  }
  const text = TLS_PORTS.has(port) ? await askAnew(place) : await first.ask(httpRequest(address), ANSWER_MS);
  first.end();
  const http = text === undefined ? undefined : readHttp(text);
  if (http && !wantsTls(http)) return { port, http: { ...http, ...(await refusalAt(place)) } };
  const secure = TLS_PORTS.has(port) ? undefined : await overTls(place);
  if (secure) return { port, ...secure };
  if (http) return { port, http };
  if (text) return { port, banner: bannerOf(text) };
  // It hung up on a request it did not understand: it waits for something else. What says nothing at all is let be.
  return { port, ...(text === "" ? await firstAnswer(place, questions.slice(0, MOST_GUESSES)) : {}) };
}

/** What is no request: who refuses it is who listens there, not who is behind. */
const NO_REQUEST = Buffer.from("HOLOTAXIS\r\n\r\n", "latin1");

async function refusalAt(place: Place): Promise<Pick<HttpAnswer, "refusal">> {
  const conversation = await Conversation.open(place, CONNECT_MS);
  const text = await conversation?.ask(NO_REQUEST, REFUSAL_MS);
  conversation?.end();
  return text ? { refusal: printable(text, MOST_PAGE) } : {};
}

interface Place {
  address: string;
  port: number;
  signal: AbortSignal | undefined;
}

const httpRequest = (address: string) => {
  const host = address.includes(":") ? `[${address}]` : address;
  return Buffer.from(`GET / HTTP/1.0\r\nHost: ${host}\r\nUser-Agent: holotaxis\r\n\r\n`, "latin1");
};

/** "400 The plain HTTP request was sent to HTTPS port": servers say so in these words or near them. */
const wantsTls = (http: HttpAnswer) => http.status === 400 && /https|tls|ssl/i.test(http.page ?? "");

async function askAnew(place: Place): Promise<string | undefined> {
  const conversation = await Conversation.open(place, CONNECT_MS);
  const text = await conversation?.ask(httpRequest(place.address), ANSWER_MS);
  conversation?.end();
  return text;
}

/** Puts questions one after the other, each on a connection of its own, until one is answered. */
async function firstAnswer(
  place: Place,
  questions: readonly Question[],
  begun?: Conversation,
): Promise<Pick<OpenPort, "answer">> {
  let conversation = begun;
  for (const question of questions) {
    conversation ??= await Conversation.open(place, CONNECT_MS);
    const text = await conversation?.ask(Buffer.from(question.octets), ANSWER_MS);
    conversation?.end();
    conversation = undefined;
    if (text) return { answer: { to: question.id, text: text.slice(0, 400) } };
    if (place.signal?.aborted) break;
  }
  return {};
}

async function overTls(place: Place, begun?: Conversation): Promise<Pick<OpenPort, "tls" | "http"> | undefined> {
  const plain = begun ?? (await Conversation.open(place, CONNECT_MS));
  const tls = await plain?.secure(TLS_MS);
  if (!plain || !tls) {
    plain?.end();
    return undefined;
  }
  const text = await plain.ask(httpRequest(place.address), ANSWER_MS);
  plain.end();
  const http = text === undefined ? undefined : readHttp(text);
  return { tls, ...(http ? { http } : {}) };
}

/** One connection, asked once or twice; whatever happens to it, it ends in time. */
class Conversation {
  private socket: Socket | TLSSocket;
  private received = "";
  private ended = false;
  private notify: () => void = () => undefined;

  private constructor(socket: Socket, signal: AbortSignal | undefined) {
    this.socket = socket;
    this.follow(socket);
    const stop = () => this.end();
    signal?.addEventListener("abort", stop, { once: true });
    socket.on("close", () => signal?.removeEventListener("abort", stop));
  }

  static open({ address, port, signal }: Place, withinMs: number): Promise<Conversation | undefined> {
    if (signal?.aborted) return Promise.resolve(undefined);
    return new Promise((resolve) => {
      const socket = connect({ host: address, port });
      const conversation = new Conversation(socket, signal);
      const timer = setTimeout(() => socket.destroy(), withinMs);
      socket.once("connect", () => {
        clearTimeout(timer);
        resolve(conversation);
      });
      socket.once("close", () => {
        clearTimeout(timer);
        resolve(undefined);
      });
    });
  }

  private follow(socket: Socket | TLSSocket): void {
    socket.on("data", this.take);
    socket.on("end", this.close);
    socket.on("close", this.close);
    socket.on("error", this.close);
  }

  private readonly take = (part: Buffer) => {
    this.received += part.toString("latin1");
    this.notify();
  };
  private readonly close = () => {
    this.ended = true;
    this.notify();
  };

  /** Waits for text that is enough, the other side's end or the end of the time. */
  private wait(withinMs: number, enough: (text: string) => boolean): Promise<string> {
    return new Promise((resolve) => {
      const check = () => {
        if (!this.ended && this.received.length <= MOST_BYTES && !enough(this.received)) return;
        done();
      };
      const done = () => {
        clearTimeout(timer);
        this.notify = () => undefined;
        const text = this.received;
        this.received = "";
        resolve(text);
      };
      const timer = setTimeout(done, withinMs);
      this.notify = check;
      check();
    });
  }

  /** What it says by itself. */
  listen(withinMs: number): Promise<string> {
    return this.wait(withinMs, (text) => text.length > 0);
  }

  /** @returns what it answers; empty when it hung up, undefined when it stayed silent */
  async ask(request: Buffer, withinMs: number): Promise<string | undefined> {
    if (this.ended) return "";
    this.socket.write(request);
    const text = await this.wait(withinMs, (received) =>
      received.startsWith("HTTP/") ? /<\/title>|<\/html>/i.test(received) : received.length > 0,
    );
    return text === "" && !this.ended ? undefined : text;
  }

  /** Goes on in TLS, whoever signed the certificate: it is looked at, not trusted. */
  secure(withinMs: number): Promise<TlsAnswer | undefined> {
    const plain = this.socket;
    if (this.ended) return Promise.resolve(undefined);
    for (const [event, listener] of [
      ["data", this.take],
      ["end", this.close],
    ] as const)
      plain.off(event, listener);
    return new Promise((resolve) => {
      const socket = connectTls({ socket: plain, rejectUnauthorized: false, minVersion: "TLSv1" });
      const timer = setTimeout(() => socket.destroy(), withinMs);
      socket.once("secureConnect", () => {
        clearTimeout(timer);
        this.socket = socket;
        this.follow(socket);
        resolve(certificateOf(socket));
      });
      socket.on("error", () => undefined);
      socket.once("close", () => {
        clearTimeout(timer);
        this.ended = true;
        plain.destroy();
        resolve(undefined);
      });
    });
  }

  end(): void {
    this.ended = true;
    this.socket.destroy();
    this.notify();
  }
}

function certificateOf(socket: TLSSocket): TlsAnswer | undefined {
  const certificate = socket.getPeerCertificate();
  if (!certificate?.valid_to) return undefined;
  return {
    protocol: socket.getProtocol() ?? "",
    subject: nameOf(certificate.subject),
    issuer: nameOf(certificate.issuer),
    names: namesOf(certificate.subjectaltname ?? ""),
    validFromMs: Date.parse(certificate.valid_from),
    validToMs: Date.parse(certificate.valid_to),
    fingerprint: certificate.fingerprint256.replaceAll(":", "").toLowerCase(),
  };
}

const nameOf = (name: PeerCertificate["subject"] | undefined): string => {
  const parts: (string | string[] | undefined)[] = [name?.CN, name?.O];
  return printable(parts.flat().filter(Boolean).join(", ")) || "no name";
};

/** "DNS:a.example, IP Address:192.0.2.1" as a list, at most 20 of them. */
const namesOf = (text: string): string[] =>
  text
    .split(/,\s*/)
    .map((one) => printable(one.replace(/^(DNS|IP Address|URI|email):/, ""), 100))
    .filter(Boolean)
    .slice(0, 20);

/** The first line, or the first octets where it is no text: fingerprints read those. */
function bannerOf(text: string): string {
  const line = text.split(/\r?\n/)[0] ?? "";
  return /^[\t\x20-\x7e]*$/.test(line) ? printable(line) : text.slice(0, 100);
}

function readHttp(text: string): HttpAnswer | undefined {
  const status = /^HTTP\/1\.[01] (\d{3})/.exec(text)?.[1];
  if (!status) return undefined;
  const server = /^server:\s*(.+)$/im.exec(text)?.[1];
  const title = /<title>([^<]{1,120})<\/title>/i.exec(text)?.[1];
  return {
    status: Number(status),
    ...(server ? { server: printable(server) } : {}),
    ...(title ? { title: printable(Buffer.from(title, "latin1").toString("utf8")) } : {}),
    page: printable(text, MOST_PAGE),
  };
}
