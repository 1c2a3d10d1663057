import { lookup as resolve } from "node:dns";
import { request as requestHttp, type Agent, type IncomingHttpHeaders } from "node:http";
import { request as requestHttps } from "node:https";
import { isIP, type LookupFunction } from "node:net";
import type { Access } from "../vault/kinds";
import { isLinkLocal } from "./places";
import { secureContextOf } from "./trust";

/** A call to the outside that did not end in time, or sent more than it may; the message is a sentence for people. */
export class OutsideFailure extends Error {
  override name = "OutsideFailure";
}

export interface TextAnswer {
  status: number;
  text: string;
  headers: IncomingHttpHeaders;
}

export interface FetchLimits {
  /** For the whole call, the reading of the body included. */
  timeoutMs: number;
  mostBytes: number;
}

export interface Call {
  method?: string;
  headers?: Readonly<Record<string, string>>;
  body?: string;
  /** What it is signed in with; whoever calls has made sure that it may be used there. */
  access?: Pick<Access, "kind" | "fields"> | undefined;
  /** Certificates (PEM) of a private authority that is trusted besides the known ones, for this call. */
  authority?: string | undefined;
  /** Connections that are kept for further calls; they trust what they were made with. */
  agent?: Agent | undefined;
  /** Ends the call early. */
  signal?: AbortSignal | undefined;
}

const REFUSED = "Link-local addresses are never asked: a machine's own credentials may be kept there.";

/** Looks a name up and hands on only addresses that may be asked, so that what was checked is what is connected to. */
export const carefulLookup: LookupFunction = (host, options, done) => {
  resolve(host, { ...options, all: true }, (error, found) => {
    if (error) return done(error, "", 4);
    if (found.some(({ address }) => isLinkLocal(address))) return done(new OutsideFailure(REFUSED), "", 4);
    if (options.all) return (done as unknown as (error: null, all: readonly object[]) => void)(null, found);
    const [first] = found;
    done(null, first?.address ?? "", first?.family ?? 4);
  });
};

/** Headers and certificates by which a credential signs a call in. */
function signedWith(access: Call["access"]): { headers: Record<string, string>; cert?: string; key?: string } {
  const { fields = {} } = access ?? {};
  switch (access?.kind) {
    case "basic": {
      const pair = Buffer.from(`${fields.user ?? ""}:${fields.password ?? ""}`, "utf8").toString("base64");
      return { headers: { authorization: `Basic ${pair}` } };
    }
    case "bearer":
      return { headers: { authorization: `Bearer ${fields.token ?? ""}` } };
    case "client-certificate":
      return { headers: {}, cert: fields.certificate ?? "", key: fields.privateKey ?? "" };
    default:
      return { headers: {} };
  }
}

/**
 * Fetches text with an end of its own: a timer over the whole call, and bytes that are counted. Redirects are not followed.
 * Throws an OutsideFailure with the true reason, for people.
 */
export function fetchText(url: string, limits: FetchLimits, call: Call = {}): Promise<TextAnswer> {
  return new Promise((done, fail) => {
    const target = new URL(url);
    const host = target.hostname.replace(/^\[|\]$/g, "");
    if (isIP(host) && isLinkLocal(host)) return fail(new OutsideFailure(REFUSED));
    const isSecure = target.protocol === "https:";
    const { headers, ...certificates } = signedWith(call.access);
    const own = isSecure && !call.agent && (call.authority || certificates.cert !== undefined);
    const end = (error: Error) => {
      clearTimeout(timer);
      fail(error);
      asked.destroy();
    };
    let asked: ReturnType<typeof requestHttp>;
    const timer = setTimeout(
      () => end(new OutsideFailure(`No answer within ${limits.timeoutMs / 1000} seconds.`)),
      limits.timeoutMs,
    );
    try {
      asked = (isSecure ? requestHttps : requestHttp)(target, {
        method: call.method ?? "GET",
        headers: { "accept-encoding": "identity", ...call.headers, ...headers },
        lookup: carefulLookup,
        ...(call.agent ? { agent: call.agent } : {}),
        ...(call.signal ? { signal: call.signal } : {}),
        ...(own ? { agent: false, secureContext: secureContextOf(call.authority, certificates) } : {}),
      });
    } catch (error) {
      clearTimeout(timer);
      return fail(new OutsideFailure(reasonOf(error, target)));
    }
    asked.on("error", (error) =>
      end(error instanceof OutsideFailure ? error : new OutsideFailure(reasonOf(error, target))),
    );
    asked.on("response", (response) => {
      const parts: Buffer[] = [];
      let size = 0;
      response.on("data", (part: Buffer) => {
        size += part.length;
        if (size > limits.mostBytes) end(new OutsideFailure(`It sends more than ${sizeText(limits.mostBytes)}.`));
        else parts.push(part);
      });
      response.on("error", (error) => end(new OutsideFailure(reasonOf(error, target))));
      response.on("end", () => {
        clearTimeout(timer);
        done({
          status: response.statusCode ?? 0,
          text: Buffer.concat(parts).toString("utf8"),
          headers: response.headers,
        });
      });
    });
    asked.end(call.body);
  });
}

const sizeText = (bytes: number) => (bytes >= 2 ** 20 ? `${bytes / 2 ** 20} MiB` : `${Math.round(bytes / 1024)} KiB`);

/** What an error of a connection means, by its code in Node.js and OpenSSL. */
const REASONS: Readonly<Record<string, string>> = {
  ECONNREFUSED: "Nothing answers there.",
  EHOSTUNREACH: "Nothing answers there: the host cannot be reached.",
  ENETUNREACH: "Nothing answers there: the network cannot be reached.",
  ETIMEDOUT: "Nothing answers there.",
  ENOTFOUND: "There is no host of this name.",
  EAI_AGAIN: "The name cannot be looked up at present.",
  ECONNRESET: "The other side closed the connection.",
  EPROTO: "It does not speak TLS there, or no version of it that is safe.",
  DEPTH_ZERO_SELF_SIGNED_CERT: "The certificate is signed by itself, by no authority that is trusted.",
  SELF_SIGNED_CERT_IN_CHAIN: "The certificate is signed by an authority that is not trusted.",
  UNABLE_TO_VERIFY_LEAF_SIGNATURE: "The certificate is signed by an authority that is not trusted.",
  UNABLE_TO_GET_ISSUER_CERT: "The certificate is signed by an authority that is not trusted.",
  UNABLE_TO_GET_ISSUER_CERT_LOCALLY: "The certificate is signed by an authority that is not trusted.",
  CERT_HAS_EXPIRED: "The certificate has expired.",
  CERT_NOT_YET_VALID: "The certificate is not valid yet.",
  ERR_SSL_WRONG_VERSION_NUMBER: "It does not speak TLS there.",
  ERR_SSL_TLSV13_ALERT_CERTIFICATE_REQUIRED: "It asks for a client certificate.",
  ERR_SSL_SSLV3_ALERT_HANDSHAKE_FAILURE: "It asks for a client certificate, or shares no cipher.",
};

function reasonOf(error: unknown, { hostname }: URL): string {
  const { code = "", message = String(error) } = error as { code?: string; message?: string };
  if (code === "ERR_TLS_CERT_ALTNAME_INVALID") return `The certificate is for another name than ${hostname}.`;
  if (code.startsWith("ERR_OSSL")) return "The certificate or key that it is called with cannot be read.";
  return REASONS[code] ?? message;
}
