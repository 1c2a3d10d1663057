import type { Arrivals, OpenedMail } from "../demo/standins";
import { redirect } from "react-router";
import type { IncomingMessage } from "node:http";
import type { Principal } from "../people/principal";
import { INSTALLATION, whyNot } from "#core/people/rights";
import { signInAddress } from "#core/people/entrance";
import { hashOf } from "../people/codes";
import type { Answer, Asked, QuestionName } from "../pages/registry";
import { rightToAsk } from "../pages/registry";
import type { EngineClient } from "../threads/engine-client";
import type { Holotaxis } from "./context";
import type { Door } from "./door";

/** The way in and out, for whoever sends a request. */
export interface Entrance {
  /** What the sign-in page offers. */
  offered(): Promise<Answer<"signIn">>;
  invitation(code: string): Promise<Answer<"invitation">>;
  /** Each answers with the header that makes the browser keep, or forget, who it is. */
  signIn(way: string, given: unknown): Promise<Headers>;
  join(code: string, given: unknown): Promise<Headers>;
  signOut(): Promise<Headers>;
}

/** As much of the running server as the pages' side needs. */
export interface Parts {
  ask<Name extends QuestionName>(name: Name, asked: Asked<Name>): Promise<Answer<Name>>;
  /** Asks as one request does: what it asks in one turn goes to the threads together. */
  asker(): Parts["ask"];
  engine: Pick<EngineClient, "command" | "tell">;
  runSql(who: string, ...what: Parameters<Holotaxis["runSql"]>): ReturnType<Holotaxis["runSql"]>;
  door: Door;
  isDemo: boolean;
  /** Whether pages come by TLS only. */
  isSecure: boolean;
}

const cookie = (text: string) => new Headers({ "Set-Cookie": text });

/** What a request may use: nobody gets anything but the way in, somebody what their rights give. */
export function grant(
  parts: Parts,
  who: Principal | null,
  request: IncomingMessage,
): Pick<Holotaxis, "who" | "ask" | "command" | "tell" | "arrivals" | "mail" | "runSql" | "entrance"> {
  const from = { address: parts.door.addressOf(request), browser: (request.headers["user-agent"] ?? "").slice(0, 200) };
  const known = (): Principal => {
    if (who) return who;
    // What a page had changed can't be asked again by following a link.
    throw redirect(signInAddress(request.method === "GET" ? request.url : "/"));
  };
  const allow = (name: QuestionName | "sql"): Principal => {
    const person = known();
    const right = name === "sql" ? "read" : rightToAsk(name);
    const reason = right === "door" ? "Nobody may read this." : whyNot(person, right, INSTALLATION);
    if (reason === undefined) return person;
    void parts.engine.tell("refused", person.name, person.via, from, `Read ${name}`, reason);
    throw new Response(reason, { status: 403 });
  };
  let ask: Parts["ask"] | undefined;
  return {
    who,
    ask: async (name, asked) => {
      allow(name);
      return (ask ??= parts.asker())(name, asked);
    },
    command: async (name, input) => parts.engine.command(known(), name, input),
    tell: async (name) => {
      allow("store");
      return (parts.engine.tell as (what: typeof name) => Promise<never>)(name);
    },
    arrivals: async () => {
      allow("store");
      return ((await parts.engine.tell("mailbox")) as Arrivals | null) ?? { messages: [], calls: [] };
    },
    mail: async (number) => {
      allow("store");
      return (await parts.engine.tell("mailbox", number)) as OpenedMail | null;
    },
    runSql: async (sql, mostRows) => {
      const person = allow("sql");
      return parts.runSql(`${person.via} ${person.accountId ?? person.name}`, sql, mostRows);
    },
    entrance: {
      offered: () => parts.ask("signIn", { isDemo: parts.isDemo }),
      invitation: (code) => parts.ask("invitation", { hash: hashOf(code), machineMs: Date.now() }),
      signIn: async (way, given) => cookie(parts.door.keep((await parts.engine.tell("signIn", way, given, from)).code)),
      join: async (code, given) => cookie(parts.door.keep((await parts.engine.tell("join", code, given, from)).code)),
      signOut: async () => {
        if (who && who.sessionId !== null) await parts.engine.tell("signOut", who.sessionId, who.name, from);
        return cookie(parts.door.drop());
      },
    },
  };
}
