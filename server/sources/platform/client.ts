import { Agent as HttpAgent } from "node:http";
import { Agent as HttpsAgent } from "node:https";
import { setTimeout as wait } from "node:timers/promises";
import { z } from "zod";
import type { Mapping } from "#core/platforms/mapping";
import { destinationsCover } from "#core/estate/destinations";
import { fetchText, OutsideFailure, type TextAnswer } from "../../outside/fetch-text";
import { Limiter } from "../../outside/limit";
import { secureContextOf } from "../../outside/trust";
import type { Access } from "../../vault/kinds";
import { PlatformFailure } from "./failure";
import { accessFor, signatureHeaders } from "./sign-in";

export interface Asked {
  method: "GET" | "POST";
  /** Path with its query, from the root of the interface. */
  path: string;
  body?: string | undefined;
}

export interface Answered {
  json: unknown;
  /** Address of the next page by RFC 8288, as a path. */
  nextPath: string | undefined;
}

export interface ClientOptions {
  /** Root of the interface: paths of the mapping go behind it. */
  address: string;
  authority: string;
  mapping: Mapping;
  access: readonly Access[];
  signal: AbortSignal;
}

const CALL_MS = 20_000;
const MOST_BYTES = 8 * 1024 * 1024;
/** A call is made so often where it fails for a while, and waits between so long, longer each time. */
const ATTEMPTS = 4;
const FIRST_WAIT_MS = 400;
const LONGEST_WAIT_MS = 20_000;
/** Renewed so long before it ends. */
const TOKEN_MARGIN_MS = 30_000;
const MOST_TOKEN = 8192;

const tokenSchema = z.object({
  access_token: z.string().min(1).max(MOST_TOKEN),
  expires_in: z.coerce.number().min(1).max(31_536_000).default(300),
});

/** What looks at one interface have in common: its limits, connections, and the token at hand. */
class Shared {
  readonly limiter: Limiter;
  readonly agent: HttpAgent;
  readonly base: URL;
  readonly access: Access | undefined;
  /** When the next call may begin, by the rate; and nothing before, because the other side said so. */
  nextMs = 0;
  notBeforeMs = 0;
  token: { text: string; untilMs: number } | undefined;
  renewing: Promise<string> | undefined;

  constructor({ address, authority, mapping, access }: ClientOptions) {
    this.base = new URL(address);
    this.limiter = new Limiter(mapping.limits.atOnce);
    this.access = accessFor(mapping.signIn, access);
    if (this.access && !destinationsCover(this.access.destinations, this.base.hostname.replace(/^\[|\]$/g, "")))
      throw new PlatformFailure(
        `${this.access.name} is not for ${this.base.hostname}. Add it to its destinations first.`,
      );
    this.agent =
      this.base.protocol === "https:"
        ? new HttpsAgent({ keepAlive: true, secureContext: secureContextOf(authority) })
        : new HttpAgent({ keepAlive: true });
  }
}

/** As much of a client as reading lists takes. */
export interface InterfaceClient {
  ask(asked: Asked): Promise<Answered>;
  /** An address in an answer as a path of the interface, seen from the path that was asked. */
  pathOf(target: string, asked: string): string | Promise<string>;
  readonly failures: number;
}

/** Asks a REST interface: signs in, keeps to its limits, waits where it says so, and ends whatever happens. */
export class RestClient {
  failures = 0;

  constructor(
    private readonly options: ClientOptions,
    private readonly shared = new Shared(options),
  ) {}

  /** For another look beside others: with an end of its own, while token, connections and limits are shared. */
  under(signal: AbortSignal): RestClient {
    return new RestClient({ ...this.options, signal }, this.shared);
  }

  close(): void {
    this.shared.agent.destroy();
  }

  /** One answer as JSON. Throws a PlatformFailure. */
  async ask(asked: Asked): Promise<Answered> {
    const answer = await this.shared.limiter.through(() => this.withPatience(asked));
    return { json: jsonOf(answer), nextPath: this.nextOf(answer) };
  }

  private async withPatience(asked: Asked): Promise<TextAnswer> {
    let failure = new PlatformFailure("It was not asked.");
    let renewed = false;
    for (let attempt = 0; attempt < ATTEMPTS; attempt++) {
      if (attempt > 0) await this.pause(Math.max(this.shared.notBeforeMs - performance.now(), waitBefore(attempt)));
      await this.inTurn();
      try {
        const answer = await this.once(asked);
        const { status } = answer;
        if (status >= 200 && status < 300) return answer;
        failure = refusalOf(answer);
        this.failures++;
        // A token that died early is asked for anew, once.
        if (status === 401 && this.shared.token && !renewed) {
          this.shared.token = undefined;
          renewed = true;
          attempt--;
          continue;
        }
        if (status !== 429 && status < 500) throw failure;
        this.shared.notBeforeMs =
          performance.now() + Math.min(LONGEST_WAIT_MS, retryAfterMs(answer) ?? waitBefore(attempt + 1));
      } catch (error) {
        if (error instanceof PlatformFailure) throw error;
        if (this.options.signal.aborted) throw new PlatformFailure("It was stopped.");
        if (!(error instanceof OutsideFailure)) throw error;
        this.failures++;
        failure = new PlatformFailure(error.message);
      }
    }
    throw failure;
  }

  private async once({ method, path, body }: Asked): Promise<TextAnswer> {
    const url = this.urlOf(path);
    const { signIn } = this.options.mapping;
    const fields = this.shared.access?.fields ?? {};
    const headers: Record<string, string> = { accept: "application/json" };
    if (body !== undefined) headers["content-type"] = "application/json";
    if (signIn.scheme === "key") headers[signIn.header.toLowerCase()] = `${signIn.prefix}${fields.token ?? ""}`;
    if (signIn.scheme === "oauth2") headers.authorization = `Bearer ${await this.tokenNow()}`;
    if (signIn.scheme === "signed")
      Object.assign(
        headers,
        signatureHeaders(signIn, fields, {
          method,
          path: url.pathname,
          query: url.search.replace(/^\?/, ""),
          body: body ?? "",
          atMs: Date.now(),
        }),
      );
    return this.fetch(url, method, headers, body, signIn.scheme === "basic" ? this.shared.access : undefined);
  }

  private fetch(
    url: URL,
    method: string,
    headers: Record<string, string>,
    body: string | undefined,
    access: Access | undefined,
  ): Promise<TextAnswer> {
    return fetchText(
      url.href,
      { timeoutMs: CALL_MS, mostBytes: MOST_BYTES },
      {
        method,
        headers,
        ...(body === undefined ? {} : { body }),
        access,
        agent: this.shared.agent,
        signal: this.options.signal,
      },
    );
  }

  /** Secrets go to the interface's own host only, wherever an answer points. */
  private urlOf(path: string): URL {
    const root = this.shared.base.pathname.replace(/\/$/, "");
    const url = new URL(`${this.shared.base.origin}${path.startsWith(`${root}/`) && root ? path : `${root}${path}`}`);
    if (url.origin !== this.shared.base.origin)
      throw new PlatformFailure("An answer points to another host; it is not followed.");
    return url;
  }

  /** The token at hand, or a new one; of several that need it one asks. */
  private async tokenNow(): Promise<string> {
    if (this.shared.token && this.shared.token.untilMs > performance.now()) return this.shared.token.text;
    this.shared.renewing ??= this.newToken().finally(() => (this.shared.renewing = undefined));
    return this.shared.renewing;
  }

  private async newToken(): Promise<string> {
    const { signIn } = this.options.mapping;
    if (signIn.scheme !== "oauth2") return "";
    const { clientId = "", clientSecret = "" } = this.shared.access?.fields ?? {};
    const inForm = signIn.send === "form";
    const form = new URLSearchParams({
      grant_type: "client_credentials",
      ...(signIn.scope ? { scope: signIn.scope } : {}),
      ...(inForm ? { client_id: clientId, client_secret: clientSecret } : {}),
    });
    const pair = Buffer.from(`${encodeURIComponent(clientId)}:${encodeURIComponent(clientSecret)}`).toString("base64");
    const answer = await this.fetch(
      this.urlOf(signIn.path),
      "POST",
      {
        accept: "application/json",
        "content-type": "application/x-www-form-urlencoded",
        ...(inForm ? {} : { authorization: `Basic ${pair}` }),
      },
      form.toString(),
      undefined,
    );
    if (answer.status >= 500 || answer.status === 429) throw new OutsideFailure(refusalOf(answer).message);
    if (answer.status < 200 || answer.status >= 300)
      throw new PlatformFailure(`Signing in was refused: ${refusalOf(answer).message}`, answer.status);
    const read = tokenSchema.safeParse(jsonOf(answer));
    if (!read.success) throw new PlatformFailure("The answer to signing in holds no access_token.");
    const { access_token: text, expires_in: seconds } = read.data;
    const lastsMs = seconds * 1000;
    this.shared.token = { text, untilMs: performance.now() + lastsMs - Math.min(TOKEN_MARGIN_MS, lastsMs / 4) };
    return text;
  }

  /** Waits for this call's turn, by the rate that the mapping says. */
  private async inTurn(): Promise<void> {
    const now = performance.now();
    const at = Math.max(this.shared.nextMs, this.shared.notBeforeMs, now);
    this.shared.nextMs = at + 1000 / this.options.mapping.limits.perSecond;
    if (at > now) await this.pause(at - now);
    if (this.options.signal.aborted) throw new PlatformFailure("It was stopped.");
  }

  private async pause(ms: number): Promise<void> {
    await wait(Math.max(0, ms), undefined, { signal: this.options.signal }).catch(() => undefined);
    if (this.options.signal.aborted) throw new PlatformFailure("It was stopped.");
  }

  /** The next page by the answer's header, where it is on the same host. */
  private nextOf({ headers }: TextAnswer): string | undefined {
    const header = [headers.link ?? ""].flat().join(",").slice(0, 4000);
    for (const [, target = "", rest = ""] of header.matchAll(/<([^<>]*)>([^<]*)/g))
      if (/;\s*rel="?([^";]*\s)?next(\s[^";]*)?"?\s*(;|,|$)/i.test(rest)) return this.pathOf(target);
    return undefined;
  }

  /** An address in an answer as a path of this interface. Throws where it leads elsewhere. */
  pathOf(target: string): string {
    if (!URL.canParse(target, this.shared.base.href))
      throw new PlatformFailure("The address of the next page cannot be read.");
    const url = new URL(target, this.shared.base.href);
    if (url.origin !== this.shared.base.origin)
      throw new PlatformFailure("An answer points to another host; it is not followed.");
    return `${url.pathname}${url.search}`;
  }
}

const waitBefore = (attempt: number) => FIRST_WAIT_MS * 2 ** (attempt - 1);

/** RFC 9110 §10.2.3: seconds, or a date. */
function retryAfterMs({ headers }: TextAnswer): number | undefined {
  const text = headers["retry-after"]?.trim();
  if (!text) return undefined;
  if (/^\d{1,6}$/.test(text)) return Number(text) * 1000;
  const until = Date.parse(text);
  return Number.isFinite(until) ? Math.max(0, until - Date.now()) : undefined;
}

function jsonOf({ text }: TextAnswer): unknown {
  try {
    return JSON.parse(text);
  } catch {
    throw new PlatformFailure(`The answer is no JSON: “${shortly(text)}”.`);
  }
}

const shortly = (text: string) =>
  text
    .replaceAll(/[\p{Cc}\s]+/gu, " ")
    .trim()
    .slice(0, 120);

/** What a refusal says, with its own words where it has any. */
function refusalOf({ status, text }: TextAnswer): PlatformFailure {
  const meaning =
    status === 401
      ? "It does not know the credential"
      : status === 403
        ? "The credential may not read this"
        : status === 404
          ? "There is nothing at this address"
          : status === 429
            ? "It was asked too often"
            : status >= 500
              ? "It failed by itself"
              : "It refused";
  const words = shortly(text);
  return new PlatformFailure(`${meaning} (${status})${words ? `: “${words}”` : ""}.`, status);
}
