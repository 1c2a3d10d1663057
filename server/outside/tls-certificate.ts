import { isIP } from "node:net";
import { connect } from "node:tls";
import { carefulLookup } from "./fetch-text";
import { isLinkLocal } from "./places";

/**
 * Until when the certificate is valid that a TLS server shows at an address, epoch ms, whoever signed it; undefined
 * where none is shown within a time.
 */
export function certificateEnd(host: string, port: number, withinMs: number): Promise<number | undefined> {
  if (isIP(host) && isLinkLocal(host)) return Promise.resolve(undefined);
  return new Promise((resolve) => {
    const socket = connect({ host, port, lookup: carefulLookup, rejectUnauthorized: false, minVersion: "TLSv1" });
    const end = (endsMs: number | undefined) => {
      clearTimeout(timer);
      socket.destroy();
      resolve(endsMs);
    };
    const timer = setTimeout(() => end(undefined), withinMs);
    socket.once("secureConnect", () => {
      const ends = Date.parse(socket.getPeerCertificate().valid_to ?? "");
      end(Number.isNaN(ends) ? undefined : ends);
    });
    socket.on("error", () => end(undefined));
    socket.once("close", () => end(undefined));
  });
}
