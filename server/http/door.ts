import type { IncomingMessage } from "node:http";
import { rightsOf } from "#core/people/rights";
import { rightsOfScope } from "#core/people/tokens";
import { MINUTE_MS } from "#core/time/windows";
import type { Holding } from "../pages/people";
import { hashOf } from "../people/codes";
import type { Principal } from "../people/principal";
import { IDLE_MS, LONGEST_MS } from "../people/sessions";

/** What was looked up is believed this long; a change of sessions, roles or tokens makes it forget at once. */
const BELIEVED_MS = 5 * MINUTE_MS;
const MOST_HELD = 5_000;
/** The store hears this often when sessions and tokens were used. */
const TELL_MS = 30_000;

interface Held {
  holding: NonNullable<Holding>;
  lookedUpMs: number;
  seenMs: number;
}

export interface DoorPorts {
  look(hash: Uint8Array, machineMs: number): Promise<Holding>;
  tellSeen(sessions: [id: number, atMs: number][], tokens: [id: number, atMs: number, from: string][]): void;
  machineNow(): number;
}

/** Tells who sends a request to the pages: a browser by its cookie, a program by its token. */
export class Door {
  private readonly held = new Map<string, Held>();
  private seenSessions = new Map<number, number>();
  private seenTokens = new Map<number, [atMs: number, from: string]>();
  private generation = 0;
  private readonly timer: ReturnType<typeof setInterval>;
  readonly cookie: string;

  /**
   * @param port so that two installations on one machine do not sign each other's people out
   * @param isSecure whether pages come by TLS only
   * @param behindProxy whether the address a request comes from is what the proxy says
   */
  constructor(
    private readonly ports: DoorPorts,
    port: number,
    private readonly isSecure: boolean,
    private readonly behindProxy: boolean,
  ) {
    this.cookie = `${isSecure ? "__Host-" : ""}holotaxis-${port}`;
    this.timer = setInterval(() => this.tell(), TELL_MS);
    this.timer.unref();
  }

  close(): void {
    clearInterval(this.timer);
    this.tell();
  }

  private tell(): void {
    if (!this.seenSessions.size && !this.seenTokens.size) return;
    this.ports.tellSeen(
      [...this.seenSessions],
      [...this.seenTokens].map(([id, [atMs, from]]) => [id, atMs, from]),
    );
    this.seenSessions = new Map();
    this.seenTokens = new Map();
  }

  /** Sessions, roles or tokens changed. */
  forget(): void {
    this.generation++;
    this.held.clear();
  }

  addressOf(request: IncomingMessage): string {
    const forwarded = this.behindProxy ? request.headers["x-forwarded-for"] : undefined;
    const last = (Array.isArray(forwarded) ? forwarded.at(-1) : forwarded)?.split(",").at(-1)?.trim();
    return (last || (request.socket.remoteAddress ?? "")).replace(/^::ffff:/, "").slice(0, 60);
  }

  /** What a browser keeps from now on. */
  keep(code: string): string {
    return `${this.cookie}=${code}; Path=/; HttpOnly; SameSite=Strict${this.isSecure ? "; Secure" : ""}`;
  }

  /** Has a browser forget it. */
  drop(): string {
    return `${this.cookie}=; Path=/; HttpOnly; SameSite=Strict; Max-Age=0${this.isSecure ? "; Secure" : ""}`;
  }

  /** Who sends a request; undefined for nobody known. */
  async identify(request: IncomingMessage): Promise<Principal | undefined> {
    const bearer = /^Bearer ([\w-]{20,200})$/.exec(request.headers.authorization ?? "")?.[1];
    const code = bearer ?? this.cookieOf(request);
    if (!code) return undefined;
    const holding = await this.holding(code);
    if (!holding || (holding.kind === "token") !== (bearer !== undefined)) return undefined;
    const from = { address: this.addressOf(request), browser: (request.headers["user-agent"] ?? "").slice(0, 200) };
    if (holding.kind === "session") {
      const { account, sessionId } = holding;
      return {
        name: account.name,
        via: "browser",
        rights: rightsOf(account.role),
        ...from,
        accountId: account.id,
        sessionId,
        role: account.role,
      };
    }
    const { token } = holding;
    this.seenTokens.set(token.id, [this.ports.machineNow(), from.address]);
    return {
      name: `token ${token.name}`,
      via: "token",
      rights: rightsOfScope(token.scope),
      ...from,
      accountId: null,
      sessionId: null,
      role: token.scope.kind === "act" ? token.scope.role : "reader",
    };
  }

  private cookieOf(request: IncomingMessage): string | undefined {
    for (const part of (request.headers.cookie ?? "").split(";")) {
      const at = part.indexOf("=");
      if (part.slice(0, at).trim() === this.cookie) return /^[\w-]{20,200}$/.exec(part.slice(at + 1).trim())?.[0];
    }
    return undefined;
  }

  private async holding(code: string): Promise<NonNullable<Holding> | undefined> {
    const nowMs = this.ports.machineNow();
    const hash = hashOf(code);
    const key = hash.toString("base64");
    let held = this.held.get(key);
    if (held && nowMs - held.lookedUpMs > BELIEVED_MS) held = undefined;
    if (!held) {
      const { generation } = this;
      const holding = await this.ports.look(hash, nowMs);
      if (!holding) return undefined;
      const seenMs = holding.kind === "session" ? Math.max(holding.seenAt, this.held.get(key)?.seenMs ?? 0) : nowMs;
      held = { holding, lookedUpMs: nowMs, seenMs };
      // What changed while it was looked up may not be in it.
      if (generation === this.generation) this.held.set(key, held);
      if (this.held.size > MOST_HELD) this.held.delete(this.held.keys().next().value as string);
    }
    if (!this.isAlive(held, nowMs)) {
      this.held.delete(key);
      return undefined;
    }
    held.seenMs = nowMs;
    if (held.holding.kind === "session") this.seenSessions.set(held.holding.sessionId, nowMs);
    return held.holding;
  }

  private isAlive({ holding, seenMs }: Held, nowMs: number): boolean {
    if (holding.kind === "token") return holding.token.endsAt === null || holding.token.endsAt > nowMs;
    return nowMs - seenMs < IDLE_MS && nowMs - holding.beganAt < LONGEST_MS;
  }
}
