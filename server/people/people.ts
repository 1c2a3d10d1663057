import { z } from "zod";
import type { RoleId } from "#core/people/rights";
import { DAY_MS, HOUR_MS, MINUTE_MS } from "#core/time/windows";
import type { LiveEvent } from "../events";
import { insertAudit } from "../store/audit";
import { PersonError, type Db } from "../store/database";
import {
  accountById,
  accountByName,
  accountBySignIn,
  countAdministrators,
  endInvitations,
  endSession,
  endSessionsOf,
  insertAccount,
  insertInvitation,
  insertSession,
  openInvitation,
  setPassword,
  tidySessions,
  touchSession,
  useInvitation,
  type Account,
} from "../store/people";
import type { Enrolled, Enrolling } from "../receivers/messages";
import {
  insertEnrolment,
  insertToken,
  knowsEnrolment,
  openEnrolment,
  revokeAgentTokens,
  spendEnrolment,
  touchToken,
} from "../store/tokens";
import { hashOf, makeCode } from "./codes";
import { checkNewPassword, hashPassword } from "./passwords";
import { IDLE_MS, LONGEST_MS } from "./sessions";
import { Throttle, WAYS } from "./sign-in";

/** Ended sessions and used invitations are listed no longer; the audit record keeps them. */
const FORGET_MS = 30 * DAY_MS;
const INVITATION_MS = DAY_MS;
/** Entries of refused tries on the audit record, an hour and address: a flood of them would bury the rest. */
const MOST_REFUSALS_RECORDED = 60;

/** Where a request comes from. */
export interface From {
  address: string;
  browser: string;
}

export interface PeoplePorts {
  db: Db;
  /** The clock that pages show. */
  now: () => number;
  emit: (event: LiveEvent) => void;
  isDemo: boolean;
  /** The machine's own clock: sessions do not run faster in a demonstration that does. */
  machineNow?: () => number;
}

const chosen = z.object({
  name: z.string().trim().min(2, "Give a name of at least two letters.").max(60, "A name has at most 60 characters."),
  signIn: z
    .string()
    .trim()
    .min(2, "Give a name of at least two characters to sign in with.")
    .max(60, "The name to sign in with has at most 60 characters.")
    .regex(/^[\p{L}\p{N}._@-]+$/u, "Use letters, digits and . _ @ - in the name to sign in with."),
  password: z.string(),
});

/** Accounts, sessions and invitations; lives on the engine's thread, beside the store's one writer. */
export class People {
  private readonly throttle = new Throttle();
  private refusals = { sinceMs: 0, counts: new Map<string, number>() };

  constructor(private readonly ports: PeoplePorts) {}

  private machineNow = () => (this.ports.machineNow ?? Date.now)();

  /** Tells the pages' thread that what it knows of sessions and tokens may be old. */
  changed(): void {
    this.ports.emit({ topic: "people" });
  }

  private record(
    who: string,
    from: From,
    command: string,
    summary: string,
    reason: string | null = null,
    more: { subject?: string; after?: unknown } = {},
  ): void {
    if (reason !== null && !this.isWorthRecording(from.address)) return;
    insertAudit(this.ports.db, {
      atMs: this.ports.now(),
      who,
      via: "browser",
      address: from.address,
      command,
      summary,
      outcome: reason === null ? "done" : "refused",
      reason,
      ...more,
    });
  }

  private isWorthRecording(address: string): boolean {
    const now = this.machineNow();
    if (now - this.refusals.sinceMs > HOUR_MS) this.refusals = { sinceMs: now, counts: new Map() };
    const count = (this.refusals.counts.get(address) ?? 0) + 1;
    if (this.refusals.counts.size < 10_000 || count > 1) this.refusals.counts.set(address, count);
    return count <= MOST_REFUSALS_RECORDED;
  }

  /** Signs somebody in; returns what their browser is to keep. Throws a PersonError with a sentence. */
  async signIn(wayId: string, given: unknown, from: From): Promise<{ code: string }> {
    const way = WAYS.find((one) => one.id === wayId && one.isOffered({ isDemo: this.ports.isDemo }));
    if (!way) throw new PersonError("There is no such way of signing in here.");
    const parsed = way.input.safeParse(given);
    if (!parsed.success) {
      const fields = Object.fromEntries(parsed.error.issues.map((issue) => [issue.path.join("."), issue.message]));
      throw new PersonError(Object.values(fields)[0] ?? "Something is missing.", fields);
    }
    const named = way.account(parsed.data);
    const wait = this.throttle.wait(named, from.address, this.machineNow());
    if (wait > 0)
      throw new PersonError(
        `Too many wrong tries. Try again in ${wait < MINUTE_MS ? `${Math.ceil(wait / 1000)} s` : `${Math.ceil(wait / MINUTE_MS)} min`}.`,
      );
    // Counted before it is known, so that many tries at once are no way round.
    this.throttle.failed(named, from.address, this.machineNow());
    const account = await way.prove(this.ports.db, parsed.data);
    const refuse = (who: string, reason: string) => {
      this.record(who, from, "session.begin", `Tried to sign in as ${named}`, reason);
      return new PersonError(reason);
    };
    if (typeof account === "string") throw refuse("nobody", account);
    if (account.closedAt !== null)
      throw refuse(account.name, "This account is closed. Ask an administrator to open it again.");
    this.throttle.succeeded(named, from.address);
    return this.begin(account, way.id, from);
  }

  private begin(account: Account, way: string, from: From): { code: string } {
    const { code, hash } = makeCode("session");
    const nowMs = this.machineNow();
    this.ports.db.transaction(() => {
      const id = insertSession(this.ports.db, hash, {
        accountId: account.id,
        way,
        address: from.address,
        browser: from.browser,
        beganAt: nowMs,
      });
      this.record(account.name, from, "session.begin", "Signed in", null, { subject: `session:${id}` });
    })();
    return { code };
  }

  /** The one-time link of a first start, where nobody could sign in; undefined where somebody can. */
  firstLink(): string | undefined {
    if (countAdministrators(this.ports.db) > 0) return undefined;
    const { db } = this.ports;
    // A link printed at an earlier start may have been seen by others since.
    endInvitations(db, { madeBy: "console" }, this.machineNow());
    return this.invite({ role: "administrator", accountId: null, name: "" }, "console");
  }

  /** Makes a link that can be used once within a day. */
  invite(what: { role: RoleId; accountId: number | null; name: string }, by: string): string {
    const { code, hash } = makeCode("invite");
    const madeAt = this.machineNow();
    if (what.accountId !== null) endInvitations(this.ports.db, { accountId: what.accountId }, madeAt);
    insertInvitation(this.ports.db, hash, { ...what, madeBy: by, madeAt, endsAt: madeAt + INVITATION_MS });
    return code;
  }

  /** Uses an invitation: makes the account, or chooses a new password, and signs its owner in. */
  async join(code: string, given: unknown, from: From): Promise<{ code: string }> {
    const { db } = this.ports;
    const wait = this.throttle.wait("invitation", from.address, this.machineNow());
    const invitation = wait > 0 ? undefined : openInvitation(db, hashOf(code), this.machineNow());
    if (!invitation) {
      this.throttle.failed("invitation", from.address, this.machineNow());
      throw new PersonError("This link was used already or is too old. Ask an administrator for a new one.");
    }
    const known = invitation.accountId === null ? undefined : accountById(db, invitation.accountId);
    const parsed = chosen.safeParse(known ? { ...(given as object), name: known.name, signIn: known.signIn } : given);
    if (!parsed.success) {
      const fields = Object.fromEntries(parsed.error.issues.map((issue) => [issue.path.join("."), issue.message]));
      throw new PersonError(Object.values(fields)[0] ?? "Something is missing.", fields);
    }
    const { name, signIn, password } = parsed.data;
    if (!known && accountBySignIn(db, signIn))
      throw new PersonError("Somebody signs in with this name already.", {
        signIn: "Somebody signs in with this name already.",
      });
    if (!known && accountByName(db, name))
      throw new PersonError("Somebody has this name already.", { name: "Somebody has this name already." });
    checkNewPassword(password, [name, ...name.split(/\s+/), signIn]);
    const hash = await hashPassword(password);
    const account = db.transaction(() => {
      // Two at once: the second finds the link used.
      if (!openInvitation(db, hashOf(code), this.machineNow()))
        throw new PersonError("This link was used already. Ask an administrator for a new one.");
      useInvitation(db, invitation.id, this.machineNow());
      const id =
        known?.id ??
        insertAccount(db, { name, signIn, role: invitation.role, madeBy: invitation.madeBy }, this.ports.now());
      setPassword(db, id, hash, this.ports.now());
      endSessionsOf(db, id, this.machineNow());
      this.record(
        name,
        from,
        "account.join",
        known ? "Chose a new password by link" : `Made an account as ${invitation.role}`,
        null,
        {
          subject: `account:${id}`,
        },
      );
      return accountById(db, id) as Account;
    })();
    this.changed();
    return this.begin(account, "password", from);
  }

  /** Ends the session of whoever asks. */
  signOut(sessionId: number, name: string, from: From): void {
    endSession(this.ports.db, sessionId, this.machineNow());
    this.record(name, from, "session.end", "Signed out", null, { subject: `session:${sessionId}` });
    this.changed();
  }

  /** Takes down when sessions and tokens were used last, and ends sessions that were idle too long. */
  seen(
    sessions: readonly (readonly [id: number, atMs: number])[],
    tokens: readonly (readonly [id: number, atMs: number, from: string])[],
  ): void {
    const nowMs = this.machineNow();
    this.ports.db.transaction(() => {
      for (const [id, atMs, from] of tokens) touchToken(this.ports.db, id, Math.min(atMs, nowMs), from);
      for (const [id, atMs] of sessions) touchSession(this.ports.db, id, Math.min(atMs, nowMs));
      tidySessions(this.ports.db, nowMs - IDLE_MS, nowMs - LONGEST_MS, nowMs - FORGET_MS, nowMs);
    })();
  }

  /** Makes a code known that agents can enrol with for a day, where it is not known yet. */
  offerEnrolment(code: string, hosts: number): void {
    const madeAt = this.machineNow();
    const hash = hashOf(code);
    if (knowsEnrolment(this.ports.db, hash)) return;
    insertEnrolment(this.ports.db, hash, { madeBy: "set-up", madeAt, endsAt: madeAt + DAY_MS, remaining: hosts });
  }

  /** Gives the agent of a host a token of its own for a code; the one it had before is good no longer. */
  enrol({ code, hostId, hostName }: Enrolling, address: string): Enrolled {
    const { db } = this.ports;
    const nowMs = this.machineNow();
    const enrolment = openEnrolment(db, hashOf(code), nowMs);
    const entry = {
      atMs: this.ports.now(),
      who: `agent of ${hostName}`,
      via: "agent",
      address,
      command: "agent.enrol",
    };
    if (!enrolment) {
      const problem = "This enrolment code is used up, too old or wrong. Make a new one under Setup › Tokens.";
      if (this.isWorthRecording(address))
        insertAudit(db, { ...entry, summary: `Tried to enrol ${hostName}`, outcome: "refused", reason: problem });
      return { problem };
    }
    const { code: token, hash } = makeCode("token");
    db.transaction(() => {
      spendEnrolment(db, enrolment.id);
      revokeAgentTokens(db, hostId, hostName, nowMs);
      const id = insertToken(db, hash, {
        name: `agent of ${hostName}`,
        scope: { kind: "agent", hostId, hostName },
        madeBy: enrolment.madeBy,
        madeAt: nowMs,
        endsAt: null,
      });
      const summary = `Enrolled ${hostName} by a code of ${enrolment.madeBy}`;
      insertAudit(db, { ...entry, subject: `token:${id}`, summary, outcome: "done", reason: null });
    })();
    return { token };
  }

  /** Takes down when tokens were sent with last. */
  used(tokens: readonly [id: number, atMs: number, from: string][]): void {
    this.ports.db.transaction(() => {
      for (const [id, atMs, from] of tokens) touchToken(this.ports.db, id, atMs, from);
    })();
  }

  /** Puts a refusal on record that no command saw: a page or a file that somebody may not read. */
  refused(who: string, via: string, from: From, what: string, reason: string): void {
    if (!this.isWorthRecording(from.address)) return;
    insertAudit(this.ports.db, {
      atMs: this.ports.now(),
      who,
      via,
      address: from.address,
      command: "page.read",
      summary: what,
      outcome: "refused",
      reason,
    });
  }
}
