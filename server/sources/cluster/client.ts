import { Agent as HttpAgent, request as requestHttp, type IncomingMessage } from "node:http";
import { Agent as HttpsAgent, request as requestHttps } from "node:https";
import { destinationsCover } from "#core/estate/destinations";
import { carefulLookup, fetchText, OutsideFailure } from "../../outside/fetch-text";
import { secureContextOf } from "../../outside/trust";
import type { Access } from "../../vault/kinds";
import { PlatformFailure } from "../platform/failure";

const CALL_MS = 30_000;
const MOST_BYTES = 32 * 1024 * 1024;
/** An object is far smaller than this; a line without an end is given up. */
const MOST_LINE = 2 * 1024 * 1024;
const PAGE = 500;
const MOST_PAGES = 400;
/** A watch ends by itself after so long and is begun anew; one that says nothing for longer has died unheard. */
const WATCH_SECONDS = 240;
const SILENCE_MS = (WATCH_SECONDS + 60) * 1000;

export interface ClusterPlace {
  address: string;
  authority: string;
  access: readonly Access[];
}

/** One page of a list, or what came over a watch. */
type Json = Record<string, unknown>;

/** The version that a list or a watch had reached is too old to go on from. */
export class TooOld extends Error {
  override name = "TooOld";
}

/** Asks a cluster's interface: lists in pages, and watches from where a list ended. */
export class ClusterClient {
  private readonly agent: HttpAgent;
  private readonly headers: Record<string, string>;
  private readonly certificates: { cert?: string; key?: string };
  private readonly isSecure: boolean;
  failures = 0;

  constructor(
    private readonly place: ClusterPlace,
    private readonly signal: AbortSignal,
  ) {
    const { hostname, protocol } = new URL(place.address);
    this.isSecure = protocol === "https:";
    const own = place.access.find((one) => one.kind === "bearer" || one.kind === "client-certificate");
    if (!own)
      throw new PlatformFailure(
        "It signs in with the token of a service account (HTTP bearer token) or a client certificate. Add such a credential to the source.",
      );
    if (!destinationsCover(own.destinations, hostname.replace(/^\[|\]$/g, "")))
      throw new PlatformFailure(`${own.name} is not for ${hostname}. Add it to its destinations first.`);
    this.headers = {
      accept: "application/json",
      ...(own.kind === "bearer" ? { authorization: `Bearer ${own.fields.token ?? ""}` } : {}),
    };
    this.certificates =
      own.kind === "client-certificate" ? { cert: own.fields.certificate ?? "", key: own.fields.privateKey ?? "" } : {};
    try {
      this.agent = this.isSecure
        ? new HttpsAgent({ keepAlive: true, secureContext: secureContextOf(place.authority, this.certificates) })
        : new HttpAgent({ keepAlive: true });
    } catch (error) {
      throw new PlatformFailure(
        `The certificate and key of ${own.name} cannot be used (${error instanceof Error ? error.message : String(error)}). Put them in anew, both as PEM.`,
      );
    }
  }

  close(): void {
    this.agent.destroy();
  }

  /** Text at a path. Throws a PlatformFailure. */
  async text(path: string, change?: { method: string; body: string; type: string }): Promise<string> {
    try {
      const { status, text } = await fetchText(
        `${this.place.address}${path}`,
        { timeoutMs: CALL_MS, mostBytes: MOST_BYTES },
        {
          headers: { ...this.headers, ...(change ? { "content-type": change.type } : {}) },
          agent: this.agent,
          signal: this.signal,
          ...(change ? { method: change.method, body: change.body } : {}),
        },
      );
      if (status === 410) throw new TooOld();
      if (status < 200 || status >= 300) throw refusalOf(status, text);
      return text;
    } catch (error) {
      this.failures++;
      if (error instanceof OutsideFailure) throw new PlatformFailure(error.message);
      throw error;
    }
  }

  /** Changes what is at a path by a merge patch (RFC 7396). @returns how it is then */
  merge(path: string, change: Json): Promise<Json> {
    return this.json(path, { method: "PATCH", body: JSON.stringify(change), type: "application/merge-patch+json" });
  }

  async json(path: string, change?: Parameters<ClusterClient["text"]>[1]): Promise<Json> {
    const text = await this.text(path, change);
    try {
      const json: unknown = JSON.parse(text);
      if (json !== null && typeof json === "object" && !Array.isArray(json)) return json as Json;
    } catch {
      // Said below.
    }
    throw new PlatformFailure(`The answer at ${path.split("?")[0]} is no object of JSON.`);
  }

  /** A whole list, in pages of one version. @param take called with the items of each page, so that no page need be kept */
  async list(path: string, take: (items: unknown[]) => void): Promise<string> {
    let next = "";
    for (let page = 0; page < MOST_PAGES; page++) {
      const query = new URLSearchParams({ limit: String(PAGE), ...(next ? { continue: next } : {}) });
      const answer = await this.json(`${path}?${query.toString()}`);
      const meta = (answer.metadata ?? {}) as Json;
      if (!Array.isArray(answer.items)) throw new PlatformFailure(`The answer at ${path} is no list.`);
      take(answer.items as unknown[]);
      next = typeof meta.continue === "string" ? meta.continue : "";
      if (next === "") return String(meta.resourceVersion ?? "");
    }
    throw new PlatformFailure(`The list at ${path} does not end.`);
  }

  /**
   * What changes from a version on, line by line, until the watch ends. Throws TooOld where the version is too old, and a
   * PlatformFailure where it breaks.
   */
  async *watch(path: string, version: string, signal: AbortSignal): AsyncGenerator<{ type: string; object: Json }> {
    const query = new URLSearchParams({
      watch: "1",
      allowWatchBookmarks: "true",
      resourceVersion: version,
      timeoutSeconds: String(WATCH_SECONDS),
    });
    const response = await this.open(`${path}?${query.toString()}`, signal);
    let rest = "";
    try {
      for await (const part of response as AsyncIterable<Buffer>) {
        rest += part.toString("utf8");
        let end: number;
        while ((end = rest.indexOf("\n")) >= 0) {
          const line = rest.slice(0, end).trim();
          rest = rest.slice(end + 1);
          if (line !== "") yield eventOf(line);
        }
        if (rest.length > MOST_LINE) throw new PlatformFailure(`A watch of ${path} sends a line that does not end.`);
      }
    } catch (error) {
      if (error instanceof PlatformFailure || error instanceof TooOld) throw error;
      throw new PlatformFailure(`The watch of ${path} broke off.`);
    } finally {
      response.destroy();
    }
  }

  private open(path: string, signal: AbortSignal): Promise<IncomingMessage> {
    return new Promise((done, fail) => {
      const asked = (this.isSecure ? requestHttps : requestHttp)(new URL(`${this.place.address}${path}`), {
        headers: this.headers,
        agent: this.agent,
        lookup: carefulLookup,
        signal,
        timeout: SILENCE_MS,
      });
      asked.on("timeout", () => asked.destroy());
      asked.on("error", () => fail(new PlatformFailure("The watch could not be begun: nothing answers.")));
      asked.on("response", (response) => {
        const { statusCode = 0 } = response;
        if (statusCode === 200) return done(response);
        response.destroy();
        fail(statusCode === 410 ? new TooOld() : refusalOf(statusCode, ""));
      });
      asked.end();
    });
  }
}

function eventOf(line: string): { type: string; object: Json } {
  let event: unknown;
  try {
    event = JSON.parse(line);
  } catch {
    throw new PlatformFailure("A watch sends what is no JSON.");
  }
  const { type, object } = (event ?? {}) as { type?: unknown; object?: unknown };
  const body = (object !== null && typeof object === "object" ? object : {}) as Json;
  if (type === "ERROR") {
    if (body.code === 410) throw new TooOld();
    throw new PlatformFailure(`The watch was ended: ${String(body.message ?? "no reason given").slice(0, 200)}`);
  }
  return { type: String(type), object: body };
}

function refusalOf(status: number, text: string): PlatformFailure {
  let words = text;
  try {
    words = String((JSON.parse(text) as Json).message ?? text);
  } catch {
    // It is not JSON; then its own text is told.
  }
  const meaning =
    status === 401
      ? "It does not know the credential"
      : status === 403
        ? "The credential may not do this"
        : status >= 500
          ? "It failed by itself"
          : "It refused";
  return new PlatformFailure(`${meaning} (${status})${words ? `: “${words.trim().slice(0, 200)}”` : ""}.`, status);
}
