import { createHash } from "node:crypto";
import { whyNotSent, type SentFor, type SignalKind, type TokenScope } from "#core/people/tokens";
import type { Attribute } from "./otlp-types";

/** A token that may be sent with, as the engine tells of it. */
export interface SendingToken {
  /** 0 for the one of a file. */
  id: number;
  /** SHA-256 of its text, base64. */
  hash: string;
  scope: TokenScope;
  endsAt: number | null;
}

/** Everything may be sent for everybody, but nothing for an agent: by the token of a file, or where none is asked for. */
export const SEND_ALL: TokenScope = { kind: "send", signals: ["metrics", "logs", "traces", "events"], senders: "*" };

/** telemetry.distro.name of our own host agent. */
const HOST_AGENT = "holotaxis-agent";

/** Who may send what: the tokens that are open, and when each was used last. */
export class SenderTokens {
  private byHash: Map<string, SendingToken> | undefined;
  private used = new Map<number, [atMs: number, from: string]>();

  /** @param anyone whether signals are taken without a token too */
  constructor(
    private readonly anyone: boolean,
    private readonly now: () => number,
  ) {}

  take(tokens: readonly SendingToken[]): void {
    this.byHash = new Map(tokens.map((token) => [token.hash, token]));
  }

  /**
   * What a request may send by its Authorization header (RFC 6750); undefined where it must not, null while the tokens are
   * not known yet.
   */
  scopeOf(authorization: string | undefined, from: string): TokenScope | undefined | null {
    const text = /^Bearer ([^\s]{16,300})$/.exec(authorization ?? "")?.[1];
    if (text === undefined) return this.anyone ? SEND_ALL : undefined;
    if (!this.byHash) return null;
    // Looked up by its hash: how long that takes says nothing of the text.
    const token = this.byHash.get(createHash("sha256").update(text).digest("base64"));
    if (!token || (token.endsAt !== null && token.endsAt <= this.now())) return undefined;
    if (token.id > 0) this.used.set(token.id, [this.now(), from]);
    return token.scope;
  }

  /** Uses since the last call. */
  takeUsed(): [id: number, atMs: number, from: string][] {
    const used = [...this.used].map(([id, [atMs, from]]): [number, number, string] => [id, atMs, from]);
    this.used = new Map();
    return used;
  }
}

/** Whom a resource speaks for. */
function sentFor(resource: readonly Attribute[]): SentFor {
  const text = (key: string) => {
    const value = resource.find(([name]) => name === key)?.[1];
    return typeof value === "string" ? value.trim() : "";
  };
  return {
    hostId: text("host.id"),
    hostName: text("host.name"),
    serviceName: text("service.name"),
    isAgent: text("telemetry.distro.name") === HOST_AGENT,
  };
}

/** Why a scope does not cover a resource, as a sentence; undefined where it does. */
export const whyNotResource = (scope: TokenScope, signal: SignalKind, resource: readonly Attribute[]) =>
  whyNotSent(scope, signal, sentFor(resource));
