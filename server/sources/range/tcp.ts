import { connect } from "node:net";
import type { HttpAnswer, OpenPort } from "#core/estate/sighting";

const CONNECT_MS = 800;
const BANNER_MS = 250;
const HTTP_MS = 900;
const MOST_BYTES = 16_384;

const printable = (text: string) =>
  text
    .replaceAll(/[^\x20-\x7e]+/g, " ")
    .trim()
    .slice(0, 200);

/**
 * Tries one TCP port. A port that accepts is listened to for a banner; one that stays silent is asked for its page over
 * HTTP/1.0 on the same connection. At most 16 KiB are read.
 * @returns undefined when nothing accepts
 */
export function probePort(address: string, port: number, signal?: AbortSignal): Promise<OpenPort | undefined> {
  return new Promise((resolve) => {
    const socket = connect({ host: address, port });
    let received = "";
    let accepted = false;
    let asked = false;
    let timer = setTimeout(() => finish(), CONNECT_MS);
    const finish = () => {
      clearTimeout(timer);
      socket.destroy();
      if (!accepted) return resolve(undefined);
      if (!asked)
        return resolve({ port, ...(received ? { banner: printable(received.split(/\r?\n/)[0] ?? "") } : {}) });
      const http = readHttp(received);
      resolve({ port, ...(http ? { http } : received ? { banner: printable(received.split(/\r?\n/)[0] ?? "") } : {}) });
    };
    signal?.addEventListener("abort", finish, { once: true });
    socket.on("close", () => signal?.removeEventListener("abort", finish));
    socket.on("connect", () => {
      accepted = true;
      clearTimeout(timer);
      timer = setTimeout(() => {
        asked = true;
        socket.write(`GET / HTTP/1.0\r\nHost: ${address}\r\nUser-Agent: holotaxis\r\n\r\n`);
        timer = setTimeout(finish, HTTP_MS);
      }, BANNER_MS);
    });
    socket.on("data", (part) => {
      received += part.toString("latin1");
      if (!asked || received.length > MOST_BYTES) finish();
      else if (received.startsWith("HTTP/") && /<\/title>/i.test(received)) finish();
    });
    socket.on("end", finish);
    socket.on("error", finish);
  });
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
  };
}
